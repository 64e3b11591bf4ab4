"""Where pictures may lie: in the folder of their production below a storage root, with links resolved, and nowhere
else."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from django.conf import settings

from desk.shots.models import Production, Shot
from desk.web.paths import without_roots
from prism.errors import UnreadableFile


def allowed_folder(text: str, production: Production) -> Path:
    """A folder of the production, given absolutely or from a root. Raises UnreadableFile.

    A folder elsewhere and one that is not there give the same answer, so that nobody can explore the machine or what
    others make.
    """
    folder = _inside(text, production)
    if folder is None or not os.path.isdir(folder):
        raise _refusal("folder", text, production)
    return folder


def allowed_place(text: str, production: Production) -> Path:
    """A folder or a file."""
    place = _inside(text, production)
    if place is None or not os.path.exists(place):
        raise _refusal("folder or file", text, production)
    return place


def allowed_file(text: str, production: Production) -> Path:
    """The same for a file."""
    file = _inside(text, production)
    if file is None or not os.path.isfile(file):
        raise _refusal("file", text, production)
    return file


def kept_inside(path: Path, production: Production) -> Path:
    """The path, if no link on the way to it leads out of the production. Asked again when a file is opened or written,
    since a link may be laid at any time. Raises UnreadableFile."""
    if _inside(str(path), production) is None:
        raise UnreadableFile(
            "A link leads out of the production's folder.",
            where=without_roots(str(path)),
            advice="Put the file itself there instead of the link.",
        )
    return path


def stays_inside(text: str, production: Production) -> bool:
    """Whether a folder or file, there or not, lies in the production's folder."""
    return _inside(text, production) is not None


def folders_of(production: Production) -> list[Path]:
    """All that its files may lie in."""
    return [root / production.code for root in settings.STORAGE_ROOTS]


def shot_file(shot: Shot, relative: str) -> Path:
    """A file of a shot, to be read or written, that kept_inside has seen."""
    return kept_inside(shot_folder(shot) / relative, shot.production)


def shot_folder(shot: Shot) -> Path:
    """Where all files of a shot are written. It stays what it was when the shot was made, whatever the shot is
    called."""
    return settings.STORAGE_ROOTS[0] / shot.folder


def free_bytes() -> int | None:
    """The free bytes of the first storage root; None if the disk does not say."""
    try:
        return shutil.disk_usage(settings.STORAGE_ROOTS[0]).free
    except OSError:
        return None


def _inside(text: str, production: Production) -> Path | None:
    try:
        places = [(root / text).resolve() for root in settings.STORAGE_ROOTS]  # an absolute text replaces the root
        path = next(filter(os.path.exists, places), places[0])
    except (OSError, ValueError, RuntimeError):
        return None
    return path if any(path.is_relative_to(folder.resolve()) for folder in folders_of(production)) else None


def _refusal(what: str, text: str, production: Production) -> UnreadableFile:
    return UnreadableFile(
        f"There is no such {what} of this production.",
        where=text[:200],
        advice=f"Name a {what} below {production.code}, its folder in the storage.",
    )
