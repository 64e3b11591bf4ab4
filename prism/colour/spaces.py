"""Working spaces: their primaries, the matrices between them, and how bright light is in each.

Sources: ITU-R BT.709-6 (Rec.709 primaries and D65), SMPTE ST 2065-1 (ACES2065-1), Academy S-2014-004 (ACEScg); the
derivation of a matrix from chromaticities is SMPTE RP 177. Whites are adapted by Bradford's method.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache, lru_cache
from types import MappingProxyType
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from prism.errors import BadArgument

SPACES: Mapping[str, str] = MappingProxyType(
    {"lin_rec709": "linear Rec.709", "acescg": "ACEScg", "aces2065_1": "ACES2065-1"}
)
Primaries = Literal["header", "working", "lin_rec709", "acescg", "aces2065_1"]
"""Of which a pass's light is mixed: as its header says, those of the working space whatever it says, or of one of
SPACES."""
_ACES_WHITE = (0.32168, 0.33767)
CHROMATICITIES: Mapping[str, tuple[float, ...]] = MappingProxyType(
    {
        "lin_rec709": (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290),
        "acescg": (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, *_ACES_WHITE),
        "aces2065_1": (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, *_ACES_WHITE),
    }
)
"""x and y of red, green, blue and white, as the header of an OpenEXR file has them."""
Chromaticities = tuple[float, ...]
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def require_space(name: str) -> None:
    """Raises BadArgument naming the spaces there are."""
    if name not in SPACES:
        raise BadArgument(f"Unknown working space {name}.", advice=f"Use {', '.join(SPACES)}.")


@cache
def to_xyz(space: str) -> NDArray[np.float64]:
    """(3, 3) matrix from linear RGB to XYZ under the space's own white. Its middle row weighs luminance."""
    require_space(space)
    return primaries_to_xyz(CHROMATICITIES[space])


@lru_cache(maxsize=256)
def span_colours(chromaticities: Chromaticities) -> bool:
    """Whether primaries and white, as a header has them, are such that light can be mixed of them."""
    if len(chromaticities) != 8 or not np.isfinite(chromaticities).all():
        return False
    points = np.reshape(chromaticities, (4, 2))
    if (np.abs(points[:, 1]) < 1e-6).any():
        return False
    columns = np.stack([_xyz(x, y) for x, y in points[:3]], axis=1)
    return bool(np.linalg.cond(columns) < 1e6)


def primaries_to_xyz(chromaticities: Chromaticities) -> NDArray[np.float64]:
    """(3, 3), the same for any primaries and white. Raises BadArgument if they span no colours."""
    if not span_colours(chromaticities):
        raise BadArgument("These primaries span no colours.", advice="Say which space the values are in.")
    *primaries, white = (_xyz(x, y) for x, y in np.reshape(chromaticities, (4, 2)))
    columns = np.stack(primaries, axis=1)
    return _sealed(columns * np.linalg.solve(columns, white))


@cache
def conversion(source: str, target: str) -> NDArray[np.float64]:
    """(3, 3) matrix M with out = M @ rgb. Grey stays grey: every row sums to 1."""
    require_space(source)
    require_space(target)
    return conversion_between(CHROMATICITIES[source], CHROMATICITIES[target])


@cache
def conversion_between(source: Chromaticities, target: Chromaticities) -> NDArray[np.float64]:
    """(3, 3), the same between any primaries and whites, as headers have them. Raises BadArgument."""
    whites = [_BRADFORD @ _xyz(*values[6:]) for values in (source, target)]
    adapt = np.linalg.inv(_BRADFORD) @ np.diag(whites[1] / whites[0]) @ _BRADFORD
    return _sealed(np.linalg.inv(primaries_to_xyz(target)) @ adapt @ primaries_to_xyz(source))


@cache
def plain_conversion(source: Chromaticities, target: Chromaticities) -> NDArray[np.float64]:
    """(3, 3), the same without adapting the white, as careless programs do it: grey does not stay grey if the whites
    differ."""
    return _sealed(np.linalg.inv(primaries_to_xyz(target)) @ primaries_to_xyz(source))


@lru_cache(maxsize=256)
def are_same(first: Chromaticities, second: Chromaticities) -> bool:
    """Whether two sets of primaries agree to four digits, which is what headers keep."""
    return len(first) == len(second) and bool(np.allclose(first, second, rtol=0, atol=1e-4))


@cache
def luminance_weights(space: str) -> NDArray[np.float32]:
    """(3,) shares of red, green and blue in the luminance of linear light of that space; they sum to 1."""
    return _sealed(to_xyz(space)[1].astype(np.float32))


def luminance(rgb: NDArray, space: str) -> NDArray[np.float32]:
    """Luminance of (3, H, W) scene-linear light, (H, W) float32."""
    return np.tensordot(luminance_weights(space), np.asarray(rgb, np.float32), 1)


def space_of(chromaticities: tuple[float, ...] | None) -> str | None:
    """The space whose chromaticities a header holds, to four digits; None for others, or if there are none."""
    if chromaticities is None or len(chromaticities) != 8:
        return None
    return next((name for name, primaries in CHROMATICITIES.items() if are_same(primaries, chromaticities)), None)


def encode_srgb(linear: NDArray) -> NDArray:
    """Display values (H, W, ...) of linear light through the sRGB curve (IEC 61966-2-1); both 0..1, clipped."""
    light = np.clip(linear, 0, 1)
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


def decode_srgb(display: NDArray) -> NDArray:
    """Linear light of display values (H, W, ...), the inverse of `encode_srgb`; values above 1 follow the curve, those
    below 0 its line."""
    safe = np.maximum(display, 0.04045)
    return np.where(display <= 0.04045, display / 12.92, ((safe + 0.055) / 1.055) ** 2.4)


def _xyz(x: float, y: float) -> NDArray[np.float64]:
    return np.array([x / y, 1.0, (1 - x - y) / y])


def _sealed(array: NDArray) -> NDArray:
    array.setflags(write=False)
    return array
