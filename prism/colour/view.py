"""From scene-linear to display values, exactly by OpenColorIO or quickly by a baked table.

The configuration is one that ships inside OpenColorIO, named in full: "default" means different things in different
builds. A view is the plain sRGB encoding, or the ACES 2.0 rendering for a standard monitor, with its film-like
shoulder.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from llvmlite import ir
from numba import types
from numba.extending import intrinsic
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.colour.spaces import conversion, encode_srgb, require_space
from prism.colour.views import VIEWS
from prism.compiled import compiled
from prism.errors import BadArgument

CONFIG = "cg-config-v5.0.0_aces-v2.1_ocio-v2.6"
DISPLAY = "sRGB - Display"
_OCIO_SPACES = {"lin_rec709": "Linear Rec.709 (sRGB)", "acescg": "ACEScg", "aces2065_1": "ACES2065-1"}

TABLE_SIDE = 65
TABLE_LOW, TABLE_HIGH = -10.0, 8.0  # stops about 1.0 that the table spans; beyond is held at its faces
BLUE_STEP, GREEN_STEP, RED_STEP = 3, 3 * TABLE_SIDE, 3 * TABLE_SIDE**2  # in the flat table
STEPS_PER_STOP = np.float32((TABLE_SIDE - 1) / (TABLE_HIGH - TABLE_LOW))
TABLE_FOOT = np.float32(2 ** (TABLE_LOW + 1 / STEPS_PER_STOP))  # second entry of the axis; below it the axis is linear
BAND_ROWS = 64
SMALL_PICTURE = 200_000  # pixels that one thread puts on the screen sooner than several can share them out


@dataclass(frozen=True, slots=True)
class ViewTransform:
    """Working space and view; both by the short names of spaces.SPACES and VIEWS."""

    space: str = "lin_rec709"
    view: str = "srgb"

    def __post_init__(self) -> None:
        require_space(self.space)
        if self.view not in VIEWS:
            raise BadArgument(f"Unknown view {self.view}.", advice=f"Use {', '.join(VIEWS)}.")


def apply_exactly(rgb: NDArray[np.float32], transform: ViewTransform) -> NDArray[np.float32]:
    """Display values 0..1 of scene-linear straight colour; rgb and result are (H, W, 3) float32.

    NaN becomes 0 and infinities the largest finite values first: OpenColorIO turns +inf to 0 in some matrices. The
    other channels of such a pixel are as if those were no brighter than they are themselves. About a second for
    1920 x 1080 with the film-like view: for delivery. Previews use `apply_quickly`.
    """
    clean = np.nan_to_num(rgb, nan=0.0, posinf=float(LARGEST), neginf=-float(LARGEST)).astype(np.float32)
    pixels = np.ascontiguousarray(clean)
    processor = _processor(transform)
    run_bands(lambda first, end: _apply_rows(processor, pixels, first, end), pixels.shape[0], BAND_ROWS)
    endless = np.isinf(rgb).any(axis=-1)
    if endless.any():
        tamed = np.ascontiguousarray(_tamed(rgb[endless].T)[:3].T)[np.newaxis]
        processor.applyRGB(tamed)
        pixels[endless] = np.where(np.isinf(rgb[endless]), pixels[endless], tamed[0])
    return pixels.clip(0, 1, out=pixels)


def _tamed(rgb: NDArray[np.float32]) -> NDArray[np.float32]:
    """Pixels (3, N) with infinities as bright as the brightest of their channels that are numbers."""
    known = np.where(np.isfinite(rgb), rgb, np.float32(0))
    brightest = known.max(axis=0)
    return np.where(np.isinf(rgb), np.copysign(np.abs(brightest), rgb), known).astype(np.float32)


def apply_quickly(
    rgba: NDArray[np.float32], transform: ViewTransform, *, gain: float = 1.0, gamma: float = 1.0
) -> NDArray[np.uint8]:
    """Display bytes (H, W, 3) of a premultiplied scene-linear (4, H, W) picture over black.

    Uses a table of the view, baked once: within 1 code of `apply_exactly` for plain sRGB, and within 2 codes for the
    film view on all but strongly coloured light (see the tests). gain multiplies first; gamma is a power 1/gamma on the
    display values. Not a number is drawn black.
    """
    srgb = transform.view == "srgb"
    return _through_tables(rgba, transform, gain, _srgb_codes(gamma) if srgb else _display_codes(gamma))


def display_quickly(rgba: NDArray[np.float32], transform: ViewTransform, *, gain: float = 1.0) -> NDArray[np.float32]:
    """Display values (3, H, W), 0..1, of a premultiplied scene-linear (4, H, W) picture over black, by the same tables
    as `apply_quickly`: for what goes on working with them."""
    values = _srgb_values() if transform.view == "srgb" else np.linspace(0, 1, CODE_SIZE, dtype=np.float32)
    return np.ascontiguousarray(np.moveaxis(_through_tables(rgba, transform, gain, values), -1, 0))


def _through_tables(
    rgba: NDArray[np.float32], transform: ViewTransform, gain: float, last: NDArray[Any]
) -> NDArray[Any]:
    """(H, W, 3) of what the table at the end holds: codes, or display values. That is over light for plain sRGB, over
    display values for the other views."""
    height, width = rgba.shape[1:]
    out = np.empty((height, width, 3), last.dtype)
    flat_out = out.reshape(-1)
    planes = [np.ascontiguousarray(plane).reshape(-1) for plane in rgba[:3]]
    tables: tuple[Any, ...]
    if transform.view == "srgb":
        band, tables = _encode_band, (_to_rec709(transform.space) * np.float32(gain), last)
    else:
        band, tables = _cube_band, (np.float32(gain), _places(), _cube(transform), last)
    alone = 0 if height * width > SMALL_PICTURE else height
    run_bands(
        lambda first, end: band(*planes, *tables, flat_out, first * width, end * width), height, BAND_ROWS, alone=alone
    )
    endless = np.flatnonzero(np.isinf(planes).any(axis=0)) if any(map(_has_infinity, planes)) else ()
    if len(endless):  # an infinite channel changes no other
        given = np.stack([plane[endless] for plane in planes])
        others = _through_tables(_tamed(given)[:, np.newaxis], transform, gain, last)[0]
        found = out.reshape(-1, 3)
        found[endless] = np.where(np.isinf(given.T), found[endless], others)
    return out


@cache
def _processor(transform: ViewTransform) -> ocio.CPUProcessor:
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    view = ocio.DisplayViewTransform(src=_OCIO_SPACES[transform.space], display=DISPLAY, view=VIEWS[transform.view])
    # Unoptimised: the default processor trades up to 1.6e-4 for speed.
    return config.getProcessor(view).getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)


def _apply_rows(processor, pixels: NDArray[np.float32], first: int, end: int) -> None:
    processor.applyRGB(pixels[first:end])


CODE_SIZE = 16384  # display values in the table of codes: fine enough not to move a code over a rounding edge by itself
LARGEST = np.float32(65504)  # stands for infinity

# Tables over light are looked up by the leading bits of the float itself: sign, exponent and 11 bits of mantissa, so
# that every stop has 2048 entries and none needs a logarithm or a power. The error is at most 2^-12 of the light.
DROPPED_BITS = np.uint32(12)
INFINITY_BITS = np.uint32(0x7F800000)  # IEEE 754 binary32; NaN and negative numbers lie above, as whole numbers
LIGHT_TABLE_SIZE = (int(INFINITY_BITS) >> int(DROPPED_BITS)) + 1


@intrinsic
def _float_bits(typing_context, value):
    """The bits of a float32 as a whole number."""

    def generate(context, builder, signature, args):
        return builder.bitcast(args[0], ir.IntType(32))

    return types.uint32(types.float32), generate


@cache
def _light_of_table() -> NDArray[np.float64]:
    """The light in the middle of every entry of a table over light; the last entry is infinity."""
    bits = (np.arange(LIGHT_TABLE_SIZE, dtype=np.uint32) << DROPPED_BITS) + np.uint32(1 << (int(DROPPED_BITS) - 1))
    bits[-1] = INFINITY_BITS
    return bits.view(np.float32).astype(np.float64)


@lru_cache(maxsize=16)
def _srgb_codes(gamma: float) -> NDArray[np.uint8]:
    """8-bit codes of light through the sRGB curve and the viewer's gamma, over the table of light."""
    return np.floor(encode_srgb(_light_of_table()) ** (1 / gamma) * 255 + 0.5).astype(np.uint8)


