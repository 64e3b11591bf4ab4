"""The Plan station: the plan of a shot, the files it will write, and what is wrong with it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from desk.plan.library import presets_of
from desk.plan.measures import estimate
from desk.plan.models import Plan, PlanVersion
from desk.plan.versions import lock, next_number, require_unlocked
from desk.scenes.services import facts_for, known_facts
from desk.shots.models import Shot
from desk.shots.storage import free_bytes
from desk.web.saving import Outdated, at_once, locked
from prism.errors import BadArgument
from prism.judging.finding import ERROR, Finding
from prism.naming.frames import format_frames
from prism.naming.patterns import parse_pattern
from prism.passes.catalogue import BY_KEY, CATALOGUE
from prism.passes.kinds import ROLE_TITLES
from prism.pixels.file_formats import PLANNED
from prism.plan.checks import check
from prism.plan.checks.layers import together
from prism.plan.checks.light import completeness
from prism.plan.estimate import total_bytes
from prism.plan.expansion import FileGroup, expand
from prism.plan.packing import PIXEL_TITLES
from prism.plan.plan import OVERRIDE_TITLES, SURROUNDINGS, VISIBILITIES, Layer, PlannedImage
from prism.plan.plan import Plan as Document
from prism.plan.presets import differences, moved_on, require_applied
from prism.plan.showing import for_plan, lacking, parts_of_groups, visible_in
from prism.scenes.facts import SceneFacts
from prism.scenes.mist import Mist, mist_at

RAMP_STEPS = 24


def open_plan(shot: Shot) -> Plan:
    """The plan of the shot, as it is now."""
    return Plan.objects.select_related("shot__production").get(shot=shot)


def parse(document: Any) -> Document:
    """Raises BadDocument with the path to the field."""
    return Document.from_json(document, where="plan")


@at_once
def save(plan: Plan, document: Document, revision: int) -> int:
    """Save a change that builds on `revision`. Returns the new revision.

    Raises Outdated if that is not the newest, Locked if this version is rendered and the change is not a new one,
    ForeignPlan if it is the plan of another shot, BadDocument if what it notes of its preset is none.
    """
    require_applied(document)
    now = locked(plan)
    if now.revision != revision:
        raise Outdated("plan")
    require_own(now.shot, document)
    require_unlocked(now, document)
    now.put(document)
    return now.revision


class ForeignPlan(BadArgument):
    """A plan that says it belongs to another shot."""

    code = "plan.foreign"


def require_own(shot: Shot, document: Document) -> None:
    """Raises ForeignPlan for the plan of another production or shot."""
    if (document.shot.production, document.shot.code) != (shot.production.code, shot.code):
        raise ForeignPlan(
            f"This is the plan of {document.shot.production} {document.shot.code}.", where="plan",
            advice=f"Take it over, and it becomes a new version of {shot.code}'s own, with the frames and size it has.",
        )  # fmt: skip


@at_once
def bring_in(shot: Shot, data: Any, *, take_over: bool = False) -> Plan:
    """Put a whole plan in the place of the shot's, as a new version. What was there is kept as a version too.

    take_over: also if it is that of another shot. Raises BadDocument, or ForeignPlan.
    """
    document = parse(data)
    if not take_over:
        require_own(shot, document)
    require_applied(document)
    plan = locked(shot.plan)
    number = next_number(plan)
    lock(plan, PlanVersion.Reason.REPLACED)
    settings = document.shot.replace(production=shot.production.code, code=shot.code)
    plan.put(document.replace(number=number, shot=settings))
    return plan


def answer(shot: Shot, document: Document) -> dict[str, Any]:
    """What the page shows beside the sheet: one line for each sequence, however many frames it has."""
    scene, _ = known_facts(shot, document.cameras)
    facts = for_plan(scene, document)
    try:
        files = expand(document, scene)
        findings = check(document, scene, files, free_bytes=free_bytes())
        columns = [_column(document, image, facts) for image in document.variants()]
    except BadArgument as fault:
        # More than can be looked at; the page must open all the same, so that it can be mended.
        files, columns = [], []
        findings = [Finding("size.outputs", ERROR, fault.what, fault.where, fault.advice)]
    groups = list({id(planned.group): planned.group for planned in files}.values())
    places = {id(group): place for place, group in enumerate(groups)}
    frames = document.shot.written_frames
    return {
        "groups": [_group(group, document.shot.written_size) for group in groups],
        "files": [(planned.example, places[id(planned.group)]) for planned in files],
        "frames": len(frames),
        "frameList": format_frames(frames),
        "count": len(files) * len(frames),
        "bytes": total_bytes(files),
        "size": document.shot.written_size,
        "scaled": document.shot.scaled_size,
        "findings": [finding.as_json() for finding in findings],
        "differences": [asdict(difference) for difference in differences(document)],
        "movedOn": document.applied is not None and moved_on(document.applied, presets_of(shot.production)),
        "columns": columns,
        "together": _together(document, facts),
        "ramp": _ramp(document, facts),
        "lightGroups": _light_groups(document, facts),
        "time": estimate(shot, document),
    }


def read_name(shot: Shot, document: Document, path: str) -> dict[str, Any] | None:
    """The fields of a path, or of its end, by as much of the plan's pattern; None if it does not follow that."""
    files = expand(document, facts_for(shot, document.cameras))
    fields = ("production", "shot", "layer", "camera", "pass", "suffix")
    known = {field: {str(planned.values[field]) for planned in files} for field in fields}
    steps, parts = path.split("/"), document.names.split("/")
    depth = min(len(steps), len(parts))
    return parse_pattern("/".join(parts[-depth:])).parse("/".join(steps[-depth:]), known)


