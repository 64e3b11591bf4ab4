"""`python -m prism sheet` and `board`: contact sheets of files, and boards."""

from __future__ import annotations

import argparse
import re
from pathlib import Path
from typing import Any

from prism.commands import Answer
from prism.commands.pictures import loader
from prism.delivery.files import codes_of, shown_file
from prism.errors import UnreadableFile
from prism.pixels.file_formats import is_exr
from prism.sheets.boards.document import Board
from prism.sheets.boards.render import board_page
from prism.sheets.contact import Entry, SheetLayout, contact_sheet, require_caption
from prism.sheets.page import require_page_format, write_page

_FRAME = re.compile(r"[._](-?\d+)$")


def sheet(args: argparse.Namespace) -> Answer:
    """A contact sheet of files in the order they are named. Raises BadArgument, UnreadableFile, or as the writers."""
    require_page_format(args.out)
    require_caption(args.caption)
    width, height = args.cell
    layout = SheetLayout.from_json(
        {
            "columns": args.columns, "cell_width": width, "cell_height": height, "gap": args.gap, "margin": args.margin,
            "background": args.background, "caption": args.caption, "title": args.title, "fill": args.fill,
            "letters": args.letters, "dpi": args.dpi,
        },
        where="sheet",
    )  # fmt: skip
    absent = next((path for path in args.files if not path.is_file()), None)
    if absent is not None:
        raise UnreadableFile("There is no such file.", where=str(absent))
    page = contact_sheet([_entry(path, args.view) for path in args.files], layout)
    write_page(page, args.out)
    size = [page.codes.shape[1], page.codes.shape[0]]
    answer = {"file": str(args.out), "size": size, "pictures": len(args.files), "remarks": list(page.remarks)}
    return answer, "\n".join([f"{args.out}  {size[0]} x {size[1]}", *page.remarks])


def _entry(path: Path, view: str) -> Entry:
    frame = _FRAME.search(path.stem)
    fields: dict[str, Any] = {"name": path.name, "stem": path.stem}
    if frame:
        fields["frame"] = int(frame[1])
    return Entry(lambda: codes_of(shown_file(path, view=view, keep_alpha=not is_exr(path.name))), fields)


def board(args: argparse.Namespace) -> Answer:
    """Draw a board. Raises BadDocument, BadArgument, UnreadableFile, or as the writers."""
    require_page_format(args.out)
    document = Board.load(args.board)
    page = board_page(document, loader(args.board.parent))
    write_page(page, args.out)
    width, height = document.size
    text = f"{args.out}  {width} x {height}, {len(page.words)} lines of text"
    answer = {"file": str(args.out), "size": [width, height], "words": [line.text for line in page.words]}
    return answer | {"remarks": list(document.remarks)}, "\n".join([text, *document.remarks])
