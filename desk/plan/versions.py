"""Versions of a plan that stay as they are, and copies for other shots."""

from __future__ import annotations

from desk.jobs.models import Choice
from desk.plan.models import Plan, PlanVersion
from desk.shots.models import Shot
from desk.web.saving import at_once, locked
from prism.errors import BadArgument
from prism.plan.plan import Plan as Document


class Locked(BadArgument):
    """This version is rendered; its plan is what its files are."""

    code = "plan.locked"

    def __init__(self, number: int) -> None:
        super().__init__(
            f"Version {number:03} is locked: its files exist.", where="plan", advice="A change makes a new version."
        )


@at_once
def lock(plan: Plan, reason: Choice = PlanVersion.Reason.RENDERED) -> PlanVersion:
    """Keep the plan's version as it is saved now; once is enough."""
    now = locked(plan)
    version, _ = PlanVersion.objects.get_or_create(
        plan=now, number=now.document["number"], defaults={"document": now.document, "reason": reason}
    )
    return version


def next_number(plan: Plan) -> int:
    """One more than any version so far."""
    return max([plan.document["number"], *plan.versions.values_list("number", flat=True)]) + 1


def require_unlocked(plan: Plan, document: Document) -> None:
    """A locked version may be kept as it is, or left for another number. Raises Locked."""
    kept = plan.versions.filter(number=document.number).first()
    if kept is not None and Document.from_json(kept.document) != document:
        raise Locked(document.number)


@at_once
def copy_to(document: Document, target: Shot) -> Plan:
    """Lay a plan on another shot, whose code, frames, rate and size stay.

    The plan of that shot so far is kept as a version, and the copy gets the next number, so nothing is lost.
    """
    begun = locked(target.plan)
    number = next_number(begun)
    lock(begun, PlanVersion.Reason.REPLACED)
    before = Document.from_json(begun.document).shot
    kept = before.model_dump(
        include={"production", "code", "frames", "rate", "width", "height", "pixel_aspect", "space"}
    )
    copy = document.replace(number=number, shot=document.shot.replace(**kept))
    begun.put(copy)
    return begun
