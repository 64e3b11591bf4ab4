"""Premultiplied or straight: what the pixels and the format say of a pass's colour towards its alpha.

Common practice, no source: along a soft edge premultiplied colour falls with alpha, straight colour stays as it is
inside; straight pictures often hold colour where alpha is 0; premultiplied ones hold some above alpha only where light
glows.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.formats.headers import Part
from prism.pixels.file_formats import format_of_title

EDGE_PIXELS = 16  # fewer tell nothing
CLEAR = 1.5  # times better one reading must explain the edge
SOFT_PAIRS = 200  # of soft pixels beside each other; fewer tell nothing
NOISY = 0.3  # of alpha's own steps, squared: colour that changes more by itself tells nothing
FOLLOWS = (0.35, 0.65)  # slope of colour over alpha, up to which it is straight and from which it is premultiplied
EMPTY = 0.01  # share of pixels without anything, from which what is soft stands before nothing
_SOFT = (0.02, 0.98)
_SOLID = 0.999


@dataclass(frozen=True, slots=True)
class AlphaEvidence:
    """state: premultiplied, straight or none. certainty: 0..1. reasons: what speaks for it, in words.

    soft: pixels of 0 < alpha < 1. outside: pixels with colour where alpha is 0. above: soft pixels with colour above
    alpha. edge: how well each reading explains soft edges, straight over premultiplied error; above 1 speaks for
    premultiplied.
    """

    state: str
    certainty: float
    reasons: tuple[str, ...]
    soft: int = 0
    outside: int = 0
    above: int = 0
    edge: float | None = None
    edge_pixels: int = 0

    def as_json(self) -> dict:
        """All fields, for JSON."""
        return asdict(self)


def evidence(colour: NDArray, alpha: NDArray | None, part: Part) -> AlphaEvidence:
    """Judge the colour (3, H, W) of a pass as stored, with its alpha (H, W). The format's rule decides where there is
    one that knows no exception, the edge where it is clear, else the format's habit."""
    if alpha is None:
        return AlphaEvidence("none", 1.0, ("there is no alpha",))
    colour = np.nan_to_num(np.asarray(colour, np.float32), posinf=0, neginf=0)
    alpha = np.nan_to_num(np.asarray(alpha, np.float32), posinf=1, neginf=0)
    peak = colour.max(axis=0)
    soft = (alpha > _SOFT[0]) & (alpha < _SOFT[1])
    outside = int(((alpha <= 0) & (peak > 1e-4)).sum())
    above = int((soft & (peak > alpha * 1.02 + 1e-3)).sum())
    edge, edge_pixels = _edge(colour, alpha, soft)
    counts: dict[str, Any] = {
        "soft": int(soft.sum()),
        "outside": outside,
        "above": above,
        "edge": edge,
        "edge_pixels": edge_pixels,
    }
    follows = _follows(peak, alpha, soft)
    if follows is not None and follows <= FOLLOWS[0] and not _is_alone(peak, alpha):
        follows = None
    state, certainty, reasons = _weighed(part, counts, alpha, follows)
    return AlphaEvidence(state, certainty, tuple(reasons), **counts)


def _follows(peak: NDArray[np.float32], alpha: NDArray[np.float32], soft: NDArray[np.bool_]) -> float | None:
    """How colour goes with alpha from one soft pixel to the next: 1 where it is in proportion, as premultiplied colour
    is, 0 where it does not care, as straight colour. The slope of the one's logarithm over the other's; None where too
    few pixels tell."""
    usable = soft & (peak > 1e-4)
    tops, bottoms, count, apart = 0.0, 0.0, 0, 0.0
    for axis in (0, 1):
        near, far = (
            tuple(slice(*ends) if i == axis else slice(None) for i in (0, 1)) for ends in ((1, None), (None, -1))
        )
        both = usable[near] & usable[far]
        steps = [np.log(plane[near][both]) - np.log(plane[far][both]) for plane in (peak, alpha)]
        clear = np.abs(steps[1]) > 0.1
        light, cover = (step[clear].astype(np.float64).clip(-4, 4) for step in steps)
        tops, bottoms, count = tops + float(light @ cover), bottoms + float(cover @ cover), count + int(clear.sum())
        apart += float(light @ light)
    if count < SOFT_PAIRS or bottoms <= 0:
        return None
    slope = tops / bottoms
    left = max(0.0, apart - slope * tops)  # of colour's own steps, once those that go with alpha are taken out
    return slope if left < NOISY * bottoms else None


