"""Stills: 8- and 16-bit pictures through the view transform, and planes as they are. The one place that writes them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from prism.colour.view import ViewTransform, apply_exactly
from prism.errors import BadArgument, UnwritableFile
from prism.formats.safe import replacing
from prism.pixels.file_formats import WRITTEN, FileFormat, format_of

AfterView = Callable[[NDArray[np.float32], NDArray[np.float32]], NDArray[np.float32]]
DITHER = 20_261_129  # where the shares of a code that are added begin


@dataclass(frozen=True, slots=True)
class StillReport:
    """What writing cost, in pixels."""

    clipped: int  # light outside the display range
    flattened: bool  # alpha was laid over black
    glowing: int  # brighter than their alpha allows, as a sky with alpha 0 is: division cannot hold that


def write_still(
    path: Path,
    rgba: NDArray[np.float32],
    transform: ViewTransform,
    *,
    bits: int = 8,
    keep_alpha: bool = True,
    compression: str | None = None,
    pixel_aspect: float = 1.0,
    after_view: AfterView | None = None,
) -> StillReport:
    """Write a premultiplied scene-linear (4, H, W) picture as display values, whole or not at all.

    With alpha, colour is divided by it before the view transform, since the curve is made for whole light; the result
    is stored as the format expects (PNG straight, TIFF premultiplied). Without, the picture is over black.
    compression: one the format has, None for its usual one. after_view: what is done to the display values (H, W, 3)
    with their alpha (H, W); codes of 8 bits are dithered then. Raises BadArgument for a depth the format does not have,
    UnwritableFile.
    """
    path = Path(path)
    form = still_format(path)
    if bits not in form.bits:
        raise BadArgument(f"{path.suffix} has no {bits} bits.", where=str(path), advice=f"Use {form.bits[0]}.")
    colour, alpha = np.moveaxis(rgba[:3], 0, -1), rgba[3].clip(0, 1)
    carries = form.has_alpha and keep_alpha
    if carries:
        # Light without coverage (a glow with alpha 0) has nothing to be divided by and stays as it is.
        colour = np.divide(colour, alpha[..., None], out=colour.copy(), where=alpha[..., None] > 0)
    shown = apply_exactly(colour, transform)
    if after_view is not None:
        shown = after_view(shown, alpha if carries else np.ones_like(alpha))
    colours = np.moveaxis(rgba[:3], 0, -1)
    clipped = int(((colours < 0) | (colours > 1)).any(axis=-1).sum()) if transform.view == "srgb" else 0
    glowing = int((((colour > 1) & (colours <= 1)).any(axis=-1) | ((alpha == 0) & (colours > 0).any(axis=-1))).sum())
    if carries:
        shown = np.dstack([shown if form.straight else shown * alpha[..., None], alpha])
    _write(path, to_codes(shown, bits, dithered=after_view is not None), form, compression, pixel_aspect)
    return StillReport(clipped, not carries and bool((alpha < 1).any()), glowing if carries else 0)


def write_values(
    path: Path,
    planes: Sequence[NDArray[np.float32]],
    *,
    pixel: str,
    compression: str | None = None,
    pixel_aspect: float = 1.0,
) -> None:
    """Write (H, W) planes as they are, whole or not at all: float unclipped, whole numbers from 0..1 without a curve.

    pixel: float, uint8 or uint16. Raises UnwritableFile.
    """
    values = np.stack(list(planes), axis=-1).astype(np.float32)
    stored = values if pixel == "float" else to_codes(values.clip(0, 1), 8 if pixel == "uint8" else 16)
    _write(Path(path), stored, still_format(path), compression, pixel_aspect)


def still_format(path: Path) -> FileFormat:
    """The format of a still to be written. Raises BadArgument naming those there are."""
    found = format_of(Path(path).name)
    if found is None or not found.options:
        stills = ", ".join(f".{suffix}" for form in WRITTEN.values() if form.options for suffix in form.suffixes[:2])
        raise BadArgument(
            f"Unknown format {Path(path).suffix or 'without suffix'}.", where=str(path), advice=f"Use .exr, {stills}."
        )
    return found


def to_codes(shown: NDArray[np.float32], bits: int, *, dithered: bool = False) -> NDArray:
    """code = floor(v (2^n - 1) + 1/2), which unlike rounding to even treats all steps alike.

    dithered: of 8 bits, an even share of a code is added before: the mean of many pixels is then v, so that no bands
    show. What is a code already stays that one. The shares are the same for every file of that size.
    """
    top = (1 << bits) - 1
    codes = shown.astype(np.float64) * top + 0.5
    if dithered and bits == 8:
        codes += np.random.default_rng(DITHER).random(codes.shape) - 0.5
        codes = codes.clip(0, top + 0.5)
    return np.floor(codes).astype(np.uint8 if bits == 8 else np.uint16)


def _write(path: Path, pixels: NDArray, form: FileFormat, compression: str | None, pixel_aspect: float) -> None:
    height, width, count = pixels.shape
    spec = oiio.ImageSpec(width, height, count, str(pixels.dtype).replace("float32", "float"))
    if pixels.dtype != np.float32:
        spec.attribute("oiio:ColorSpace", "sRGB")
    spec.attribute("PixelAspectRatio", float(pixel_aspect))
    if count == 4 and form.straight:
        spec.attribute("oiio:UnassociatedAlpha", 1)  # the values are straight already: no division by the library
    for name, setting in form.options.items():
        spec.attribute(name, setting)
    if compression is not None and "compression" in form.options:
        spec.attribute("compression", compression)
    with replacing(path) as temporary:
        target = oiio.ImageOutput.create(str(temporary))
        if target is None or not target.open(str(temporary), spec):
            raise UnwritableFile(
                f"Cannot be written: {oiio.geterror() if target is None else target.geterror()}.", where=str(path)
            )
        written = target.write_image(np.ascontiguousarray(pixels))
        reason = target.geterror() if not written else ""
        closed = target.close()
        if not (written and closed):
            raise UnwritableFile(
                f"Cannot be written: {reason or target.geterror()}.", where=str(path), advice="Is the disk full?"
            )
