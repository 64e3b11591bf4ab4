"""Which files a shot's runs wrote, from which plan and scene. What is written stays: nothing else is put in its
place."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from itertools import islice
from pathlib import Path

from desk.render.models import Written
from desk.shots.models import Shot
from desk.shots.storage import shot_folder
from prism.errors import BadArgument
from prism.intake.found import found_file

AT_ONCE = 1000  # paths in one question to the database


class Kept(BadArgument):
    """A file of this name is there, from another plan or scene."""

    code = "render.kept"

    def __init__(self, path: str, count: int = 1) -> None:
        more = f", as do {count - 1:,} more" if count > 1 else ""
        super().__init__(
            f"This file was made from another plan or scene, and stays{more}.",
            where=path,
            advice="Render a new version, or choose names with {version}.",
        )


def require_free(shot: Shot, plan: str, scene: str, paths: Iterable[str]) -> None:
    """Before anything is queued: raises Kept if files of these names are there and known to be something else.

    plan, scene: fingerprints of what would be written. paths: below the shot's folder.
    """
    found = [path for path in _others(shot, plan, scene, paths) if (shot_folder(shot) / path).exists()]
    if found:
        raise Kept(found[0], len(found))


def require_replaceable(shot: Shot, plan: str, scene: str, folder: Path, paths: Iterable[str]) -> None:
    """Before a frame is made: raises Kept if a file that is there is not from the same plan and scene, or not known to
    be and sound."""
    wanted = [path for path in paths if (folder / path).exists()]
    for path in _others(shot, plan, scene, wanted):
        raise Kept(path)
    known = set(Written.objects.filter(shot=shot, key__in=map(key_of, wanted)).values_list("key", flat=True))
    for path in wanted:
        found = found_file(folder / path) if key_of(path) not in known else None
        if found is not None and not found.fault and (found.plan, found.scene) != (plan, scene):
            raise Kept(path)


def record(shot: Shot, plan: str, scene: str, paths: Iterable[str]) -> None:
    """Say what these files are made from. Before they are written: whoever is cut off afterwards must find them its
    own, also in formats whose files cannot say it themselves."""
    rows = [Written(shot=shot, key=key_of(path), path=path, plan=plan, scene=scene) for path in paths]
    Written.objects.bulk_create(rows, update_conflicts=True, update_fields=["plan", "scene"], batch_size=AT_ONCE)


def key_of(path: str) -> str:
    """A path as the database can look it up: it may be longer than an index takes."""
    return hashlib.sha256(path.encode()).hexdigest()


def _others(shot: Shot, plan: str, scene: str, paths: Iterable[str]) -> Iterator[str]:
    """The paths that were written from something else."""
    left = iter(paths)
    while some := list(islice(left, AT_ONCE)):
        there = Written.objects.filter(shot=shot, key__in=map(key_of, some))
        yield from there.exclude(plan=plan, scene=scene).values_list("path", flat=True)
