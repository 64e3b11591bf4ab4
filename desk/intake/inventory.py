"""What the Intake page shows: elements with their sequences and passes, places, rules, and how far the reading is."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Q

from desk.elements.models import Element
from desk.elements.services import document_of, require_files
from desk.elements.store import PIXELS
from desk.intake import checks, thumbs
from desk.intake.services import KIND
from desk.jobs.models import OPEN, Task
from desk.shots.models import Shot
from prism.colour.view import ViewTransform
from prism.elements.element import Element as Document
from prism.elements.element import ElementPass, Files
from prism.errors import BadArgument
from prism.intake.checking import FrameFacts, PassFacts
from prism.naming.frames import format_frames
from prism.passes.catalogue import CATALOGUE
from prism.passes.kinds import Role
from prism.sources.opening import open_frame
from prism.text import printable
from prism.viewing.edges import edge_picture
from prism.viewing.picture import Look, encode


def state(shot: Shot) -> dict[str, Any]:
    """Everything, for the page and each time it asks again."""
    elements = shot.elements.exclude(document={}).select_related("place", "judgement").prefetch_related("acceptances")
    open_tasks = Task.objects.filter(job__shot=shot, state__in=OPEN)
    reading = dict(
        open_tasks.filter(job__kind=checks.KIND)
        .values_list("payload__element")
        .annotate(count=Count("pk"))
    )  # fmt: skip
    looking = {task.given("place") for task in open_tasks.filter(job__kind=KIND)}
    return {
        "first": shot.frames[0],
        "last": shot.frames[-1],
        "elements": [_element(element, reading.get(element.pk, 0)) for element in elements],
        "places": [
            {
                "id": place.pk,
                "folder": printable(place.folder),
                "looked": place.looked.isoformat(timespec="minutes") if place.looked else "",
                "looking": place.pk in looking,
                "elements": place.count,
                "report": place.report,
            }
            for place in shot.places.annotate(count=Count("elements", filter=~Q(elements__document={})))
        ],
        "rules": [
            {"id": rule.pk, "pattern": rule.pattern, "does": rule.get_does_display(), "target": rule.target}
            for rule in shot.name_rules.all()
        ],
        "busy": open_tasks.filter(job__kind__in=(KIND, checks.KIND)).exists(),
    }


def edge(element: Element, key: str, frame: int, state: str) -> bytes:
    """A soft edge of a pass from near, over grey, with its colour read as `state` says; PNG. Raises PrismError."""
    document = document_of(element)
    if state not in ("premultiplied", "straight"):
        raise BadArgument(f"Colour is premultiplied or straight, not {state}.", where="state")
    pass_ = document.find(key).replace(state=state)
    require_files([element], frame)  # refuses links that lead out
    opened = open_frame(document.replace(passes=(pass_,)), frame, store=PIXELS)
    look = Look(transform=ViewTransform(element.shot.settings.space, "film"), ground="grey")
    return encode(edge_picture(opened, key, look), "png")


def pass_choices() -> list[dict[str, str]]:
    """What a name can be said to be."""
    kinds = (kind for kind in CATALOGUE if kind.role not in (Role.GROUP, Role.PART))
    return [{"key": kind.key, "title": kind.title} for kind in kinds]


def other_shots(shot: Shot, user) -> list[dict[str, Any]]:
    """Shots whose rules can be taken over."""
    found = Shot.objects.visible_to(user).exclude(pk=shot.pk).annotate(rules=Count("name_rules")).filter(rules__gt=0)
    return [{"id": other.pk, "code": str(other), "rules": other.rules} for other in found[:100]]


def _element(element: Element, reading: int) -> dict[str, Any]:
    document = document_of(element)
    frames = document.frames
    checked = element.checks.first()
    read = FrameFacts.from_json(checked.facts).passes if checked else {}
    return {
        "id": element.pk,
        "name": element.name,
        "from": printable(element.place.folder) if element.place else "made by a run of this shot",
        "place": element.place_id,
        "planned": document.planned,
        "frames": format_frames(frames),
        "first": frames[0] if frames else 0,
        "count": len(frames),
        "still": not frames,
        "size": _size(document, checked.facts["passes"] if checked else {}),
        "sequences": _sequences(document),
        "passes": [_pass(pass_, frames, read.get(pass_.key)) for pass_ in document.passes],
        "reading": reading,
        **checks.listed(element),
    }


def _size(document: Document, seen: dict[str, Any]) -> str:
    """The size of the picture, as its first frame that was read has it."""
    whole = [seen[pass_.key] for pass_ in document.passes if pass_.key in seen and not seen[pass_.key]["fault"]]
    if not whole:
        return ""
    (width, height), aspect = whole[0]["size"], whole[0]["aspect"]
    return f"{width} x {height}" + ("" if abs(aspect - 1) < 1e-4 else f", pixels {aspect:g} wide")


def _sequences(document: Document) -> list[dict[str, Any]]:
    by_files: dict[str, list[ElementPass]] = {}
    for pass_ in document.passes:
        by_files.setdefault(pass_.files.model_dump_json(), []).append(pass_)
    return [_sequence(passes[0].files, passes) for passes in by_files.values()]


def _sequence(files: Files, passes: list[ElementPass]) -> dict[str, Any]:
    own = set(files.numbers)
    gaps = sorted(set(range(min(own), max(own) + 1)) - own) if own else []
    return {
        "pattern": printable(files.pattern),
        "folder": printable(str(files.sequence[0])),
        "frames": files.frames,
        "runs": [[int(end) for end in _ends(run)] for run in files.frames.split(",") if run],
        "gaps": format_frames(gaps),
        "still": files.is_still,
        "passes": len(passes),
    }


def _ends(run: str) -> tuple[str, str]:
    """`1-5` and `-5--2` as their ends, `7` as twice itself."""
    head, dash, tail = run[1:].partition("-")
    return (run[0] + head, tail) if dash else (run, run)


def _pass(pass_: ElementPass, frames: tuple[int, ...], facts: PassFacts | None) -> dict[str, Any]:
    """facts: of the first frame that was read."""
    numbers = pass_.files.numbers
    seen = facts.alpha if facts is not None else None
    kind = pass_.pass_kind
    return {
        "key": pass_.key,
        "title": pass_.title,
        "known": kind is not None,
        "meaning": kind.meaning if kind else "",
        "name": printable(pass_.layer or pass_.files.pattern),
        "pattern": printable(pass_.layer) or printable(pass_.files.pattern),
        "channels": " ".join([*pass_.channels, *([pass_.alpha] if pass_.alpha else [])]),
        "state": pass_.state,
        "curve": pass_.curve,
        "primaries": pass_.primaries,
        "isLight": len(pass_.channels) == 3 and not (kind is not None and kind.is_data),
        "seen": {"state": seen.state, "reasons": "; ".join(seen.reasons)} if seen else None,
        "deep": facts.deep.text if facts is not None and facts.deep is not None else "",
        "certainty": round(pass_.certainty * 100),
        "reason": pass_.excluded or pass_.reason,
        "excluded": bool(pass_.excluded),
        "others": list(pass_.others),
        "frame": thumbs.frame_shown(numbers, frames),
    }
