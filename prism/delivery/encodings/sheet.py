"""Contact sheets of a delivery: of its frames, or of the passes of each frame."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePath
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from prism.colour.view import ViewTransform
from prism.colour.views import VIEW_TITLES
from prism.delivery.encodings.base import PICTURES, Closing, Destination, Order, SubjectKind, View, Written
from prism.delivery.encodings.still import Looked
from prism.delivery.files import codes_of
from prism.delivery.ledger_frame import LedgerFrame
from prism.delivery.reading_back import require_page
from prism.errors import BadArgument
from prism.fields import Shown
from prism.ledger.document import Ledger
from prism.sheets.boards.elements import PictureSource
from prism.sheets.contact import Entry, SheetLayout, contact_sheet, require_caption
from prism.sheets.page import require_size, write_page
from prism.sources.pixels import Frame
from prism.viewing.picture import Look, source_picture, step_for, to_screen

_OF = {
    "frames": "every frame",
    "passes": "every pass of the first frame",
    "chosen": "each of those chosen",
}
_LAYOUT = [name for name in SheetLayout.model_fields if name not in ("format", "version")]


class Sheet(Looked):
    """of: every frame as the item's subject, or every pass of the first frame, each in its best remap. The rest is a
    SheetLayout."""

    title: ClassVar[str] = "Contact sheet"
    meaning: ClassVar[str] = "All frames, or all passes, on one sheet."
    subjects: ClassVar[tuple[SubjectKind, ...]] = (*PICTURES, "passes", "mattes")
    per_frame: ClassVar[bool] = False
    closes: ClassVar[bool] = True
    usual_name: ClassVar[str] = "{item}/{shot}_{ledger}_v{version:03}_{item}.{suffix}"

    kind: Literal["sheet"] = "sheet"
    format: Annotated[
        Literal["png", "tif", "exr", "pdf"],
        Shown(title="format", words={"png": "PNG", "tif": "TIFF", "exr": "OpenEXR, light", "pdf": "PDF"}),
    ] = "png"
    of: Annotated[Literal["frames", "passes", "chosen"], Shown(title="one picture for", words=_OF)] = "frames"
    chosen: Annotated[
        tuple[PictureSource, ...],
        Field(max_length=2000),
        Shown(title="pictures", takes="pictures", when=("of", ("chosen",))),
    ] = ()
    view: Annotated[View, Shown(title="view", words=VIEW_TITLES, when=("of", ("frames", "passes")))] = "film"
    alpha: Annotated[
        Literal["over", "keep"],
        Shown(title="alpha", words={"over": "laid over a colour", "keep": "kept"}, when=("of", ("frames",))),
    ] = "over"
    scale: float = Field(1.0, ge=1, le=1)  # a picture takes the size of its cell
    columns: Annotated[int, *SheetLayout.model_fields["columns"].metadata] = 4
    cell_width: Annotated[int, *SheetLayout.model_fields["cell_width"].metadata] = 480
    cell_height: Annotated[int, *SheetLayout.model_fields["cell_height"].metadata] = 300
    gap: Annotated[int, *SheetLayout.model_fields["gap"].metadata] = 16
    margin: Annotated[int, *SheetLayout.model_fields["margin"].metadata] = 32
    background: Annotated[str, *SheetLayout.model_fields["background"].metadata] = "#1b1b1b"
    fill: Annotated[Literal["fit", "fill"], *SheetLayout.model_fields["fill"].metadata] = "fit"
    caption: Annotated[str, *SheetLayout.model_fields["caption"].metadata] = "{frame}"
    heading: Annotated[str, *SheetLayout.model_fields["title"].metadata] = ""
    letters: Annotated[int, *SheetLayout.model_fields["letters"].metadata] = 16
    dpi: Annotated[float, *SheetLayout.model_fields["dpi"].metadata] = 150.0

    @property
    def suffix(self) -> str:
        """The suffix of the sheet."""
        return self.format

    @property
    def layout(self) -> SheetLayout:
        """Its grid."""
        fields = {name: getattr(self, name) for name in _LAYOUT if name not in ("title",)}
        return SheetLayout(**fields, title=self.heading)

    def in_words(self, item: Order) -> str:
        """Grid and format."""
        each = f"{len(self.chosen)} pictures" if self.of == "chosen" else _OF[self.of]
        return f"{each}, {self.columns} columns of {self.cell_width} x {self.cell_height}, {self.format.upper()}"

    def require(self, item: Order, ledger: Ledger, sources: Frame) -> None:
        """A caption that can be filled in, and a size."""
        if self.of == "frames":
            super().require(item, ledger, sources)
        if self.of == "chosen" and not self.chosen:
            raise BadArgument("No pictures were chosen for the sheet.", where="chosen", advice="Add a shot's frames.")
        require_caption(self.caption)
        require_caption(self.heading)
        count = {"passes": sum(not source.is_deep for source in sources), "chosen": len(self.chosen)}
        require_size(*self.layout.size(count.get(self.of, 1)))

    def close(self, item: Order, closing: Closing) -> list[Written]:
        """The sheet, of the frames that are there."""
        path = closing.place.path(item, self.suffix)
        frames = [record["frame"] for record in closing.record["frames"]]
        if self.of == "chosen":
            entries = self._chosen(closing)
        else:
            entries = self._passes(closing, frames) if self.of == "passes" else self._frames(item, closing, frames)
        page = contact_sheet(list(entries), self.layout, title_fields={**closing.place.fields, "frame": frames[0]})
        write_page(page, path, author=closing.record["author"])
        require_page(path, page)
        missing = len(set(closing.frames) - set(frames)) if self.of == "frames" else 0
        remarks = (f"{missing} missing frames are excluded.",) if missing else ()
        return [Written(path, remarks + page.remarks)]

    def previewed(self) -> Self:
        """As a picture that is quick to write."""
        return self.replace(format="png")

    def _frames(self, item: Order, closing: Closing, frames: list[int]) -> Iterator[Entry]:
        for place, number in enumerate(frames):

            def load(place: int = place, number: int = number) -> NDArray[np.uint8]:
                closing.on_progress(place / len(frames))
                return codes_of(self.shown(item, closing.made(number)))

            yield Entry(load, {**_captions(closing.place), "frame": number, "name": f"frame {number}"})

    def _chosen(self, closing: Closing) -> Iterator[Entry]:
        for place, source in enumerate(self.chosen):

            def load(place: int = place, source: PictureSource = source) -> NDArray[np.uint8]:
                closing.on_progress(place / len(self.chosen))
                return closing.pictures(source, self.cell_width)

            said = source.model_dump()
            name = said.get("path") or f"{said.get('shot', '')} {said['frame']}".strip()
            fields = {key: said[key] for key in ("shot", "frame", "version") if key in said}
            yield Entry(load, {**fields, "name": name, "stem": PurePath(name).stem})

    def _passes(self, closing: Closing, frames: list[int]) -> Iterator[Entry]:
        made: LedgerFrame = closing.made(frames[0])
        look = Look(transform=ViewTransform(made.ledger.space, self.view))
        step = step_for(made.sources.display_window, max(self.cell_width, self.cell_height))
        for source in made.sources:
            if source.is_deep or source.excluded:
                continue

            def load(key: str = source.key) -> NDArray[np.uint8]:
                picture, data = source_picture(made.sources, key, step=step)
                return to_screen(picture.on_display, look, data=data)

            fields = {**_captions(closing.place), "frame": frames[0], "name": source.title, "pass": source.key}
            yield Entry(load, fields)


def _captions(place: Destination) -> dict[str, object]:
    return {name: place.fields[name] for name in ("shot", "ledger", "version") if name in place.fields}