@cache
def _srgb_values() -> NDArray[np.float32]:
    """Display values of light through the sRGB curve, over the table of light."""
    return encode_srgb(_light_of_table()).clip(0, 1).astype(np.float32)


@lru_cache(maxsize=16)
def _display_codes(gamma: float) -> NDArray[np.uint8]:
    """8-bit codes of CODE_SIZE display values from 0 to 1, after the viewer's gamma."""
    values = np.linspace(0, 1, CODE_SIZE) ** (1 / gamma)
    return np.floor(values * 255 + 0.5).astype(np.uint8)


@cache
def _places() -> NDArray[np.float32]:
    """Where light lies on an axis of the cube, in steps from its foot, over the table of light."""
    light = _light_of_table()
    with np.errstate(divide="ignore"):
        stepped = (np.log2(light) - TABLE_LOW) * STEPS_PER_STOP
    return np.where(light < TABLE_FOOT, light / TABLE_FOOT, stepped).clip(0, TABLE_SIDE - 1).astype(np.float32)


@cache
def _to_rec709(space: str) -> NDArray[np.float32]:
    return np.ascontiguousarray(conversion(space, "lin_rec709"), np.float32)


@cache
def _cube(transform: ViewTransform) -> NDArray[np.float32]:
    """The view at TABLE_SIDE^3 points spaced evenly in stops, flat: red slowest, three display values a point."""
    stops = np.linspace(TABLE_LOW, TABLE_HIGH, TABLE_SIDE)
    axis = np.exp2(stops).astype(np.float32)
    axis[0] = 0  # so that black stays black
    red, green, blue = np.meshgrid(axis, axis, axis, indexing="ij")
    points = np.stack([red, green, blue], axis=-1).reshape(TABLE_SIDE * TABLE_SIDE, TABLE_SIDE, 3)
    return apply_exactly(points, transform).reshape(-1)


