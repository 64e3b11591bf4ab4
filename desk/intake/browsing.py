"""A look into the folders of a production, so that nobody has to type a path."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from django.conf import settings

from desk.shots.models import Shot
from desk.shots.storage import allowed_folder, kept_inside, shot_folder
from prism.errors import UnreadableFile
from prism.pixels.file_formats import is_picture
from prism.text import printable

MOST = 1000  # folders shown of one
MOST_COUNTED = 20_000  # entries of a folder that are counted


def listing(shot: Shot, at: str) -> dict[str, Any]:
    """The folders in one folder, each with how many pictures and folders it holds. Empty `at`: the shot's own folder,
    or the production's while there is none. Raises UnreadableFile."""
    folder = allowed_folder(at or _start(shot), shot.production)
    roots = [(root / shot.production.code).resolve() for root in settings.STORAGE_ROOTS]
    below = []
    try:
        with os.scandir(folder) as entries:
            names = sorted(e.name for e in entries if not e.name.startswith(".") and e.is_dir())
    except OSError as error:
        raise UnreadableFile(f"Cannot be listed: {error.strerror}.", where=str(folder)) from error
    for name in names[:MOST]:
        try:
            below.append(_entry(kept_inside(folder / name, shot.production)))
        except (UnreadableFile, OSError):  # a link that leads out, or a folder that may not be listed
            continue
    above = str(folder.parent) if folder not in roots else ""
    own = _entry(folder)
    return {
        "folder": str(folder),
        "shown": printable(str(folder)),
        "above": above,
        "pictures": own["pictures"],
        "folders": below,
        "more": max(0, len(names) - MOST),
        "known": list(shot.places.values_list("folder", flat=True)),
    }


def _start(shot: Shot) -> str:
    own = shot_folder(shot)
    return str(own if own.is_dir() else own.parent)


def _entry(folder: Path) -> dict[str, Any]:
    pictures = folders = counted = 0
    with os.scandir(folder) as entries:
        for entry in entries:
            counted += 1
            if counted > MOST_COUNTED:
                break
            if entry.name.startswith("."):
                continue
            if is_picture(entry.name):
                pictures += 1
            elif entry.is_dir(follow_symlinks=False):
                folders += 1
    return {"path": str(folder), "name": printable(folder.name), "pictures": pictures, "folders": folders}