def catalogue() -> list[dict[str, Any]]:
    """What the sheet offers as passes."""
    return [
        {"key": kind.key, "title": kind.title, "meaning": kind.meaning, "role": kind.role, "blank": kind.blank}
        for kind in CATALOGUE
    ]


def choices() -> dict[str, Any]:
    """What the sheet offers besides: roles in their order, and what a layer may do with groups, surroundings,
    materials."""
    return {
        "roles": [{"role": role, "title": title} for role, title in ROLE_TITLES.items()],
        "visibilities": VISIBILITIES,
        "surroundings": SURROUNDINGS,
        "overrides": [{"key": "", "title": "own materials"}]
        + [{"key": key, "title": title} for key, title in OVERRIDE_TITLES.items()],
    }


def formats() -> list[dict[str, Any]]:
    """What the packing page offers: each format with its pixel types and compressions."""
    return [
        {
            "key": key,
            "title": form.title,
            "suffix": form.suffix,
            "pixels": [{"key": pixel, "title": PIXEL_TITLES[pixel]} for pixel in form.pixels],
            "compressions": [
                {"key": name, "meaning": compression.meaning} for name, compression in form.compressions.items()
            ],
        }
        for key, form in PLANNED.items()
    ]


def _group(group: FileGroup, size: tuple[int, int]) -> dict[str, Any]:
    return {
        "title": group.title,
        "channels": len(group.channels),
        "passes": [planned.key for planned in group.passes],
        "storage": group.storage.title,
        "bytes": round(group.bytes_per_pixel * size[0] * size[1]),
    }


def _column(document: Document, image: PlannedImage, facts: SceneFacts) -> dict[str, Any]:
    """One layer, through one camera or all: what sums to its beauty, and what it cannot carry."""
    given = visible_in(facts, image)
    found = completeness(document, image, facts)
    return {
        "layer": image.layer.name,
        "camera": "" if image.shared else image.camera,
        "ways": found.ways,
        "missing": [BY_KEY[key].title for key in found.missing],
        "pixels": {
            kind.key: PIXEL_TITLES[document.packing.storage(kind).pixel]
            for kind in CATALOGUE
            if kind.key in image.passes
        },
        "reasons": {kind.key: reason for kind in CATALOGUE if (reason := lacking(kind, given))},
    }


def _ramp(document: Document, facts: SceneFacts) -> list[float]:
    """The mist at even steps from its near to its far end."""
    mist = document.mist or facts.mist or Mist(near=0, far=1)
    depths = np.linspace(mist.near, mist.far, RAMP_STEPS + 1).astype(np.float32)
    return [round(float(amount), 4) for amount in mist_at(depths, mist)]


def _together(document: Document, facts: SceneFacts) -> str:
    """How the layers make the whole picture, in words; empty for one layer or a scene nothing is known of."""
    if len(document.layers) < 2 or not facts.groups:
        return ""
    ways = {
        "sum": "The layers sum to the whole picture.",
        "over": "The layers make the whole picture when put over one another.",
    }
    return ways.get(together(document, facts).way, "The layers do not make the whole picture.")


def _light_groups(document: Document, facts: SceneFacts) -> list[dict[str, Any]]:
    """What each light group that is rendered can carry, with everything visible."""
    everything = PlannedImage(Layer(name="all"), "", (), True, document.cameras)
    parts = parts_of_groups(document.light_groups, facts, everything)
    return [
        {
            "label": label,
            "rendered": label in parts,
            "lights": [light.name for light in facts.lights_of(label)],
            "carries": [kind.title for kind in parts.get(label, ())],
        }
        for label in facts.labels
    ]
