"""A finish in words: what is done, in order, with the numbers that matter."""

from __future__ import annotations

from prism.finish.base import FinishStep
from prism.finish.display import of_domain
from prism.finish.steps import active


def in_words(steps: tuple[FinishStep, ...], frame: int) -> str:
    """A sentence of what is done to the picture at a frame; that nothing is, without any step."""
    there = active(steps, frame)
    if not there:
        return "The rebuilt picture, as it is."
    light = "; ".join(map(step_in_words, of_domain(there, "light")))
    display = "; ".join(map(step_in_words, of_domain(there, "display")))
    return " ".join(filter(None, [light and f"On light: {light}.", display and f"After the view: {display}."]))


def step_in_words(step: FinishStep) -> str:
    """What it is called, with the numbers that matter."""
    details = list(step.in_words())
    if step.matte is not None:
        details.append(f"within {step.matte}")
    if step.amount != 1 and not step.says_amount:
        details.append(f"at {step.amount:.0%}")
    return ", ".join([step.label, *details])
