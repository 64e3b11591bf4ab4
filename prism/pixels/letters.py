"""The typefaces there are (SIL Open Font License, see fonts/LICENSE), and text measured and cut to fit."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import lru_cache
from pathlib import Path
from types import MappingProxyType

from fontTools.ttLib import TTFont
from PIL import ImageFont

FOLDER = Path(__file__).parent / "fonts"
FACES: Mapping[str, Path] = MappingProxyType(
    {
        "text": FOLDER / "AtkinsonHyperlegibleNext-Regular.ttf",
        "text bold": FOLDER / "AtkinsonHyperlegibleNext-Bold.ttf",
        "mono": FOLDER / "AtkinsonHyperlegibleMono-Regular.ttf",
        "mono bold": FOLDER / "AtkinsonHyperlegibleMono-Bold.ttf",
    }
)
"""By short name."""
ELLIPSIS = "…"


@lru_cache(maxsize=64)
def letters(face: str, size: float) -> ImageFont.FreeTypeFont:
    """A typeface at a size in pixels from line to line of its em."""
    return ImageFont.truetype(str(FACES[face]), max(1.0, size))


@lru_cache(maxsize=8)
def _known(face: str) -> frozenset[int]:
    with TTFont(FACES[face], lazy=True) as font:
        return frozenset(font.getBestCmap())


def unknown_letters(text: str, face: str = "text") -> str:
    """The letters of a text that a typeface does not have, each once."""
    known = _known(face)
    return "".join(dict.fromkeys(letter for letter in text if letter not in "\n\t" and ord(letter) not in known))


def remarks_on(lines: Iterable[tuple[str, str]]) -> tuple[str, ...]:
    """What is to be said of lines, each a typeface and its text: the letters that cannot be drawn."""
    unknown = dict.fromkeys(letter for face, text in lines for letter in unknown_letters(text, face))
    if not unknown:
        return ()
    return (f"The typefaces have no {' '.join(unknown)}: a crossed box stands for each.",)


def fitting(text: str, face: str, size: float, width: float) -> str:
    """A line cut to a width in pixels, with an ellipsis where something is missing; empty if nothing fits."""
    font = letters(face, size)
    if font.getlength(text) <= width:
        return text
    low, high = 0, len(text)
    while low < high:
        middle = (low + high + 1) // 2
        if font.getlength(text[:middle].rstrip() + ELLIPSIS) <= width:
            low = middle
        else:
            high = middle - 1
    return text[:low].rstrip() + ELLIPSIS if low else ""
