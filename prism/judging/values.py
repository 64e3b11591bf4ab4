"""What is wrong with the values of a pass: the one judgement of the plan's audit, of Intake, and of what is rendered
again."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import asdict, dataclass
from types import MappingProxyType
from typing import Any

from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.passes.kinds import PassKind, Role

CLAMPED_SHARE = 1e-3  # of the pixels at just 1.0, with none above, that look cut off there
FEWEST_LEVELS = 40  # fewer are flat things, seen straight on
MOST_LEVELS = 300  # more are no sign of 8 bits: large flat things at many depths have as many
GRID_PIXELS = 4096  # fewer are too few to say that all lie on the steps of 8 bits
BLANK_ROLES = (Role.WHOLE, Role.IDENTIFY, Role.MEASURE)
"""Passes that are never empty where their subject is in frame; light may be dark for good reasons."""
MAY_BE_STILL = frozenset({"motion_forward", "motion_backward", "variance", "deep"})
MAY_BE_ENDLESS = frozenset({"depth", "depth_filtered", "deep"})  # infinity is where there is no surface
SIGNED = frozenset(
    {
        "normals",
        "normals_camera",
        "position",
        "motion_forward",
        "motion_backward",
        "uv",
        "depth",
        "depth_filtered",
        "deep",
    }
)
CONTINUOUS = frozenset({"depth", "depth_filtered", "normals", "normals_camera", "position"})  # 256 steps are too few
BOUNDS: Mapping[str, tuple[float, float]] = MappingProxyType(
    {
        "mist": (0.0, 1.0),
        "occlusion": (0.0, 1.0),
        "normals": (-1.0, 1.0),
        "normals_camera": (-1.0, 1.0),
        "alpha": (0.0, 1.0),
    }
)
"""Least and most of what may be in a pass, by what it means."""
BEYOND = 2e-3  # by which rounding and filters may pass a bound
PixelPlace = tuple[int, int]  # column and row in the plane


@dataclass(frozen=True, slots=True)
class PlaneFacts:
    """Over all pixels of a channel. least, most, mean: of the finite values; None where there is none. ones: at just
    1.0. stepped: all finite values are steps of 8 bits. levels: how many different values there are, if few of many
    pixels; else 0. strange: where the first NaN, infinite or negative value lies, by kind."""

    least: float | None
    most: float | None
    nan: int = 0
    infinite: int = 0
    ones: int = 0
    pixels: int = 1
    negative: int = 0
    mean: float | None = None
    stepped: bool = False
    levels: int = 0
    strange: Mapping[str, PixelPlace] | None = None

    @property
    def is_constant(self) -> bool:
        """Whether all pixels hold one value."""
        return self.most is None or (self.least == self.most and not self.nan and not self.infinite)

    @property
    def is_black(self) -> bool:
        """Whether all pixels are 0, or none is a number."""
        return self.most is None or (self.least == 0.0 and self.most == 0.0)

    def as_json(self) -> dict[str, Any]:
        """All fields, for JSON."""
        return asdict(self)


@dataclass(frozen=True, slots=True)
class Values:
    """The values of one pass. planes: by component (R, G, B, A, X, V ..) of its channels. whole_numbers: stored as
    such, so that nothing beyond 1 could be there."""

    kind: PassKind | None
    title: str
    planes: Mapping[str, PlaneFacts]
    whole_numbers: bool = False

    @property
    def key(self) -> str:
        """The key of the kind of pass; empty if it is not known."""
        return self.kind.key if self.kind else ""

    @property
    def is_ranked(self) -> bool:
        """Whether its values are identities and their coverage."""
        return self.kind is not None and self.kind.ranked

    @property
    def colour(self) -> dict[str, PlaneFacts]:
        """What is judged as values; none where they are identities."""
        if self.is_ranked:
            return {}
        return {name: plane for name, plane in self.planes.items() if name.upper() not in ("A", "ALPHA")}


def judge_values(
    kind: PassKind | None, title: str, planes: Mapping[str, PlaneFacts], *, whole_numbers: bool = False
) -> Iterator[Finding]:
    """All that is strange about the values of one pass, as Values has them: what each of JUDGES says."""
    values = Values(kind, title, planes, whole_numbers)
    for judge in JUDGES:
        yield from judge(values)


_DIVIDES = "Render it again, or find out what divides by zero there."


def _not_numbers(values: Values) -> Iterator[Finding]:
    for name, plane in values.planes.items():
        if values.is_ranked and name in ("R", "B"):  # bits of names, of which some are no numbers
            continue
        of = f"{values.title}, {name} holds"
        if plane.nan:
            what = f"{of} {plane.nan} not-a-number pixels."
            yield Finding("nan", ERROR, what, advice=_DIVIDES, place=_place(plane, "nan"))
        endless = values.key in MAY_BE_ENDLESS and name in ("Z", "ZBack", "V", "Y", "R", "G", "B")
        if plane.infinite and not endless:
            what = f"{of} {plane.infinite} infinite pixels."
            yield Finding("infinite", ERROR, what, advice=_DIVIDES, place=_place(plane, "infinite"))
        if plane.negative and values.key not in SIGNED and not values.is_ranked:
            what = f"{of} {plane.negative} negative pixels, down to {plane.least:.3g}."
            advice = "Filters with negative lobes can cause them. Check whether they are visible."
            yield Finding("negative", WARNING, what, advice=advice, place=_place(plane, "negative"))


def _flat(values: Values) -> Iterator[Finding]:
    """All black, all white, or all of one value."""
    kind, colour = values.kind, values.colour.values()
    still = values.key in MAY_BE_STILL
    scales = kind is not None and kind.role is Role.SCALE
    showing = "Was it rendered with anything to show?"
    if not colour:
        return
    if all(plane.is_black for plane in colour):
        needed = kind is not None and kind.role in BLANK_ROLES and not still
        severity = ERROR if needed else WARNING if scales else NOTE
        advice = "Was the light, the layer or the pass switched off when it was rendered?"
        yield Finding("black", severity, f"{values.title} is all black.", advice=advice)
    elif not all(plane.is_constant for plane in colour):
        return
    elif all(plane.least == 1.0 for plane in colour):
        severity = NOTE if still or scales else WARNING
        yield Finding("white", severity, f"{values.title} is all white.", advice=showing)
    elif not still:
        what = f"{values.title} is one value all over: {next(iter(colour)).most:.4g}."
        yield Finding("constant", WARNING, what, advice=showing)


def _cut_off(values: Values) -> Iterator[Finding]:
    colour = values.colour.values()
    if values.kind is None or "unclamped" not in values.kind.all_demands or values.whole_numbers:
        return
    cut = [plane for plane in colour if plane.most == 1.0 and plane.ones > CLAMPED_SHARE * plane.pixels]
    if not cut or any(plane.most is None or plane.most > 1.0 for plane in colour):
        return
    if not all(plane.is_constant for plane in colour):
        what = f"{values.title} looks cut off at 1: {max(plane.ones for plane in cut)} pixels are just there."
        advice = "Write it as half or float without clamping; what was cut off cannot come back."
        yield Finding("clamped", ERROR, what, advice=advice)


def _coarse(values: Values) -> Iterator[Finding]:
    """Data that only has the 256 steps of 8 bits, whatever type it is stored in."""
    if values.key not in CONTINUOUS:
        return
    advice = "Write it as 32-bit float straight from the renderer."
    telling = [p for p in values.colour.values() if not p.is_constant and p.pixels >= GRID_PIXELS]
    if telling and all(plane.stepped for plane in telling):
        yield Finding("eight-bit", ERROR, f"{values.title} has only the steps of 8 bits.", advice=advice)
    elif telling and values.key in ("depth", "position") and all(_is_few(plane.levels) for plane in telling):
        levels = max(plane.levels for plane in telling)
        what = f"{values.title} has only {levels} different values: it was stored in few bits once."
        yield Finding("eight-bit", ERROR, what, advice=advice)


def _is_few(levels: int) -> bool:
    return FEWEST_LEVELS <= levels <= MOST_LEVELS


def _bounded(values: Values) -> Iterator[Finding]:
    low, high = BOUNDS.get(values.key, (-math.inf, math.inf))
    colour = values.colour.values()
    least = min((plane.least for plane in colour if plane.least is not None), default=0.0)
    most = max((plane.most for plane in colour if plane.most is not None), default=0.0)
    if least < low - BEYOND or most > high + BEYOND:
        what = f"{values.title} goes from {least:.4g} to {most:.4g}, but means nothing beyond {low:g} to {high:g}."
        yield Finding("range", ERROR, what, advice="Render it again, or say by a rule which pass it is.")


JUDGES: tuple[Callable[[Values], Iterator[Finding]], ...] = (_not_numbers, _flat, _cut_off, _coarse, _bounded)
"""What can be strange about values: black, white, constant, clamped, nan, infinite, negative, eight-bit, range."""


def _place(plane: PlaneFacts, kind: str) -> PixelPlace | None:
    place = (plane.strange or {}).get(kind)
    return None if place is None else (int(place[0]), int(place[1]))
