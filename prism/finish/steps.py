"""The table of finishing steps, and what is asked of many at once."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Union

from pydantic import AfterValidator, Field, Tag

from prism.documents import by_kind, kind_of
from prism.fields import settings_of
from prism.finish.base import FinishStep
from prism.finish.kinds.balance import BalanceStep
from prism.finish.kinds.curves import CurvesStep
from prism.finish.kinds.defocus import DefocusStep
from prism.finish.kinds.film import FilmStep
from prism.finish.kinds.flare import FlareStep
from prism.finish.kinds.fringe import FringeStep
from prism.finish.kinds.glow import GlowStep
from prism.finish.kinds.grade import GradeStep
from prism.finish.kinds.grain import GrainStep
from prism.finish.kinds.levels import LevelsStep
from prism.finish.kinds.rays import RaysStep
from prism.finish.kinds.sharpen import SharpenStep
from prism.finish.kinds.smear import SmearStep
from prism.finish.kinds.vibrance import VibranceStep
from prism.finish.kinds.vignette import VignetteStep

STEPS: tuple[type[FinishStep], ...] = (
    GradeStep, GlowStep, RaysStep, FlareStep, DefocusStep, SmearStep, VignetteStep, FringeStep,
    LevelsStep, CurvesStep, BalanceStep, VibranceStep, FilmStep, SharpenStep, GrainStep,
)  # fmt: skip
"""All kinds there are, in the order they are offered: those of light, then those of display values."""

KINDS = tuple(map(kind_of, STEPS))
_TAGGED = tuple(Annotated[step, Tag(f"({kind})")] for step, kind in zip(STEPS, KINDS, strict=True))
if TYPE_CHECKING:
    Step = FinishStep
else:
    Step = Annotated[Union[_TAGGED], by_kind("A finishing step", KINDS)]  # noqa: UP007  a table, not a list of names


def _in_order(steps: tuple[FinishStep, ...]) -> tuple[FinishStep, ...]:
    """Light before display values, each in the order given: there is one view between them."""
    ids = [step.id for step in steps]
    twice = next((key for key in ids if ids.count(key) > 1), None)
    if twice is not None:
        raise ValueError(f"Two finishing steps have the id {twice}")
    return tuple(sorted(steps, key=lambda step: step.domain == "display"))


Steps = Annotated[tuple[Step, ...], Field(max_length=200), AfterValidator(_in_order)]


def active(steps: tuple[FinishStep, ...], frame: int) -> tuple[FinishStep, ...]:
    """The steps that change something at a frame, with plain numbers."""
    soloed = any(step.solo for step in steps)
    there = (step.at(frame) for step in steps if step.is_active_at(frame) and (step.solo or not soloed))
    return tuple(step for step in there if not step.is_neutral)


def fields_of_mattes() -> tuple[str, ...]:
    """The fields by which steps of any kind name mattes."""
    return tuple(dict.fromkeys(name for step in STEPS for name in step.matte_fields))


def kinds_for_page() -> dict[str, dict[str, Any]]:
    """By kind: a step with nothing changed, its settings (what all have first, then its own), and what it is."""
    return {
        kind: {
            "blank": _blank(step).model_dump(mode="json"),
            "settings": sorted(settings_of(step), key=lambda setting: setting["field"] not in FinishStep.model_fields),
            "title": step.title,
            "meaning": step.meaning,
            "domains": step.domains,
            "handles": step.handles,
            "ellipse": step.ellipse,
            "focusBy": step.focus_by,
            "mattes": dict(step.matte_fields),
            "curves": step.curve_fields,
        }
        for kind, step in zip(KINDS, STEPS, strict=True)
    }


def _blank(step: type[FinishStep]) -> FinishStep:
    needed = {name: "pass" for name, field in step.model_fields.items() if field.is_required()}
    return step(**needed)
