"""Stills of 8 or 16 bits through a view: for whoever looks."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.colour.developing import Developed, develop
from prism.colour.views import VIEW_TITLES
from prism.delivery.encodings.base import (
    PICTURES,
    Destination,
    Encoding,
    Hex,
    Order,
    SubjectKind,
    View,
    Written,
    ground_of,
    require_one_name,
    transform_of,
)
from prism.delivery.ledger_frame import LedgerFrame, chosen
from prism.delivery.reading_back import require_still
from prism.errors import BadArgument
from prism.fields import Shown
from prism.formats.stills import write_display
from prism.keyed import Within
from prism.ledger.document import Ledger
from prism.pixels.file_formats import STILLS
from prism.pixels.picture import on_display
from prism.pixels.resize import scaled, scaled_window
from prism.sources.pixels import Frame

StillFormat = Literal["png", "tiff", "tga", "jpeg", "webp", "avif"]


class Looked(Encoding):
    """What is shown of a subject: what stills, movies and sheets have in common. alpha: kept, or the picture over
    `ground`. scale: of both sides."""

    subjects: ClassVar[tuple[SubjectKind, ...]] = ("finished", "rebuilt", "passes", "mattes")

    view: Annotated[View, Shown(title="view", words=VIEW_TITLES, suits=(*PICTURES, "passes"))] = "film"
    alpha: Annotated[
        Literal["over", "keep"],
        Shown(title="alpha", words={"over": "laid over a colour", "keep": "kept"}, suits=(*PICTURES, "passes")),
    ] = "over"
    ground: Annotated[Hex, Shown(title="colour below", takes="colour", when=("alpha", ("over",)))] = "#000000"
    scale: Annotated[float, Within(0.01, 4), Shown(title="scale", step=0.005, digits=3)] = 1.0

    def require(self, item: Order, ledger: Ledger, sources: Frame) -> None:
        """One pass of light, or one matte, that is there."""
        if item.subject == "passes":
            require_one_name(item.names, "passes")
            (key,) = chosen(item.names, [source.key for source in sources], "pass")
            if sources.source(key).is_data or sources.source(key).is_deep:
                raise BadArgument(
                    f"{key} holds data, which {self.title} would cut to 0..1 and squeeze.", where="names",
                    advice="Write it as OpenEXR.",
                )  # fmt: skip
        elif item.subject == "mattes":
            require_one_name(item.names, "mattes")
            chosen(item.names, [matte.id for matte in ledger.mattes], "matte")

    def shown(self, item: Order, made: LedgerFrame) -> Developed:
        """Display values of the display window, at the size that is written."""
        found = self._at_full_size(item, made)
        if self.scale == 1:
            return found
        shape = scaled_window(made.sources.display_window, self.scale).shape
        values, alpha = found.values, found.alpha
        weight = np.float32(1) if alpha is None else alpha[..., None]
        small = np.stack([scaled(plane, shape, pick=False) for plane in np.moveaxis(values * weight, -1, 0)], -1)
        if alpha is not None:
            alpha = scaled(alpha, shape, pick=False).clip(0, 1)
            small = np.divide(small, alpha[..., None], out=np.zeros_like(small), where=alpha[..., None] > 0)
        return replace(found, values=small.clip(0, 1), alpha=alpha)

    def _at_full_size(self, item: Order, made: LedgerFrame) -> Developed:
        keep = self.alpha == "keep"
        transform, ground = transform_of(self.view, made.ledger), ground_of(self.ground)
        if item.subject in ("finished", "rebuilt"):
            return made.developed(transform, finished=item.subject == "finished", keep_alpha=keep, ground=ground)
        if item.subject == "mattes":
            plane = _seen(made.matte(item.names[0])[np.newaxis], made.sources)[0].clip(0, 1)
            return Developed(np.repeat(plane[..., None], 3, axis=-1), None)
        pixels = made.sources.pixels(chosen(item.names, [each.key for each in made.sources], "pass")[0])
        alpha = np.ones_like(pixels.planes[0]) if pixels.alpha is None else pixels.alpha
        rgba = np.stack([plane.astype(np.float32) for plane in (*pixels.planes, alpha)])
        return develop(_seen(rgba, made.sources), transform, keep_alpha=keep, ground=ground)

    def remarks(self, found: Developed) -> list[str]:
        """What developing cost, counted."""
        count = found.values.shape[0] * found.values.shape[1]
        said = []
        if found.clipped:
            said.append(f"{found.clipped} of {count} pixels have light outside 0..1, clipped here.")
        if found.flattened:
            over = "black" if self.ground == "#000000" else self.ground
            said.append(f"Written without alpha: the picture is over {over}.")
        if found.glowing:
            said.append(
                f"{found.glowing} pixels glow without coverage (a sky, say); straight alpha cannot hold that. "
                "Put the picture over black to keep their light."
            )
        return said

    def look_in_words(self) -> str:
        """View, alpha and size."""
        words = [f"{VIEW_TITLES[self.view]} view"]
        words += ["alpha"] if self.alpha == "keep" else [f"over {_colour_word(self.ground)}"]
        words += [f"at {self.scale:.4g} of the size"] if self.scale != 1 else []
        return ", ".join(words)


class Still(Looked):
    """dither: of 8 bits, so that no bands show; finished pictures only, or always, or never."""

    title: ClassVar[str] = "Stills"
    meaning: ClassVar[str] = "Display values of 8 or 16 bits: to look at, to lay out, to send."

    kind: Literal["still"] = "still"
    format: Annotated[StillFormat, Shown(title="format", words={key: form.title for key, form in STILLS.items()})] = (
        "png"
    )
    bits: Annotated[Literal[8, 16], Shown(title="depth", words={"8": "8 bit", "16": "16 bit"})] = 8
    dither: Annotated[
        Literal["finished", "always", "never"],
        Shown(
            title="dither 8 bits",
            words={"finished": "finished pictures", "always": "always", "never": "never"},
            notes={"always": "A share of a code is added, so that no bands show."},
            when=("bits", ("8",)),
        ),
    ] = "finished"

    @property
    def suffix(self) -> str:
        """The suffix of its files."""
        return STILLS[self.format].suffix

    def in_words(self, item: Order) -> str:
        """Format, depth and look."""
        return f"{STILLS[self.format].title}, {self.bits} bit, {self.look_in_words()}"

    def require(self, item: Order, ledger: Ledger, sources: Frame) -> None:
        """Check that the format carries it."""
        super().require(item, ledger, sources)
        refusal = STILLS[self.format].refusal(bits=self.bits, alpha=self.alpha == "keep")
        if refusal:
            raise BadArgument(refusal, where="format")

    def add(self, item: Order, made: LedgerFrame, place: Destination) -> list[Written]:
        """Write a frame, and read it back with another library."""
        path = place.path(item, self.suffix, frame=made.number)
        return [Written(path, tuple(self.write(item, made, path)))]

    def write(self, item: Order, made: LedgerFrame, path: Path) -> list[str]:
        """At a path of one's own; what it cost."""
        found = self.shown(item, made)
        finished = item.subject == "finished" and bool(made.finish.steps)
        codes = write_display(
            path, found.values, found.alpha, bits=self.bits, pixel_aspect=made.sources.pixel_aspect,
            dithered=self.dither == "always" or (self.dither == "finished" and finished),
        )  # fmt: skip
        require_still(path, codes)
        return self.remarks(found)


def _seen(planes: NDArray, sources: Frame) -> NDArray[np.float32]:
    return on_display(planes, sources.window, sources.display_window)


def _colour_word(ground: str) -> str:
    return {"#000000": "black", "#ffffff": "white"}.get(ground.lower(), ground)
