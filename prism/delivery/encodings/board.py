"""Boards of a delivery."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from prism.delivery.encodings.base import Closing, Encoding, Order, SubjectKind, Written
from prism.delivery.reading_back import require_page
from prism.errors import BadArgument
from prism.fields import Shown
from prism.ledger.document import Ledger
from prism.sheets.boards.costs import require_affordable
from prism.sheets.boards.document import Board
from prism.sheets.boards.render import Scale, board_page
from prism.sheets.page import write_page
from prism.sources.pixels import Frame

PREVIEWED = 1400  # pixels of the longer side


class BoardSheet(Encoding):
    """name: of a board that the shot keeps. board: its document, as it was when the delivery was ordered."""

    title: ClassVar[str] = "Board"
    meaning: ClassVar[str] = "A presentation sheet with pictures, bands and words, for print or screen."
    subjects: ClassVar[tuple[SubjectKind, ...]] = ("files",)
    per_frame: ClassVar[bool] = False
    closes: ClassVar[bool] = True
    usual_name: ClassVar[str] = "{item}/{shot}_{ledger}_v{version:03}_{item}.{suffix}"

    kind: Literal["board"] = "board"
    name: Annotated[str, Field(max_length=80), Shown(title="board", takes="source", lists="boards")] = ""
    format: Annotated[
        Literal["pdf", "png", "tif"], Shown(title="format", words={"pdf": "PDF", "png": "PNG", "tif": "TIFF"})
    ] = "pdf"
    board: Board | None = None

    @property
    def suffix(self) -> str:
        """The suffix of the sheet."""
        return self.format

    def in_words(self, item: Order) -> str:
        """Which board, how large, and the format."""
        if self.board is None:
            return f"board {self.name or 'not chosen'}, {self.format.upper()}"
        width, height = self.board.size
        return f"board {self.board.name}, {width} x {height} pixels, {self.format.upper()}"

    def require(self, item: Order, ledger: Ledger, sources: Frame) -> None:
        """A board that is there, of a size that memory holds."""
        if self.board is None:
            raise BadArgument(
                f"There is no board {self.name}." if self.name else "No board was chosen.", where="board",
                advice="Make one under Boards, or choose another.",
            )  # fmt: skip
        require_affordable(self.board, Scale.of(self.board))

    def close(self, item: Order, closing: Closing) -> list[Written]:
        """The sheet."""
        assert self.board is not None  # `require` was asked
        path = closing.place.path(item, self.suffix)
        page = board_page(self.board, closing.pictures, is_stale=closing.is_stale)
        write_page(page, path, author=closing.record["author"])
        require_page(path, page)
        lines = len(page.words)
        remarks = (f"{lines} lines are text in the PDF.",) if self.format == "pdf" and lines else ()
        return [Written(path, remarks + self.board.remarks)]

    def previewed(self) -> Self:
        """With fewer dots to an inch, as a picture."""
        assert self.board is not None  # `require` was asked
        board = self.board
        if board.unit != "px":
            board = board.replace(dpi=max(1.0, board.dpi * min(1.0, PREVIEWED / max(board.size))))
        return self.replace(format="png", board=board)
