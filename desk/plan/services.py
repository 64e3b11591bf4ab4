"""The Plan station: the plan of a shot, the files it will write, and what is wrong with it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.utils import timezone

from desk.plan.library import presets_of
from desk.plan.measures import estimate
from desk.plan.models import Plan
from desk.plan.scenes import facts_for
from desk.plan.versions import require_unlocked
from desk.shots.models import Shot
from desk.shots.saving import Outdated
from desk.shots.storage import shot_folder
from prism.intake.found import found_below
from prism.naming.frames import format_frames
from prism.naming.patterns import parse_pattern
from prism.passes.audit import audit
from prism.passes.catalogue import BY_KEY, CATALOGUE
from prism.passes.checks import check
from prism.passes.checks.light import completeness
from prism.passes.estimate import total_bytes
from prism.passes.expansion import FileGroup, expand
from prism.passes.facts import SceneFacts, lacking, parts_of_groups
from prism.passes.packing import FORMATS, PIXEL_TITLES
from prism.passes.plan import Plan as Document
from prism.passes.plan import PlannedImage, ShotSettings
from prism.passes.presets import differences, moved_on


def open_plan(shot: Shot) -> Plan:
    """The plan of the shot, begun from its settings if there is none yet."""
    existing = Plan.objects.filter(shot=shot).first()
    if existing is not None:
        return existing
    begun = Document(
        shot=ShotSettings(
            production=shot.production.code,
            code=shot.code,
            frames=format_frames(shot.frames),
            rate=float(shot.rate),
            width=shot.width,
            height=shot.height,
            space=shot.space,
        )
    )
    return Plan.objects.create(shot=shot, document=begun.as_json())


def parse(document: Any) -> Document:
    """Raises BadDocument with the path to the field."""
    return Document.from_json(document, where="plan")


def save(plan: Plan, document: Document, revision: int) -> int:
    """Save a change that builds on `revision`. Returns the new revision.

    Raises Outdated if that is not the newest, Locked if this version is rendered and the change is not a new one.
    """
    require_unlocked(plan, document)
    changed = Plan.objects.filter(pk=plan.pk, revision=revision).update(
        document=document.as_json(), revision=revision + 1, changed=timezone.now()
    )
    if not changed:
        raise Outdated("plan")
    return revision + 1


def answer(shot: Shot, document: Document) -> dict[str, Any]:
    """What the page shows beside the sheet: one line for each sequence, however many frames it has."""
    scene = facts_for(shot, document.cameras)
    files = expand(document, scene)
    facts = scene.relabelled(document.light_labels)
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
        "findings": [finding.as_json() for finding in check(document, scene, files)],
        "differences": [asdict(difference) for difference in differences(document)],
        "movedOn": document.applied is not None and moved_on(document.applied, presets_of(shot.production)),
        "columns": [_column(document, image, facts) for image in document.variants()],
        "lightGroups": _light_groups(document, facts),
        "time": estimate(shot, document),
    }


def hold_against_disk(shot: Shot, document: Document) -> dict[str, Any]:
    """What of the plan is in the shot's folder, and what is not as planned."""
    files = expand(document, facts_for(shot, document.cameras))
    folder = shot_folder(shot.production.code, shot.code)
    found = found_below(folder) if folder.is_dir() else {}
    below = {planned.example.rpartition("/")[0] for planned in files}
    found = {path: file for path, file in found.items() if path.rpartition("/")[0] in below}
    planned_paths = (planned.path(frame) for planned in files for frame in planned.frames)
    return {
        "folder": str(folder),
        "present": sum(path in found for path in planned_paths),
        "deviations": [deviation.as_json() for deviation in audit(files, found)],
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
    return [
        {"key": kind.key, "title": kind.title, "meaning": kind.meaning, "role": kind.role, "blank": kind.blank}
        for kind in CATALOGUE
    ]


def formats() -> list[dict[str, Any]]:
    """What the packing page offers: each format with its pixel types and compressions."""
    return [
        {
            "key": key,
            "title": form.title,
            "suffix": form.suffix,
            "pixels": [{"key": pixel, "title": PIXEL_TITLES[pixel]} for pixel in form.pixels],
            "compressions": [{"key": name, "meaning": one.meaning} for name, one in form.compressions.items()],
        }
        for key, form in FORMATS.items()
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
    given = facts.given_to(image)
    found = completeness(document, image, facts)
    return {
        "layer": image.layer.name,
        "camera": "" if image.shared else image.camera,
        "ways": found.ways,
        "missing": [BY_KEY[key].title for key in found.missing],
        "reasons": {kind.key: reason for kind in CATALOGUE if (reason := lacking(kind, given))},
    }


def _light_groups(document: Document, facts: SceneFacts) -> list[dict[str, Any]]:
    """What each light group that is rendered can carry, with everything visible."""
    given = facts.given(facts.groups, facts.groups)
    parts = parts_of_groups(document.light_groups, facts, given)
    return [
        {
            "label": label,
            "rendered": label in parts,
            "lights": [light.name for light in facts.lights_of(label)],
            "carries": [kind.title for kind in parts.get(label, ())],
        }
        for label in facts.labels
    ]
