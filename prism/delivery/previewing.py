"""What an item will be: one frame of it written into a folder that goes away again, and read back from there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray

from prism.colour.view import ViewTransform
from prism.colour.views import VIEW_TITLES
from prism.delivery.document import Item
from prism.delivery.encodings.base import PICTURES, Closing, Destination, SubjectKind, Written
from prism.delivery.files import codes_of, shown_file
from prism.delivery.ledger_frame import LedgerFrame
from prism.errors import BadArgument, NoBeauty, UnreadableFile
from prism.formats.stills import to_codes
from prism.ledger.first import require_beauty
from prism.limits import Stale, never
from prism.movies.codecs import CODECS
from prism.movies.reading import read_movie
from prism.pixels.file_formats import is_exr
from prism.sheets.boards.render import Load, missing
from prism.sheets.contact import within
from prism.sheets.passes import pass_sheet
from prism.sources.frame import OpenFrame
from prism.sources.opening import find_sources
from prism.viewing.picture import Look

_MOVIES = frozenset(codec.suffix for codec in CODECS.values())
_VIEWS = frozenset(name.encode() for name in VIEW_TITLES)
_CELL = 240  # pixels across of a pass, where a file holds several


@dataclass(frozen=True, slots=True, eq=False)
class Preview:
    """codes: uint8 (H, W, 3 or 4), straight, of what was written; None where that is no picture. remarks: what it cost.
    of_frame: bytes of the files of one frame, of_all: of what is made of all frames, from this one alone."""

    codes: NDArray[np.uint8] | None
    remarks: tuple[str, ...] = ()
    of_frame: int = 0
    of_all: int = 0


def preview(
    item: Item, made: LedgerFrame, place: Destination, *, rate: float, across: int, pictures: Load = missing,
    is_stale: Stale = never,
) -> Preview:  # fmt: skip
    """One frame of an item as its files hold it. place: as it would be delivered to, of which only the names are used.
    across: most pixels of the picture's width. pictures: loads those of boards.

    Raises what writing the item raises, and UnreadableFile.
    """
    if not item.encoding.pictured:
        return Preview(None)
    item = item.replace(encoding=item.encoding.previewed())
    with TemporaryDirectory(prefix="preview-") as folder:
        one = replace(place, root=Path(folder), frames=(made.number,))
        added = item.encoding.add(item, made, one)
        closed = item.encoding.close(item, _closing(item, made, one, place.frames, added, rate, pictures, is_stale))
        written = closed or added
        if not written:
            raise BadArgument("There is nothing of that in this frame.", where=f"item {item.id}")
        codes = within(picture_of(written[0].path, item.subject, space=made.ledger.space), across)
        remarks = tuple(dict.fromkeys(remark for file in (*added, *closed) for remark in file.remarks))
        return Preview(codes, remarks, sum(file.bytes for file in added), sum(file.bytes for file in closed))


def _closing(
    item: Item, made: LedgerFrame, one: Destination, frames: Sequence[int], added: Sequence[Written], rate: float,
    pictures: Load, is_stale: Stale,
) -> Closing:  # fmt: skip
    """All frames as if each were this one: a sheet has all of its cells."""
    return Closing(
        place=one, rate=rate, made=lambda number: made, written={item.id: [file.path for file in added]},
        record={"frames": [{"frame": number, "files": []} for number in frames], "author": ""},
        pixel_aspect=made.sources.pixel_aspect, is_stale=is_stale, pictures=pictures,
    )  # fmt: skip


def picture_of(path: Path, subject: SubjectKind = "finished", *, space: str = "lin_rec709") -> NDArray[np.uint8]:
    """Codes (H, W, 3 or 4), straight, of a file that was delivered: the first frame of a movie, the page of a PDF,
    light through the film view with its alpha, the beauty of several; all passes on a sheet, if they are the `subject`
    or there is no beauty.

    Raises UnreadableFile.
    """
    suffix = path.suffix.lstrip(".").lower()
    if suffix in _MOVIES:
        return _opaque(to_codes(next(read_movie(path)), 8))
    if suffix == "pdf":
        return _page(path)
    if not is_exr(path.name):
        return _opaque(codes_of(shown_file(path, keep_alpha=True)))
    sources = find_sources([path])
    if _shows_one(sources, subject):
        view = None if _is_display(sources) else "film"
        return _opaque(codes_of(shown_file(path, view=view, space=space, keep_alpha=True)))
    return pass_sheet(sources, Look(transform=ViewTransform(space, "film")), width=_CELL, title=path.name)


def _shows_one(sources: OpenFrame, subject: SubjectKind) -> bool:
    if len([source for source in sources if not source.is_deep]) == 1:
        return True
    if subject not in PICTURES:
        return False
    try:
        require_beauty(sources)
    except NoBeauty:
        return False
    return True


def _is_display(sources: OpenFrame) -> bool:
    """Whether a file of ours says which view its values went through."""
    entries = (source.attributes.get("view") for source in sources)
    return any(entry is not None and entry.raw in _VIEWS for entry in entries)


def _opaque(codes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(H, W, 3) where the alpha covers all, else as it is."""
    return codes[..., :3] if codes.shape[2] == 4 and (codes[..., 3] == 255).all() else codes


def _page(path: Path, most: int = 1600) -> NDArray[np.uint8]:
    """(H, W, 3): the page of a PDF, at most so many pixels across."""
    try:
        with pdfium.PdfDocument(path) as document:
            page = document[0]
            picture = page.render(scale=min(2.0, most / page.get_width())).to_numpy()
            return np.ascontiguousarray(picture[..., 2::-1])  # PDFium has blue first
    except pdfium.PdfiumError as error:
        raise UnreadableFile("This PDF cannot be opened.", where=str(path)) from error
