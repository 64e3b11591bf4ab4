"""What an artist says once about names: a pattern, and the pass that is meant by it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from fnmatch import fnmatchcase
from typing import Annotated, Literal

from pydantic import Field, model_validator

from prism.documents import Value
from prism.elements.identify import Match, from_key
from prism.errors import BadArgument
from prism.passes.catalogue import BY_KEY

IGNORE = Match("", "ignored", BY_KEY["beauty"], 1.0, "excluded by a rule")


class Rule(Value):
    """Names that match the pattern mean this pass.

    pattern: with * and ?, compared with the layer's name and the file's, capitals alike. does: pass (target is its
    key), light (target is the label), or ignore.
    """

    pattern: Annotated[str, Field(min_length=1, max_length=200)]
    does: Literal["pass", "light", "ignore"] = "pass"
    target: Annotated[str, Field(max_length=120)] = ""

    @model_validator(mode="after")
    def _target_is_known(self) -> Rule:
        if self.does == "pass" and from_key(self.target) is None:
            raise ValueError(f"There is no pass {self.target}; use one of the catalogue, or light_LABEL")
        if self.does == "light" and not self.target:
            raise ValueError("Say what the light is called")
        return self

    @property
    def light(self) -> str:
        """The label that it makes known."""
        return self.target if self.does == "light" else ""

    def fits(self, name: str) -> bool:
        """Whether a name is meant."""
        return fnmatchcase(name.lower(), self.pattern.lower())

    @property
    def match(self) -> Match:
        """What a name that fits is."""
        if self.does == "ignore":
            return IGNORE
        found = from_key(f"light_{self.target}" if self.does == "light" else self.target)
        if found is None:  # checked when it was made
            raise BadArgument(f"There is no pass {self.target}.", where="rule")
        return replace(found, reason=f"by your rule for {self.pattern}")


def ruled(rules: Iterable[Rule], name: str) -> Match | None:
    """By the first rule that fits a name; None if none does."""
    return next((rule.match for rule in rules if rule.fits(name)), None)
