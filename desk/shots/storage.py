"""Where pictures may lie: below the storage roots, with links resolved, and nowhere else."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from prism.errors import UnreadableFile


def allowed_folder(text: str) -> Path:
    """A folder below a storage root, given absolutely or from the first root. Raises UnreadableFile.

    A folder elsewhere and one that is not there give the same answer, so that nobody can explore the machine.
    """
    roots = [root.resolve() for root in settings.STORAGE_ROOTS]
    folder = (roots[0] / text).resolve()  # an absolute text replaces the root
    if any(folder.is_relative_to(root) for root in roots) and folder.is_dir():
        return folder
    places = ", ".join(str(root) for root in roots)
    raise UnreadableFile(
        "There is no such folder below the storage.", where=text, advice=f"Name a folder below {places}."
    )


def shot_folder(production: str, shot: str) -> Path:
    return settings.STORAGE_ROOTS[0] / production / shot
