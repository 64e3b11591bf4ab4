"""From light to display values, and the steps that work on those."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from prism.colour.developing import BLACK, Colour, Developed, develop
from prism.colour.view import ViewTransform
from prism.finish.base import Domain, FinishStep
from prism.finish.context import Context
from prism.finish.evaluate import finished
from prism.finish.planes import DISPLAY
from prism.limits import Stale, never
from prism.pixels.picture import Picture


def of_domain(steps: Sequence[FinishStep], domain: Domain) -> tuple[FinishStep, ...]:
    """The steps that work on light, or on display values."""
    return tuple(step for step in steps if step.domain == domain)


def developed(
    picture: Picture, transform: ViewTransform, *, keep_alpha: bool, ground: Colour = BLACK
) -> tuple[Picture, Developed]:
    """The part of a picture of light in its display window as display values, exactly, with what that cost; see
    `develop`. Over a colour its alpha is 1."""
    shown = develop(picture.on_display, transform, keep_alpha=keep_alpha, ground=ground)
    alpha = np.ones(shown.values.shape[:2], np.float32) if shown.alpha is None else shown.alpha
    rgba = np.concatenate([np.moveaxis(shown.values, -1, 0), alpha[np.newaxis]])
    return as_display(picture, rgba), shown


def as_display(picture: Picture, rgba: NDArray[np.float32]) -> Picture:
    """Display values (4, h, w) of a picture's display window; colour is straight."""
    return replace(picture, rgba=np.ascontiguousarray(rgba), window=picture.display_window, space=DISPLAY)


def on_display_values(
    picture: Picture, steps: Sequence[FinishStep], context: Context, *, is_stale: Stale = never
) -> Picture:
    """Display values after the steps that work on those, 0..1 again at the end: no display shows more. What is not a
    number becomes 0."""
    after = finished(picture, of_domain(steps, "display"), context, is_stale=is_stale)
    return after.with_rgba(np.nan_to_num(after.rgba, nan=0.0).clip(0, 1))
