"""The table of operators: how a row's source changes the running result, and what becomes of light above 1.

A is the source after its trims, B the running result, a and b their alphas, all premultiplied; s and r are A and B
divided by their alphas. With a weight w (amount times matte) an operator gives B + w (result - B), so that 0 leaves B
untouched; where w works otherwise, the table says so.

Sources: Porter & Duff, "Compositing Digital Images", SIGGRAPH 1984; W3C Compositing and Blending Level 1 (2015).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType


@dataclass(frozen=True, slots=True, kw_only=True)
class Operator:
    """One way to join a source to the running result.

    family: which loop computes it: cover (Porter & Duff), sum (plain arithmetic), blend (W3C). code: which it is within
    that loop. above_one: what happens to light above 1. made_for_display: its formula is meant for display values of
    0..1.
    """

    key: str
    title: str
    sign: str
    family: str
    formula: str
    above_one: str
    code: int = 0
    factors: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)  # of cover: A (f0 + f1 b) + B (1 - (f2 + f3 a))
    made_for_display: bool = False

    @property
    def safe(self) -> bool:
        """Whether light above 1 goes through it as any other."""
        return self.above_one == KEPT


KEPT = "goes through as any other light"
LIMITED = "worked out within 0..1; what the result had outside is added back, the source counts as 0 or 1 there"
SUBTRACT, DIVIDE, MINIMUM, MAXIMUM, SHADE = range(5)
(
    MULTIPLY, SCREEN, OVERLAY, DARKEN, LIGHTEN, DODGE, BURN, HARD_LIGHT, SOFT_LIGHT, DIFFERENCE, EXCLUSION,
    HUE, SATURATION, COLOUR, LUMINOSITY,
) = range(15)  # fmt: skip


def _cover(key: str, title: str, sign: str, formula: str, f0: float, f1: float, g0: float, g1: float) -> Operator:
    factors = f0, f1, g0, g1
    return Operator(key=key, title=title, sign=sign, family="cover", formula=formula, above_one=KEPT, factors=factors)


def _sum(code: int, key: str, sign: str, formula: str) -> Operator:
    return Operator(key=key, title=key, sign=sign, family="sum", formula=formula, above_one=KEPT, code=code)


def _blend(code: int, key: str, sign: str, formula: str, above_one: str = LIMITED) -> Operator:
    return Operator(
        key=key,
        title=key.replace("-", " "),
        sign=sign,
        family="blend",
        formula=formula,
        above_one=above_one,
        code=code,
        made_for_display=above_one != KEPT,
    )


OPERATORS: Mapping[str, Operator] = MappingProxyType({operator.key: operator for operator in (
    _cover("add", "add", "+", "A + B", 1, 0, 0, 0),
    _cover("over", "over", "over", "A + B (1 - a)", 1, 0, 0, 1),
    _cover("under", "under", "under", "A (1 - b) + B", 1, -1, 0, 0),
    _blend(MULTIPLY, "multiply", "×", "r s", KEPT),
    _sum(SHADE, "shade", "×ⁿ", "B A^w where A is below 1, else B (1 + w (A - 1))"),
    _sum(SUBTRACT, "subtract", "−", "B - A"),
    _sum(DIVIDE, "divide", "÷", "B / A, and B where A is 0"),
    _sum(MINIMUM, "minimum", "min", "the smaller of A and B"),
    _sum(MAXIMUM, "maximum", "max", "the larger of A and B"),
    _blend(DIFFERENCE, "difference", "|−|", "|r - s|", KEPT),
    _cover("in", "in", "in", "A b", 0, 1, 1, 0),
    _cover("out", "out", "out", "A (1 - b)", 1, -1, 1, 0),
    _cover("atop", "atop", "atop", "A b + B (1 - a)", 0, 1, 0, 1),
    _cover("keep-in", "keep what is in", "keep in", "B a", 0, 0, 1, -1),
    _cover("keep-out", "keep what is out", "keep out", "B (1 - a)", 0, 0, 0, 1),
    _cover("under-atop", "under, atop", "under atop", "A (1 - b) + B a", 1, -1, 1, -1),
    _cover("xor", "xor", "xor", "A (1 - b) + B (1 - a)", 1, -1, 0, 1),
    _cover("copy", "copy", "copy", "A", 1, 0, 1, 0),
    _cover("clear", "clear", "clear", "0", 0, 0, 1, 0),
    _blend(SCREEN, "screen", "scr", "r + s - r s", "the larger of A and B, where either is above 1"),
    _blend(OVERLAY, "overlay", "ovl", "hard light with r and s exchanged"),
    _blend(DARKEN, "darken", "dark", "the smaller of r and s", KEPT),
    _blend(LIGHTEN, "lighten", "light", "the larger of r and s", KEPT),
    _blend(DODGE, "colour-dodge", "dodge", "0 where r is 0, else r / (1 - s), at most 1"),
    _blend(BURN, "colour-burn", "burn", "1 where r is 1, else 1 - (1 - r) / s, at least 0"),
    _blend(HARD_LIGHT, "hard-light", "hard", "2 r s up to s = 1/2, then the screen of r and 2 s - 1"),
    _blend(SOFT_LIGHT, "soft-light", "soft", "r - (1 - 2 s) r (1 - r) up to s = 1/2, then r + (2 s - 1) (d(r) - r)"),
    _blend(EXCLUSION, "exclusion", "excl", "r + s - 2 r s"),
    _blend(HUE, "hue", "hue", "hue of s, saturation and luminosity of r"),
    _blend(SATURATION, "saturation", "sat", "saturation of s, hue and luminosity of r"),
    _blend(COLOUR, "colour", "col", "hue and saturation of s, luminosity of r"),
    _blend(LUMINOSITY, "luminosity", "lum", "luminosity of s, hue and saturation of r"),
)})  # fmt: skip