@compiled
def _entry(light):
    """Entry of a table over light; the first, which is black, for negative light and NaN."""
    bits = _float_bits(light)
    return bits >> DROPPED_BITS if bits <= INFINITY_BITS else np.uint32(0)


@compiled
def _has_infinity(plane):
    """Whether any value is infinite."""
    found = 0
    for i in range(plane.size):
        found += abs(plane[i]) == np.float32(np.inf)
    return found > 0


@compiled
def _finite(v):
    """NaN to 0 and infinities to the largest half, as `apply_exactly` does."""
    return min(LARGEST, max(-LARGEST, v)) if v == v else np.float32(0)


@compiled
def _encode_band(red, green, blue, matrix, codes, out, first, end):
    """Light through a matrix and a table of codes."""
    for i in range(first, end):
        r, g, b = _finite(red[i]), _finite(green[i]), _finite(blue[i])
        for channel in range(3):
            light = matrix[channel, 0] * r + matrix[channel, 1] * g + matrix[channel, 2] * b
            out[3 * i + channel] = codes[_entry(light)]


@compiled
def _cube_band(red, green, blue, gain, places, cube, codes, out, first, end):
    """Tetrahedral: between the four corners of the cell on the way from its dark to its bright end.

    Half the reads of the trilinear eight, and greys stay grey, since the diagonal is an edge of every tetrahedron.
    """
    last = TABLE_SIDE - 2
    for i in range(first, end):
        x = places[_entry(red[i] * gain)]
        y = places[_entry(green[i] * gain)]
        z = places[_entry(blue[i] * gain)]
        a = min(int(x), last)
        b = min(int(y), last)
        c = min(int(z), last)
        x -= np.float32(a)
        y -= np.float32(b)
        z -= np.float32(c)
        if x >= y:
            if y >= z:
                first_step, both_steps, large, middle, small = RED_STEP, RED_STEP + GREEN_STEP, x, y, z
            elif x >= z:
                first_step, both_steps, large, middle, small = RED_STEP, RED_STEP + BLUE_STEP, x, z, y
            else:
                first_step, both_steps, large, middle, small = BLUE_STEP, RED_STEP + BLUE_STEP, z, x, y
        elif x >= z:
            first_step, both_steps, large, middle, small = GREEN_STEP, RED_STEP + GREEN_STEP, y, x, z
        elif y >= z:
            first_step, both_steps, large, middle, small = GREEN_STEP, GREEN_STEP + BLUE_STEP, y, z, x
        else:
            first_step, both_steps, large, middle, small = BLUE_STEP, GREEN_STEP + BLUE_STEP, z, y, x
        dark = a * RED_STEP + b * GREEN_STEP + c * BLUE_STEP
        bright = dark + RED_STEP + GREEN_STEP + BLUE_STEP
        for channel in range(3):
            display = cube[dark + channel] * (np.float32(1) - large) + cube[dark + first_step + channel] * (
                large - middle
            )
            display += cube[dark + both_steps + channel] * (middle - small) + cube[bright + channel] * small
            out[3 * i + channel] = codes[int(display * np.float32(CODE_SIZE - 1) + np.float32(0.5))]
