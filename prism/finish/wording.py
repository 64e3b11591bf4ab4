"""A finish in words: what is done, in order, with the numbers that matter."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from types import MappingProxyType
from typing import Any

from prism.finish.base import FinishStep
from prism.finish.steps import active


def in_words(steps: tuple[FinishStep, ...], frame: int) -> str:
    """A sentence of what is done to the picture at a frame; that nothing is, without any step."""
    there = active(steps, frame)
    light = [_said(step) for step in there if step.domain == "light"]
    display = [_said(step) for step in there if step.domain == "display"]
    if not there:
        return "The rebuilt picture, as it is."
    said = [
        f"On light: {'; '.join(light)}." if light else "",
        f"After the view: {'; '.join(display)}." if display else "",
    ]
    return " ".join(filter(None, said))


def _said(step: Any) -> str:
    words = _WORDS.get(step.kind)
    details = list(words(step)) if words else []
    if step.matte is not None:
        details.append(f"within {step.matte}")
    if step.kind not in _OWN_AMOUNT and step.amount != 1:
        details.append(f"at {step.amount:.0%}")
    return ", ".join([step.name or step.title, *details])


_OWN_AMOUNT = ("sharpen", "grain")


def _grade(step: Any) -> Iterable[str]:
    if step.exposure:
        yield f"{step.exposure:+.2f} st"
    if step.warmth:
        yield "warmer" if step.warmth > 0 else "cooler"
    if step.saturation != 1:
        yield f"saturation {step.saturation:.2f}"


def _defocus(step: Any) -> Iterable[str]:
    yield f"sharp at {step.focus:g}"


_WORDS: Mapping[str, Callable[[Any], Iterable[str]]] = MappingProxyType(
    {
        "grade": _grade,
        "glow": lambda s: [f"above {s.threshold:g}, {s.size:g} px", "energy kept" if s.keep else "light added"],
        "rays": lambda s: [f"{s.way} from the point" if s.way == "away" else "towards the point", f"{s.length:g} px"],
        "flare": lambda s: [f"{s.size:g} px", *(["hidden by what is before it"] if s.hidden_by or s.depth else [])],
        "defocus": _defocus,
        "smear": lambda s: [f"shutter {s.shutter:g}"],
        "vignette": lambda s: [f"cos⁴ of {s.field_of_view:g}°" if s.form == "cos4" else f"down to {s.level:.0%}"],
        "fringe": lambda s: [f"red {s.red:+g} px, blue {s.blue:+g} px"],
        "levels": lambda s: [f"{s.black:g} to {s.white:g}, gamma {s.gamma:g}"],
        "vibrance": lambda s: [f"{s.vibrance:+.2f}"],
        "film": lambda s: [s.look],
        "sharpen": lambda s: [f"{s.amount:.0%}, {s.radius:g} px"],
        "grain": lambda s: [f"{s.amount:.1%}, {s.size:g} px"],
    }
)
