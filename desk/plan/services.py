"""The Plan station: the plan of a shot, the files it will write, and what is wrong with it."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone

from desk.plan.models import Plan
from desk.shots.models import Shot
from desk.shots.saving import Outdated
from prism.passes.catalogue import CATALOGUE
from prism.passes.checks import check
from prism.passes.estimate import total_bytes
from prism.passes.expansion import PlannedFiles, expand
from prism.passes.facts import SceneFacts
from prism.passes.plan import Plan as Document
from prism.passes.plan import ShotSettings
from prism.passes.presets import SHIPPED, differences, moved_on, resolve
from prism.standin.facts import facts_of
from prism.standin.scene import Scene


def facts_for(shot: Shot, document: Document) -> SceneFacts:
    """What is known of the shot's scene; nothing if it has no scene file. Raises UnreadableFile or BadDocument."""
    if not shot.scene:
        return SceneFacts.unknown(document.cameras)
    return facts_of(Scene.load(Path(settings.STORAGE_ROOTS[0]) / shot.scene))


def open_plan(shot: Shot) -> Plan:
    """The plan of the shot, begun from its settings if there is none yet."""
    existing = Plan.objects.filter(shot=shot).first()
    if existing is not None:
        return existing
    begun = Document(
        shot=ShotSettings(
            production=shot.production.code,
            code=shot.code,
            first=shot.first,
            last=shot.last,
            rate=float(shot.rate),
            width=shot.width,
            height=shot.height,
        )
    )
    return Plan.objects.create(shot=shot, document=begun.as_json())


def parse(document: Any) -> Document:
    """Raises BadDocument with the path to the field."""
    return Document.from_json(document, where="plan")


def save(plan: Plan, document: Document, revision: int) -> int:
    """Save a change that builds on `revision`. Returns the new revision; raises Outdated if it is not the newest."""
    changed = Plan.objects.filter(pk=plan.pk, revision=revision).update(
        document=document.as_json(), revision=revision + 1, changed=timezone.now()
    )
    if not changed:
        raise Outdated("plan")
    return revision + 1


def answer(document: Document, facts: SceneFacts) -> dict[str, Any]:
    """What the page shows beside the sheet: one line for each sequence, however many frames it has."""
    files = expand(document, facts)
    return {
        "files": [_line(planned) for planned in files],
        "count": sum(len(planned.frames) for planned in files),
        "bytes": total_bytes(files),
        "size": document.shot.written_size,
        "frames": len(document.shot.frames),
        "findings": [finding.as_json() for finding in check(document, facts)],
        "differences": [asdict(difference) for difference in differences(document)],
        "moved_on": document.applied is not None and moved_on(document.applied, SHIPPED),
    }


def presets() -> list[dict[str, Any]]:
    """What the page offers to apply, with all their settings."""
    return [
        {"name": preset.name, "purpose": preset.purpose, "settings": resolve(preset.name, SHIPPED)}
        for preset in SHIPPED.values()
    ]


def catalogue() -> list[dict[str, str]]:
    return [
        {"key": kind.key, "title": kind.title, "meaning": kind.meaning, "role": kind.role, "pixel": kind.pixel}
        for kind in CATALOGUE
    ]


def _line(planned: PlannedFiles) -> dict[str, Any]:
    folder, _, name = planned.path(planned.frames[0]).rpartition("/")
    return {
        "folder": folder,
        "name": name,
        "frames": len(planned.frames),
        "bytes": planned.bytes_each * len(planned.frames),
        "channels": len(planned.channels),
        "passes": ", ".join(one.key for one in planned.passes),
    }
