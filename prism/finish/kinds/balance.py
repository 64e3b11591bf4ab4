"""Colour balance: a cast for shadows, mids and highlights."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.fields import RGB, Shown
from prism.finish.base import Domain, FinishStep, Number
from prism.finish.context import Context
from prism.finish.planes import brightness, by_channel
from prism.keyed import Within
from prism.pixels.picture import Picture

Cast = Annotated[Number, Within(-1, 1)]
ZEROS = (0.0, 0.0, 0.0)


class BalanceStep(FinishStep):
    """v + (1 - y)^2 shadows + 2 y (1 - y) mids + y^2 highlights, y the luma clamped to 0..1: weights that sum to 1.
    keep: the luma that was there is put back, the same amount on all channels."""

    title: ClassVar[str] = "balance"
    meaning: ClassVar[str] = "a cast for shadows, mids and highlights"
    domains: ClassVar[tuple[Domain, ...]] = ("display",)

    kind: Literal["balance"] = "balance"
    shadows: Annotated[tuple[Cast, Cast, Cast], Shown(title="shadows", step=0.002, digits=3, parts=RGB)] = ZEROS
    mids: Annotated[tuple[Cast, Cast, Cast], Shown(title="mids", step=0.002, digits=3, parts=RGB)] = ZEROS
    highlights: Annotated[tuple[Cast, Cast, Cast], Shown(title="highlights", step=0.002, digits=3, parts=RGB)] = ZEROS
    keep: Annotated[bool, Shown(title="keeps luminance")] = True

    @property
    def is_neutral(self) -> bool:
        """Without a cast."""
        return self.shadows == self.mids == self.highlights == ZEROS

    def effect(self, picture: Picture, context: Context) -> NDArray[np.float32]:
        """(4, H, W): pixel by pixel."""
        rgb = picture.rgba[:3]
        luma = brightness(rgb, picture.space)
        y = luma.clip(0, 1)
        rest = 1 - y
        shadows, mids, highlights = map(by_channel, (self.shadows, self.mids, self.highlights))
        out = rgb + rest * rest * shadows + 2 * y * rest * mids + y * y * highlights
        if self.keep:
            out += luma - brightness(out, picture.space)
        return np.concatenate([out, picture.rgba[3:]])
