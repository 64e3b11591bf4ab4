"""A band of words burnt into the foot of a frame, and frames that stand for missing ones.

The band is dark, as high as a twentieth of the picture, with a fine line of light on its upper edge that runs as far as
the movie has come: one glance tells where in the shot one is.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow
from PIL import ImageDraw

from prism.errors import BadArgument
from prism.naming.words import filled
from prism.pixels.letters import fitting, letters, remarks_on

BURN_FIELDS = ("production", "shot", "ledger", "version", "frame", "timecode", "date", "note", "item", "rate")
SHARE = 0.05  # of the height
FACE = "mono"
LEAST = 14  # pixels
BAND, INK, LINE, TROUGH = (18, 18, 18), (232, 232, 232), (232, 232, 232), (70, 70, 70)
MISSING_INK, MISSING_GROUND = (255, 176, 84), 0.35
PARTS = 3  # left, middle, right, divided by |


def require_burn(text: str) -> None:
    """Raises BadArgument for a text that names fields there are not, or is not well formed."""
    burnt(text, dict.fromkeys(BURN_FIELDS, 0) | dict.fromkeys(("production", "shot", "ledger", "timecode"), ""))


def burnt(text: str, values: Mapping[str, object]) -> tuple[str, ...]:
    """The words of the band, up to three divided by `|`: left, middle and right. Fields are those of BURN_FIELDS in
    Python's format syntax."""
    parts = text.split("|")
    if len(parts) > PARTS:
        raise BadArgument("The band has three places at most.", where="burn", advice="Divide them with | twice.")
    return tuple(filled(part, values, fields=BURN_FIELDS, where="burn").strip() for part in parts)


def band_remarks(words: tuple[str, ...]) -> tuple[str, ...]:
    """Letters of the band that cannot be drawn."""
    return remarks_on((FACE, word) for word in words)


def with_band(codes: NDArray, words: tuple[str, ...], *, share: float) -> NDArray:
    """Codes (H, W, 3 or 4), uint8 or uint16, with the band over their foot; a new array. share: how far the movie has
    come, 0..1."""
    height, width = codes.shape[:2]
    band = _band(width, max(LEAST, round(height * SHARE)), words, share)[-height:]
    done = codes.copy()
    done[height - len(band) :, :, :3] = band if codes.dtype == np.uint8 else band.astype(np.uint16) * 257
    if codes.shape[2] == 4:
        done[height - len(band) :, :, 3] = np.iinfo(codes.dtype).max
    return done


def _band(width: int, height: int, words: tuple[str, ...], share: float) -> NDArray[np.uint8]:
    picture = Pillow.new("RGB", (width, height), BAND)
    pen = ImageDraw.Draw(picture)
    fine = max(1, height // 16)
    pen.rectangle((0, 0, width - 1, fine - 1), TROUGH)
    pen.rectangle((0, 0, max(0, round(width * share) - 1), fine - 1), LINE)
    size, edge = height * 0.56, height * 0.4
    font, middle = letters(FACE, size), (height + fine) / 2
    each = (width - 2 * edge) / max(1, len([word for word in words if word])) - edge / 2
    places = (("lm", edge), ("mm", width / 2), ("rm", width - edge))
    for word, (anchor, x) in zip(words, places, strict=False):
        pen.text((x, middle), fitting(word, FACE, size, each), INK, font, anchor=anchor)
    return np.asarray(picture)


def missing_frame(near: NDArray, number: int) -> NDArray:
    """What stands for a frame that is not there: the one before, darker, with its number across it."""
    dark = near.copy()
    dark[..., :3] = (dark[..., :3].astype(np.float32) * MISSING_GROUND).astype(near.dtype)
    height, width = near.shape[:2]
    label = Pillow.new("L", (width, height))
    text = f"frame {number} is missing"
    size = min(height * 0.09, width * 0.9 / max(1, len(text)) * 1.7)
    ImageDraw.Draw(label).text((width / 2, height / 2), text, 255, letters("text bold", size), anchor="mm")
    cover = np.asarray(label, np.float32)[..., None] / 255
    scale = np.iinfo(near.dtype).max / 255
    dark[..., :3] = dark[..., :3] * (1 - cover) + np.array(MISSING_INK, np.float32) * scale * cover
    if near.shape[2] == 4:
        dark[..., 3] = np.maximum(dark[..., 3], (cover[..., 0] * np.iinfo(near.dtype).max).astype(near.dtype))
    return dark
