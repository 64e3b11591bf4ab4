"""A frame of a ledger written as files."""

from __future__ import annotations

from pathlib import Path

from prism.delivery.document import Delivery, Item
from prism.delivery.encodings.base import Destination, Written
from prism.delivery.encodings.exr import Exr, write_picture
from prism.delivery.encodings.still import Still
from prism.delivery.ledger_frame import LedgerFrame
from prism.errors import BadArgument
from prism.formats.stills import still_format
from prism.ledger.document import Ledger
from prism.limits import Stale, never
from prism.pixels.file_formats import is_exr
from prism.sources.pixels import Frame


def deliver_all(delivery: Delivery, made: LedgerFrame, place: Destination) -> dict[str, list[Written]]:
    """Write all items of a frame from one evaluation; by item, the files. Raises what evaluation and writers raise."""
    return {item.id: item.encoding.add(item, made, place) for item in delivery.enabled}


def deliver(
    ledger: Ledger, sources: Frame, path: Path, encoding: Exr | Still | None = None, *, is_stale: Stale = never
) -> list[str]:
    """Write the finished picture of one frame at a path of one's own, whose suffix names the format; what it cost, and
    that it is not balanced, as remarks.

    encoding: the usual one for the suffix if None. Raises BadArgument for a format there is not, and what evaluation
    and writers raise.
    """
    encoding = encoding or usual_encoding(path)
    made = LedgerFrame(ledger, sources, is_stale=is_stale)
    item = Item(id="picture", encoding=encoding)
    remarks = made.verdict.remarks(made.number)
    if isinstance(encoding, Exr):
        return [*remarks, *write_picture(path, encoding, item, made)]
    return [*remarks, *encoding.write(item, made, path)]


def usual_encoding(path: Path, **fields: object) -> Exr | Still:
    """For a path by its suffix: of an EXR light, of a still plain sRGB with alpha where the format has one. fields: of
    the encoding, those it does not have left out. Raises BadArgument."""
    kind = Exr if is_exr(path.name) else Still
    if kind is Still:
        form = still_format(path)
        usual = {"format": form.key, "view": "srgb", "alpha": "keep" if form.has_alpha else "over"}
        if fields.get("alpha") == "keep" and not form.has_alpha:
            fields = fields | {"alpha": "over"}
    else:
        usual = {}
    try:
        return kind(**(usual | {name: value for name, value in fields.items() if name in kind.model_fields}))
    except ValueError as error:
        raise BadArgument(f"It cannot be written so: {error}.", where=str(path)) from error
