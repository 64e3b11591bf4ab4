"""Mist: how far into the haze a depth lies, 0 at its near end and 1 at its far end and beyond (common practice)."""

from __future__ import annotations

from typing import Annotated, Any, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from prism.documents import Value

Power = Annotated[float, Field(ge=0.1, le=10)]
_POWERS = {"linear": 1.0, "quadratic": 2.0, "inverse-quadratic": 0.5}
"""The power that equals each named falloff of earlier documents."""


class Mist(Value):
    """0 up to `near`, 1 from `far` on; scene units along the viewing axis.

    power: of the share t of the way between them, the mist is t ** power: 1 rises evenly, above 1 slowly at first,
    below 1 quickly at first.
    """

    near: Annotated[float, Field(ge=0)]
    far: float
    power: Power = 1.0

    @model_validator(mode="before")
    @classmethod
    def _upgraded(cls, data: Any) -> Any:
        """Earlier documents had a start, a depth and a named falloff."""
        if not isinstance(data, dict) or not {"start", "depth"} <= data.keys():
            return data
        named = data.get("falloff", "linear")
        start, depth = data["start"], data["depth"]
        far = start + depth if isinstance(start, int | float) and isinstance(depth, int | float) else None
        return {"near": start, "far": far, "power": _POWERS.get(named, named)}

    @model_validator(mode="after")
    def _far_is_beyond(self) -> Self:
        if self.far <= self.near:
            raise ValueError(f"far ({self.far:g}) must be beyond near ({self.near:g})")
        return self


def mist_at(depth: NDArray[np.float32], mist: Mist) -> NDArray[np.float32]:
    """Mist 0..1 for depths (H, W) in scene units; infinity, where nothing is seen, is 1."""
    share = np.clip((depth - np.float32(mist.near)) / np.float32(mist.far - mist.near), 0, 1)
    return share if mist.power == 1 else share ** np.float32(mist.power)
