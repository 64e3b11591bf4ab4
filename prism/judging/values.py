"""What is wrong with the values of a pass: the one judgement of the plan's audit, of Intake, and of what is rendered
again."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from types import MappingProxyType
from typing import Any

from prism.passes.kinds import PassKind, Role

ERROR, WARNING, NOTE = "error", "warning", "note"
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
Place = tuple[int, int]  # column and row in the plane


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
    strange: Mapping[str, Place] | None = None

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
class Verdict:
    """kind: black, white, constant, clamped, nan, infinite, negative, eight-bit, range. place: where to look, if
    somewhere."""

    kind: str
    severity: str
    what: str
    place: Place | None = None


def judge_values(
    kind: PassKind | None, title: str, planes: Mapping[str, PlaneFacts], *, whole_numbers: bool = False
) -> Iterator[Verdict]:
    """All that is strange about the values of one pass. planes: by component (R, G, B, A, X, V ..) of its channels.

    whole_numbers: stored as such, so that nothing beyond 1 could be there.
    """
    colour = {name: plane for name, plane in planes.items() if not _is_alpha(name)}
    yield from _not_numbers(kind, title, planes)
    if colour and not (kind is not None and kind.ranked):
        yield from _flat(kind, title, colour)
        yield from _cut_off(kind, title, colour, whole_numbers=whole_numbers)
        yield from _coarse(kind, title, colour)
        yield from _bounded(kind, title, colour)


def _not_numbers(kind: PassKind | None, title: str, planes: Mapping[str, PlaneFacts]) -> Iterator[Verdict]:
    key = kind.key if kind else ""
    for name, plane in planes.items():
        if kind is not None and kind.ranked and name in ("R", "B"):  # bits of names, of which some are no numbers
            continue
        if plane.nan:
            yield Verdict("nan", ERROR, f"{title}, {name} holds {plane.nan} not-a-number pixels.", _place(plane, "nan"))
        endless = key in MAY_BE_ENDLESS and name in ("Z", "ZBack", "V", "Y", "R", "G", "B")
        if plane.infinite and not endless:
            yield Verdict(
                "infinite", ERROR, f"{title}, {name} holds {plane.infinite} infinite pixels.", _place(plane, "infinite")
            )
        if plane.negative and key not in SIGNED and not (kind is not None and kind.ranked):
            yield Verdict(
                "negative",
                WARNING,
                f"{title}, {name} holds {plane.negative} negative pixels, down to {plane.least:.3g}.",
                _place(plane, "negative"),
            )


def _flat(kind: PassKind | None, title: str, colour: Mapping[str, PlaneFacts]) -> Iterator[Verdict]:
    """All black, all white, or all of one value."""
    still = kind is not None and kind.key in MAY_BE_STILL
    if all(plane.is_black for plane in colour.values()):
        needed = kind is not None and kind.role in BLANK_ROLES and not still
        scales = kind is not None and kind.role is Role.SCALE
        severity = ERROR if needed else WARNING if scales else NOTE
        yield Verdict("black", severity, f"{title} is all black.")
    elif not all(plane.is_constant for plane in colour.values()):
        return
    elif all(plane.least == 1.0 for plane in colour.values()):
        at_rest = still or (kind is not None and kind.role is Role.SCALE)
        yield Verdict("white", NOTE if at_rest else WARNING, f"{title} is all white.")
    elif not still:
        yield Verdict("constant", WARNING, f"{title} is one value all over: {next(iter(colour.values())).most:.4g}.")


def _cut_off(
    kind: PassKind | None, title: str, colour: Mapping[str, PlaneFacts], *, whole_numbers: bool
) -> Iterator[Verdict]:
    if kind is None or "unclamped" not in kind.all_demands or whole_numbers:
        return
    cut = [plane for plane in colour.values() if plane.most == 1.0 and plane.ones > CLAMPED_SHARE * plane.pixels]
    if not cut or any(plane.most is None or plane.most > 1.0 for plane in colour.values()):
        return
    if not all(plane.is_constant for plane in colour.values()):
        count = max(plane.ones for plane in cut)
        yield Verdict("clamped", ERROR, f"{title} looks cut off at 1: {count} pixels are just there.")


def _coarse(kind: PassKind | None, title: str, colour: Mapping[str, PlaneFacts]) -> Iterator[Verdict]:
    """Data that only has the 256 steps of 8 bits, whatever type it is stored in."""
    if kind is None or kind.key not in CONTINUOUS:
        return
    telling = [plane for plane in colour.values() if not plane.is_constant and plane.pixels >= GRID_PIXELS]
    if telling and all(plane.stepped for plane in telling):
        yield Verdict("eight-bit", ERROR, f"{title} has only the steps of 8 bits.")
    elif (
        telling
        and kind.key in ("depth", "position")
        and all(FEWEST_LEVELS <= plane.levels <= MOST_LEVELS for plane in telling)
    ):
        levels = max(plane.levels for plane in telling)
        yield Verdict(
            "eight-bit", ERROR, f"{title} has only {levels} different values: it was stored in few bits once."
        )


def _bounded(kind: PassKind | None, title: str, colour: Mapping[str, PlaneFacts]) -> Iterator[Verdict]:
    low, high = BOUNDS.get(kind.key if kind else "", (-math.inf, math.inf))
    least = min((plane.least for plane in colour.values() if plane.least is not None), default=0.0)
    most = max((plane.most for plane in colour.values() if plane.most is not None), default=0.0)
    if least < low - BEYOND or most > high + BEYOND:
        yield Verdict(
            "range",
            ERROR,
            f"{title} goes from {least:.4g} to {most:.4g}, but means nothing beyond {low:g} to {high:g}.",
        )


def _place(plane: PlaneFacts, kind: str) -> Place | None:
    place = (plane.strange or {}).get(kind)
    return None if place is None else (int(place[0]), int(place[1]))


def _is_alpha(name: str) -> bool:
    return name.upper() in ("A", "ALPHA")
