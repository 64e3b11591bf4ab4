"""Typed, versioned documents with JSON in and out: what all of them share."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Discriminator, Field, ValidationError

from prism.errors import BadDocument, PrismError
from prism.json_text import load_json

Identity = Annotated[str, Field(min_length=1, max_length=80)]
SourceName = Annotated[str, Field(min_length=1, max_length=200)]
Comment = Annotated[str, Field(max_length=2000)]
Word = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]*$", max_length=64)]
"""A name that may stand in names of files and channels."""


class Value(BaseModel):
    """A small immutable value inside a document. Unknown fields are refused, and so are NaN and infinity."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def replace(self, **changes: Any) -> Self:
        """A copy with some fields changed; the changed value is checked like a new one."""
        fields = {name: self.__dict__[name] for name in type(self).model_fields}  # and nothing that was only worked out
        return type(self).model_validate(fields | changes)


def kind_of(document: type[Value]) -> str:
    """The word for one of several documents that stand in the same place: its `kind`."""
    return document.model_fields["kind"].default


def by_kind(what: str, kinds: Sequence[str], *, without: str | None = None) -> Discriminator:
    """Tells the branches of a union apart by their `kind`; each is tagged with its kind in parentheses. what: that a
    fault is said of. without: the kind of what names none."""

    def tag(given: Any) -> str:
        kind = given.get("kind", without) if isinstance(given, dict) else getattr(given, "kind", without)
        return f"({kind})" if kind in kinds else str(kind)

    message = f"{what} has one of the kinds {', '.join(kinds)}"
    return Discriminator(tag, custom_error_type="kind", custom_error_message=message)


class Document(Value):
    """The root of a JSON document."""

    @classmethod
    def from_json(cls, data: Any, *, where: str = "") -> Self:
        """Check parsed JSON against the schema. Raises BadDocument with the path to the first bad field."""
        try:
            return cls.model_validate(data)
        except ValidationError as error:
            raise cls._bad(error, where) from error

    def replace(self, **changes: Any) -> Self:
        """A copy with other fields; a fault is said like one of a document that was read. Raises BadDocument."""
        try:
            return super().replace(**changes)
        except ValidationError as error:
            raise self._bad(error, "") from error

    @classmethod
    def load(cls, path: Path) -> Self:
        """Read a document from a JSON file. Raises UnreadableFile or BadDocument."""
        return cls.from_json(load_json(path), where=str(path))

    def as_json(self) -> dict[str, Any]:
        """The document for JSON, every default written out."""
        return self.model_dump(mode="json")

    @classmethod
    def _bad(cls, error: ValidationError, where: str) -> PrismError:
        first = error.errors()[0]
        path = (str(part) for part in first["loc"])
        # The branch that a choice of types took is in parentheses, and no field of the document.
        field = ".".join(part for part in path if not part.startswith("(")) or "document"
        place = f"{where}, field {field}" if where else f"field {field}"
        more = len(error.errors()) - 1
        advice = f"{more} more field{'s' if more > 1 else ''} to correct." if more else ""
        return BadDocument(spoken_fault(first), where=place, advice=advice)


def fingerprint(data: Any) -> str:
    """Sixteen hex digits that change whenever the JSON data does: the first of its SHA-256 in canonical form."""
    return fingerprint_of(canonical(data))


def canonical(data: Any) -> str:
    """JSON data as the one text that it has."""
    return json.dumps(data, sort_keys=True, separators=(",", ":"), allow_nan=False)


def fingerprint_of(text: str) -> str:
    """The same as `fingerprint`, of data in canonical form: of many that are alike in most, that is written once."""
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:16]


_FAULTS = {
    "missing": "This field is missing",
    "extra_forbidden": "There is no such field",
    "string_type": "A text is wanted here",
    "string_pattern_mismatch": "Use letters, digits, _ and - only, and begin with a letter or digit",
    "string_too_long": "Use at most {max_length} characters",
    "string_too_short": "Use at least {min_length} characters",
    "int_type": "A whole number is needed here",
    "int_parsing": "A whole number is needed here",
    "int_from_float": "A whole number is needed here, without a fraction",
    "float_type": "A number is wanted here",
    "float_parsing": "A number is wanted here",
    "finite_number": "Infinity and not-a-number cannot be used here",
    "bool_type": "Say true or false",
    "bool_parsing": "Say true or false",
    "tuple_type": "A list is wanted here",
    "list_type": "A list is wanted here",
    "dict_type": "Names with values are wanted here",
    "model_type": "Names with values are wanted here",
    "model_attributes_type": "Names with values are wanted here",
    "literal_error": "Use one of {expected}",
    "greater_than": "Use a number above {gt:g}",
    "greater_than_equal": "Use {ge:g} or more",
    "less_than": "Use a number below {lt:g}",
    "less_than_equal": "Use {le:g} or less",
    "too_long": "At most {max_length} entries fit here",
    "too_short": "At least {min_length} entries are needed here",
}
"""What a fault of a field is called, by the kinds that pydantic tells apart."""


def spoken_fault(error: Mapping[str, Any]) -> str:
    """One error of pydantic in our own words, as a sentence; the library's own for kinds that are not known."""
    known = _FAULTS.get(error["type"])
    words = known.format(**error.get("ctx", {})) if known else error["msg"].removeprefix("Value error, ")
    return f"{words.rstrip('.')}."
