"""From scene-linear to display values, exactly by OpenColorIO or quickly by a baked table.

The configuration is one that ships inside OpenColorIO, named in full: "default" means different things in different
builds. A view is the plain sRGB encoding, or the ACES 2.0 rendering for a standard monitor, with its film-like shoulder.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from types import MappingProxyType

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled
from prism.errors import BadArgument

CONFIG = "cg-config-v5.0.0_aces-v2.1_ocio-v2.6"
DISPLAY = "sRGB - Display"
VIEWS = MappingProxyType({"srgb": "Un-tone-mapped", "film": "ACES 2.0 - SDR 100 nits (Rec.709)"})
VIEW_TITLES = MappingProxyType({"srgb": "plain sRGB", "film": "film-like (ACES 2.0)"})
SPACES = MappingProxyType({"lin_rec709": "linear Rec.709", "acescg": "ACEScg", "aces2065_1": "ACES2065-1"})
_OCIO_SPACES = {"lin_rec709": "Linear Rec.709 (sRGB)", "acescg": "ACEScg", "aces2065_1": "ACES2065-1"}

TABLE_SIDE = 65
TABLE_LOW, TABLE_HIGH = -10.0, 8.0  # stops about 1.0 that the table spans; beyond is held at its faces
STEPS_PER_STOP = np.float32((TABLE_SIDE - 1) / (TABLE_HIGH - TABLE_LOW))
TABLE_FOOT = np.float32(2 ** (TABLE_LOW + 1 / STEPS_PER_STOP))  # second entry of the axis; below it the axis is linear
BAND_ROWS = 64


@dataclass(frozen=True, slots=True)
class ViewTransform:
    """Working space and view; both by the short names of SPACES and VIEWS."""

    space: str = "lin_rec709"
    view: str = "srgb"

    def __post_init__(self) -> None:
        for name, known, what in ((self.space, SPACES, "working space"), (self.view, VIEWS, "view")):
            if name not in known:
                raise BadArgument(f"Unknown {what} {name}.", advice=f"Use {', '.join(known)}.")


def apply_exactly(rgb: NDArray[np.float32], transform: ViewTransform) -> NDArray[np.float32]:
    """Display values 0..1 of scene-linear straight colour; rgb and result are (H, W, 3) float32.

    NaN becomes 0 and infinities the largest finite values first, since OpenColorIO turns +inf to 0 in some matrices.
    About a second for 1920 x 1080 with the film-like view: for delivery. Previews use `apply_quickly`.
    """
    clean = np.nan_to_num(rgb, nan=0.0, posinf=LARGEST, neginf=-LARGEST).astype(np.float32)
    pixels = np.ascontiguousarray(clean)
    processor = _processor(transform)
    run_bands(lambda first, end: _apply_rows(processor, pixels, first, end), pixels.shape[0], BAND_ROWS)
    return pixels.clip(0, 1, out=pixels)


def apply_quickly(
    rgba: NDArray[np.float32], transform: ViewTransform, *, gain: float = 1.0, gamma: float = 1.0
) -> NDArray[np.uint8]:
    """Display bytes (H, W, 3) of a premultiplied scene-linear (4, H, W) picture over black.

    Uses a table of the view, baked once: within 1 code of `apply_exactly` for plain sRGB, and within 2 codes for the film
    view on all but strongly coloured light (see the tests). gain multiplies first; gamma is a power 1/gamma on the
    display values. Not a number is drawn black.
    """
    height, width = rgba.shape[1:]
    out = np.empty((height, width, 3), np.uint8)
    curve = _gamma_codes(gamma)
    flat_out = out.reshape(-1)
    planes = [np.ascontiguousarray(plane).reshape(-1) for plane in rgba[:3]]
    if transform.view == "srgb":
        band, tables = _encode_band, (_to_rec709(transform.space) * np.float32(gain), _srgb_table())
    else:
        band, tables = _cube_band, (np.float32(gain), _cube(transform))
    run_bands(lambda first, end: band(*planes, *tables, curve, flat_out, first * width, end * width), height, BAND_ROWS)
    return out


@cache
def _processor(transform: ViewTransform) -> ocio.CPUProcessor:
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    view = ocio.DisplayViewTransform(src=_OCIO_SPACES[transform.space], display=DISPLAY, view=VIEWS[transform.view])
    # Unoptimised: the default processor trades up to 1.6e-4 for speed.
    return config.getProcessor(view).getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)


def _apply_rows(processor, pixels: NDArray[np.float32], first: int, end: int) -> None:
    processor.applyRGB(pixels[first:end])


CURVE_SIZE = 4096  # linear values in the table of the sRGB curve
CODE_SIZE = 16384  # display values in the table of codes: fine enough not to move a code over a rounding edge by itself
LARGEST = np.float32(65504)  # stands for infinity


@cache
def _gamma_codes(gamma: float) -> NDArray[np.uint8]:
    """8-bit codes of CODE_SIZE display values from 0 to 1, after the viewer's gamma."""
    values = np.linspace(0, 1, CODE_SIZE) ** (1 / gamma)
    return np.floor(values * 255 + 0.5).astype(np.uint8)


