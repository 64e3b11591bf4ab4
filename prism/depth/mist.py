"""Mist: how far into the haze a depth lies, 0 at its start and 1 at its end and beyond (common practice)."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from prism.documents import Value


class Mist(Value):
    """0 up to `start`, 1 from `start + depth` on; scene units along the viewing axis.

    falloff: of the share t of the way, linear is t, quadratic t², inverse-quadratic √t.
    """

    start: Annotated[float, Field(ge=0)]
    depth: Annotated[float, Field(gt=0)]
    falloff: Literal["linear", "quadratic", "inverse-quadratic"] = "linear"

    @property
    def end(self) -> float:
        return self.start + self.depth


def mist_at(depth: NDArray[np.float32], mist: Mist) -> NDArray[np.float32]:
    """Mist 0..1 for depths in scene units; what lies beyond all depths (1e10, infinity) is 1."""
    share = np.clip((depth - np.float32(mist.start)) / np.float32(mist.depth), 0, 1)
    return {"linear": lambda t: t, "quadratic": np.square, "inverse-quadratic": np.sqrt}[mist.falloff](share)
