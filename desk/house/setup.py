"""Productions and shots made, copied, renamed and put away."""

from __future__ import annotations

from collections.abc import Callable

from django.core.exceptions import ValidationError as FieldFault
from django.db import IntegrityError, transaction
from django.utils import timezone

from desk.plan.models import Plan
from desk.plan.versions import next_number
from desk.scenes.services import current, keep, parse
from desk.shots.models import Membership, Production, Shot
from desk.web.saving import at_once, locked
from prism.errors import BadArgument
from prism.plan.plan import DEFAULT_NAMES
from prism.plan.plan import Plan as PlanDocument


@at_once
def create_production(code: str, title: str, owner) -> Production:
    """Raises BadArgument if the code is taken or cannot be one."""
    production = Production(code=code.strip(), title=title.strip())
    _save_new(production)
    Membership.objects.create(production=production, user=owner, role=Membership.Role.OWNER)
    return production


@at_once
def create_shot(
    production: Production, code: str, title: str = "", *, cameras: tuple[str, ...] = (), **settings: object
) -> Shot:
    """A shot with a plan of its own. settings: of ShotSettings, without production and code.

    Raises BadArgument if the code is taken or cannot be one, BadDocument for settings that are none.
    """
    of_shot = {"production": production.code, "code": code.strip(), **settings}

    def plan() -> PlanDocument:
        """The plan that the form asks for. Raises BadDocument."""
        return PlanDocument.from_json({"shot": of_shot, "cameras": cameras, "names": DEFAULT_NAMES}, where="shot")

    return _enter(production, code, title, plan)


def _enter(production: Production, code: str, title: str, plan: Callable[[], PlanDocument]) -> Shot:
    """Keep a new shot, in a folder that no other uses, with its plan, which is made once the code is seen to be
    sound."""
    locked(production)  # one new shot after another
    shot = Shot(
        production=production, code=code.strip(), title=title.strip(), folder=f"{production.code}/{code.strip()}"
    )
    _require_sound(shot)
    document = plan()
    shot.folder = _free_folder(shot.folder)
    _save_new(shot)
    Plan.objects.create(shot=shot, document=document.as_json())
    return shot


@at_once
def copy_shot(shot: Shot, code: str, title: str, author) -> Shot:
    """A new shot with the plan and the scene of another; its files, runs and ledgers stay where they are."""
    document = PlanDocument.from_json(shot.plan.document, where="plan")
    copy = _enter(
        shot.production, code, title,
        lambda: document.replace(number=1, shot=document.shot.replace(code=code.strip())),
    )  # fmt: skip
    scene = current(shot)
    if scene is not None:
        keep(copy, parse(scene.document, "scene"), author, f"copied from {shot.code}")
    return copy


@at_once
def rename_shot(shot: Shot, code: str, title: str) -> None:
    """Files and folder stay; a plan whose version is rendered goes on under the next number with the new code."""
    locked(shot.production)  # one new code after another
    before = locked(shot).code
    shot.code, shot.title = code.strip(), title.strip()
    _require_sound(shot)
    shot.save(update_fields=["code", "title"])
    if shot.code == before:
        return
    plan = locked(shot.plan)
    document = PlanDocument.from_json(plan.document, where="plan")
    is_rendered = plan.versions.filter(number=document.number).exists()
    number = next_number(plan) if is_rendered else document.number
    plan.put(document.replace(number=number, shot=document.shot.replace(code=shot.code)))


def set_archived(thing: Production | Shot, archived: bool) -> None:
    """Put away, or take back; nothing is deleted."""
    thing.archived = timezone.now() if archived else None
    thing.save(update_fields=["archived"])


@at_once
def change_role(production: Production, user, role: str | None) -> None:
    """Make somebody a member, or one in another role; None takes them out. Raises BadArgument if no owner would be
    left."""
    locked(production)  # two owners who step down at once must not both find the other one
    owners = production.memberships.filter(role=Membership.Role.OWNER).exclude(user=user)
    if role != Membership.Role.OWNER and not owners.exists():
        raise BadArgument(
            "A production keeps at least one owner.", where="role", advice="Make somebody else one first."
        )
    if role is None:
        production.memberships.filter(user=user).delete()
    else:
        Membership.objects.update_or_create(production=production, user=user, defaults={"role": role})


def _save_new(thing: Production | Shot) -> None:
    """Raises BadArgument if the code is taken, be it only since a moment."""
    _require_sound(thing)
    try:
        with transaction.atomic():
            thing.save()
    except IntegrityError:
        raise _taken(thing) from None


def _taken(thing: Production | Shot) -> BadArgument:
    return BadArgument(
        f"There is a {type(thing).__name__.lower()} {thing.code} already.", where="code", advice="Choose another."
    )


def _require_sound(thing: Production | Shot) -> None:
    try:
        thing.full_clean(exclude=["folder"])
    except FieldFault as fault:
        field, words = next(iter(fault.message_dict.items()))
        taken = any("already exists" in text or "violated" in text for text in words)
        if taken:
            raise _taken(thing) from None
        raise BadArgument(" ".join(words), where="code" if field == "__all__" else field) from None


def _free_folder(wanted: str) -> str:
    """A folder no other shot writes into."""
    taken = set(Shot.objects.filter(folder__startswith=wanted).values_list("folder", flat=True))
    return next(code for code in (wanted, *(f"{wanted}_{count}" for count in range(2, 10_000))) if code not in taken)