def _is_alone(peak: NDArray[np.float32], alpha: NDArray[np.float32]) -> bool:
    """Whether what is soft stands before nothing: some pixels are empty, and none has light without alpha. A sky has
    none and shines through soft edges, and fog that fills the picture ends nowhere; colour that does not follow alpha
    tells nothing then."""
    lit = peak > 1e-4
    return not ((alpha <= 0) & lit).any() and bool(((alpha < _SOFT[0]) & ~lit).mean() >= EMPTY)


def _weighed(part: Part, counts: dict, alpha: NDArray, follows: float | None) -> tuple[str, float, list[str]]:
    rule = format_of_title(part.format)
    edge, soft = counts["edge"], counts["soft"]
    reasons = []
    if part.format == "PNG":
        return "straight", 1.0, ["PNG is straight by its specification"]
    if part.format == "TIFF":
        said = "straight" if part.straight else "premultiplied"
        return said, 0.95, [f"its tag says {'unassociated' if part.straight else 'associated'} alpha"]
    habit = "straight" if part.straight or rule.straight else "premultiplied"
    if edge is not None and max(edge, 1 / edge) >= CLEAR:
        state = "premultiplied" if edge > 1 else "straight"
        share = f"{max(edge, 1 / edge):.1f} times better at {counts['edge_pixels']} edge pixels"
        reasons.append(f"{state} explains the soft edges {share}")
        if state == "straight" and counts["outside"]:
            reasons.append(f"{counts['outside']} pixels have colour where alpha is 0")
        if state == "straight" and counts["above"] > soft / 2:
            reasons.append(f"{counts['above']} of {soft} soft pixels are brighter than their alpha")
        return state, min(0.99, 0.6 + 0.1 * max(edge, 1 / edge)), reasons
    if follows is not None and not FOLLOWS[0] < follows < FOLLOWS[1]:
        state = "premultiplied" if follows >= FOLLOWS[1] else "straight"
        how = "falls with" if state == "premultiplied" else "does not fall with"
        reasons.append(f"along soft edges colour {how} alpha")
        if state == "straight" and counts["above"]:
            reasons.append(f"{counts['above']} of {soft} soft pixels are brighter than their alpha")
        return state, 0.8, reasons
    if not soft:
        reasons.append("no soft edge tells" if alpha.size else "it is empty")
    elif counts["above"] > 0.9 * soft and counts["outside"]:
        reasons.append(f"{counts['above']} of {soft} soft pixels are brighter than their alpha")
        reasons.append(f"{counts['outside']} pixels have colour where alpha is 0")
        return "straight", 0.65, reasons
    return habit, 0.6, [*reasons, f"{rule.title} is {habit} as a rule"]


def _edge(colour: NDArray[np.float32], alpha: NDArray[np.float32], soft: NDArray[np.bool_]) -> tuple[float | None, int]:
    """Soft pixels beside solid ones: the error of colour = inside (straight) over that of colour = inside x alpha."""
    straight = premultiplied = 0.0
    pixels = 0
    for axis, step in ((0, 1), (0, -1), (1, 1), (1, -1)):
        inside = np.roll(colour, step, axis=axis + 1)
        solid = np.roll(alpha, step, axis=axis) >= _SOLID
        wrapped = np.zeros_like(soft)
        wrapped[(slice(None),) * axis + (0 if step == 1 else -1,)] = True
        chosen = soft & solid & ~wrapped & (alpha < 0.9)
        count = int(chosen.sum())
        if not count:
            continue
        own, beside, weight = colour[:, chosen], inside[:, chosen], alpha[chosen]
        bright = beside.max(axis=0) > 1e-3
        scale = np.maximum(np.abs(beside), 1e-3)
        straight += float((np.abs(own - beside) / scale)[:, bright].clip(0, 4).sum())
        premultiplied += float((np.abs(own - beside * weight) / scale)[:, bright].clip(0, 4).sum())
        pixels += int(bright.sum())
    if pixels < EDGE_PIXELS:
        return None, pixels
    return (straight + 1e-6) / (premultiplied + 1e-6), pixels
