"""Lights dimmed: what rows of light groups amount to, light by light, and in words."""

from __future__ import annotations

from dataclasses import dataclass

from prism.elements.identify import DENOISED
from prism.keyed import at
from prism.ledger.document import Ledger
from prism.ledger.rows import PassRow
from prism.ledger.trims import Trims
from prism.passes.kinds import PassKind, Role
from prism.sources.pixels import Frame

_MARK = "light_"
_OTHER_TRIMS = ("gain", "offset", "saturation", "hue", "contrast", "gamma", "curves", "clamp")
_LEAST_STOPS, _LEAST_MIRED = 0.005, 0.5  # that are worth a word


@dataclass(frozen=True, slots=True)
class Dimmer:
    """A light at one frame. rows: ids of those that hold it. even: whether all of them are set alike. graded: whether
    they have other trims as well."""

    label: str
    rows: tuple[str, ...]
    exposure: float
    warmth: float
    tint: tuple[float, float, float]
    on: bool
    even: bool
    graded: bool

    @property
    def words(self) -> str:
        """What was done to it; empty if nothing."""
        name = self.label.replace("_", " ")
        if not self.on:
            return f"{name} off"
        if not self.even:
            return f"{name} changed part by part"
        said = []
        if abs(self.exposure) >= _LEAST_STOPS:
            said.append(f"{self.exposure:+.2g} st")
        if abs(self.warmth) >= _LEAST_MIRED:
            said.append("warmer" if self.warmth > 0 else "cooler")
        if self.tint != (1, 1, 1):
            said.append("tinted")
        if self.graded:
            said.append("graded")
        return f"{name} {' and '.join(said)}" if said else ""


def light_of(key: str, kind: PassKind | None) -> str:
    """The label of the light that a pass of that key and kind holds; empty for others."""
    if kind is None or kind.role not in (Role.GROUP, Role.PART):
        return ""
    return key.rpartition("/")[2].partition(_MARK)[2].removesuffix(f"_{DENOISED}")


def dimmers(ledger: Ledger, frame: Frame) -> tuple[Dimmer, ...]:
    """The lights of a ledger, in the order of their first rows; none if it is not made by lights."""
    by_light: dict[str, list[PassRow]] = {}
    for row in ledger.passes:
        label = light_of(row.source, frame.source(row.source).kind) if row.source in frame else ""
        if label:
            by_light.setdefault(label, []).append(row)
    return tuple(_dimmer(label, rows, frame.number) for label, rows in by_light.items())


def in_words(ledger: Ledger, frame: Frame) -> str:
    """What was done to the lights at this frame, such as `lanterns +0.5 st and warmer, moon rim off`; empty for
    nothing."""
    found = dimmers(ledger, frame)
    soloed = [dimmer for dimmer in found if any(ledger.row(row).solo for row in dimmer.rows)]
    words = [dimmer.words for dimmer in found]
    alone = f"only {', '.join(dimmer.label.replace('_', ' ') for dimmer in soloed)}" if soloed else ""
    return ", ".join(filter(None, [alone, *words]))


def _dimmer(label: str, rows: list[PassRow], frame: int) -> Dimmer:
    settings = [_settings(row, frame) for row in rows]
    exposure, warmth, tint, *_ = settings[0]
    return Dimmer(
        label=label,
        rows=tuple(row.id for row in rows),
        exposure=exposure,
        warmth=warmth,
        tint=tint,
        on=any(amount for *_, amount, _ in settings),
        even=len(set(settings)) == 1,
        graded=settings[0][-1],
    )


def _settings(row: PassRow, frame: int) -> tuple:
    """Exposure, warmth, tint, amount, and whether there are other trims."""
    neutral = Trims()
    graded = any(getattr(row, name) != getattr(neutral, name) for name in _OTHER_TRIMS)
    tint = tuple(at(part, frame) for part in row.tint)
    return at(row.exposure, frame), at(row.warmth, frame), tint, at(row.amount, frame) if row.on else 0.0, graded