@cache
def _to_rec709(space: str) -> NDArray[np.float32]:
    """(3, 3) matrix from a working space to linear Rec.709, read off OpenColorIO (Bradford adaptation)."""
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    processor = config.getProcessor(_OCIO_SPACES[space], _OCIO_SPACES["lin_rec709"])
    columns = np.eye(3, dtype=np.float32)
    processor.getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE).applyRGB(columns)
    return np.ascontiguousarray(columns.T)


@cache
def _srgb_table() -> NDArray[np.float32]:
    """The sRGB curve at square roots spaced evenly, which puts most entries where the curve bends.

    Source: IEC 61966-2-1.
    """
    linear = np.linspace(0, 1, CURVE_SIZE) ** 2
    encoded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    return encoded.astype(np.float32)


@cache
def _cube(transform: ViewTransform) -> NDArray[np.float32]:
    """The view at TABLE_SIDE^3 points spaced evenly in stops, (side, side, side, 3)."""
    stops = np.linspace(TABLE_LOW, TABLE_HIGH, TABLE_SIDE)
    axis = np.exp2(stops).astype(np.float32)
    axis[0] = 0  # so that black stays black
    red, green, blue = np.meshgrid(axis, axis, axis, indexing="ij")
    points = np.stack([red, green, blue], axis=-1).reshape(TABLE_SIDE * TABLE_SIDE, TABLE_SIDE, 3)
    return apply_exactly(points, transform).reshape(TABLE_SIDE, TABLE_SIDE, TABLE_SIDE, 3)


@compiled
def _code(display, curve):
    return curve[int(min(1.0, max(0.0, display)) * (CODE_SIZE - 1) + 0.5)]


@compiled
def _finite(v):
    """NaN to 0 and infinities to the largest half, as `apply_exactly` does."""
    return min(LARGEST, max(-LARGEST, v)) if v == v else np.float32(0)


@compiled
def _encode_band(red, green, blue, matrix, table, curve, out, first, end):
    for i in range(first, end):
        r, g, b = _finite(red[i]), _finite(green[i]), _finite(blue[i])
        for channel in range(3):
            v = matrix[channel, 0] * r + matrix[channel, 1] * g + matrix[channel, 2] * b
            place = np.float32(0)
            if v > 0:
                place = np.sqrt(min(v, np.float32(1))) * np.float32(CURVE_SIZE - 1)
            low = min(int(place), CURVE_SIZE - 2)
            share = place - np.float32(low)
            out[3 * i + channel] = _code(table[low] + (table[low + 1] - table[low]) * share, curve)


@compiled
def _place(v):
    """Where a linear value lies on the table's axis, in steps from its foot."""
    if not v > 0:  # NaN as well
        return np.float32(0)
    if v < TABLE_FOOT:
        return v / TABLE_FOOT
    return min((np.log2(v) - np.float32(TABLE_LOW)) * STEPS_PER_STOP, np.float32(TABLE_SIDE - 1))


@compiled
def _cube_band(red, green, blue, gain, cube, curve, out, first, end):
    """Trilinear between the eight points around."""
    one = np.float32(1)
    last = TABLE_SIDE - 2
    for i in range(first, end):
        x = _place(red[i] * gain)
        y = _place(green[i] * gain)
        z = _place(blue[i] * gain)
        a = min(int(x), last)
        b = min(int(y), last)
        c = min(int(z), last)
        x -= np.float32(a)
        y -= np.float32(b)
        z -= np.float32(c)
        w00, w01, w10, w11 = (one - x) * (one - y), (one - x) * y, x * (one - y), x * y
        for channel in range(3):
            near = cube[a, b, c, channel] * w00 + cube[a, b + 1, c, channel] * w01
            near += cube[a + 1, b, c, channel] * w10 + cube[a + 1, b + 1, c, channel] * w11
            far = cube[a, b, c + 1, channel] * w00 + cube[a, b + 1, c + 1, channel] * w01
            far += cube[a + 1, b, c + 1, channel] * w10 + cube[a + 1, b + 1, c + 1, channel] * w11
            out[3 * i + channel] = _code(near + (far - near) * z, curve)
