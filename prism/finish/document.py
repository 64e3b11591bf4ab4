"""A finish by itself: the steps of a ledger as a document of its own. docs/finish-format.md describes it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from prism.documents import Document
from prism.finish.base import FinishStep
from prism.finish.steps import Steps
from prism.mattes.document import Matte, Mattes, require_order, with_sources, within


def require_mattes(steps: Iterable[FinishStep], known: Iterable[str]) -> None:
    """Raises ValueError if a step names a matte that is not there."""
    there = set(known)
    for step in steps:
        for matte in step.mattes:
            if matte not in there:
                raise ValueError(f"Finishing step {step.id} names the matte {matte}, which is not there")


class Finish(Document):
    """Steps, and the mattes that they name. They are those of a ledger, without its rows."""

    format: Literal["eager-prism.finish"] = "eager-prism.finish"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=80)] = "finish"
    mattes: Mattes = ()
    steps: Steps = ()

    @model_validator(mode="after")
    def _names_are_sound(self) -> Self:
        require_mattes(self.steps, require_order(self.mattes))
        return self

    @classmethod
    def from_json(cls, data: Any, *, where: str = "") -> Self:
        """Read it like any document; a fault of a step names that by its id."""
        try:
            return cls.model_validate(data)
        except ValidationError as error:
            step = _step_of(data, error)
            raise cls._bad(error, ", ".join(filter(None, (where, step and f"step {step}")))) from error

    @classmethod
    def of(cls, steps: tuple[FinishStep, ...], mattes: tuple[Matte, ...], *, name: str = "finish") -> Finish:
        """Steps of a ledger with what they need of its mattes."""
        needed = within(mattes, {matte for step in steps for matte in step.mattes})
        return cls(name=name, mattes=needed, steps=steps)

    @property
    def sources(self) -> tuple[str, ...]:
        """The passes that steps and mattes name, each once."""
        named = (source for each in (*self.steps, *self.mattes) for source in each.sources)
        return tuple(dict.fromkeys(named))

    def with_sources(self, others: dict[str, str]) -> Finish:
        """With other passes in place of some, by their names."""
        return self.replace(
            steps=tuple(step.with_sources(others) for step in self.steps),
            mattes=tuple(with_sources(matte, others) for matte in self.mattes),
        )


def _step_of(data: Any, error: ValidationError) -> str:
    """The id, or the number from 1, of the step that the first fault lies in; empty for any other fault."""
    place = error.errors()[0]["loc"]
    if len(place) < 2 or place[0] != "steps" or not isinstance(place[1], int):
        return ""
    step = data["steps"][place[1]]
    return str(step["id"]) if isinstance(step, dict) and isinstance(step.get("id"), str) else str(place[1] + 1)
