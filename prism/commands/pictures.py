"""Pictures as sheets and boards take them: from files, and from what ledgers make of folders."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.colour.developing import Developed
from prism.colour.view import ViewTransform
from prism.commands.framing import opener
from prism.delivery.files import codes_of, shown_file
from prism.delivery.ledger_frame import LedgerFrame
from prism.errors import BadArgument
from prism.finish.document import Finish
from prism.ledger.document import Ledger
from prism.sheets.boards.elements import FilePicture, PictureSource, RebuiltPicture
from prism.sheets.boards.render import missing


def loader(base: Path) -> Callable[[PictureSource, int], NDArray[np.uint8]]:
    """Loads the pictures of a board whose paths are from a folder. It raises BadArgument for one of a shot, which only
    a house knows."""

    def load(source: PictureSource, across: int) -> NDArray[np.uint8]:
        if isinstance(source, FilePicture):
            return codes_of(shown_file(base / source.path, keep_alpha=True))
        if isinstance(source, RebuiltPicture):
            return codes_of(_rebuilt(source, base))
        return missing(source, across)

    return load


def _rebuilt(source: RebuiltPicture, base: Path) -> Developed:
    ledger = Ledger.load(base / source.ledger)
    finish = Finish.load(base / source.finish) if source.finish else None
    opened, there = opener(ledger, finish, [base / folder for folder in source.folders])
    if source.frame not in there:
        raise BadArgument(f"Frame {source.frame} is not there.", where=source.ledger)
    laid, sources = opened(source.frame)
    return LedgerFrame(laid, sources).developed(
        ViewTransform(laid.space, source.view), keep_alpha=source.alpha == "keep"
    )
