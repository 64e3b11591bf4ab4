"""Where pictures may lie: below the storage roots, with links resolved, and nowhere else."""

from __future__ import annotations

import shutil
from pathlib import Path

from django.conf import settings

from desk.shots.models import Shot
from prism.errors import UnreadableFile


def allowed_folder(text: str) -> Path:
    """A folder below a storage root, given absolutely or from the first root. Raises UnreadableFile.

    A folder elsewhere and one that is not there give the same answer, so that nobody can explore the machine.
    """
    folder = _below_a_root(text)
    if folder is not None and folder.is_dir():
        return folder
    raise UnreadableFile(
        "There is no such folder below the storage.", where=text, advice=f"Name a folder below {_places()}."
    )


def allowed_file(text: str) -> Path:
    """The same for a file."""
    file = _below_a_root(text)
    if file is not None and file.is_file():
        return file
    raise UnreadableFile(
        "There is no such file below the storage.", where=text, advice=f"Name a file below {_places()}."
    )


def shot_folder(shot: Shot) -> Path:
    """Where all files of a shot are written. It stays what it was when the shot was made, whatever the shot is called."""
    return settings.STORAGE_ROOTS[0] / shot.folder


def free_bytes() -> int | None:
    """Of the first storage root; None if the disk does not say."""
    try:
        return shutil.disk_usage(settings.STORAGE_ROOTS[0]).free
    except OSError:
        return None


def _below_a_root(text: str) -> Path | None:
    roots = [root.resolve() for root in settings.STORAGE_ROOTS]
    try:
        path = (roots[0] / text).resolve()  # an absolute text replaces the root
    except (OSError, ValueError, RuntimeError):
        return None
    return path if any(path.is_relative_to(root) for root in roots) else None


def _places() -> str:
    return ", ".join(str(root) for root in settings.STORAGE_ROOTS)
