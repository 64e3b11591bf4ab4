"""Typed, versioned documents with JSON in and out: what all of them share."""

import json
from pathlib import Path
from typing import Any, Self

from pydantic import BaseModel, ConfigDict, ValidationError

from prism.errors import BadDocument, UnreadableFile


class Value(BaseModel):
    """A small immutable value inside a document. Unknown fields are refused, and so are NaN and infinity."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def replace(self, **changes: Any) -> Self:
        """A copy with some fields changed; the changed value is checked like a new one."""
        return type(self).model_validate({**self.__dict__, **changes})


class Document(Value):
    """The root of a JSON document."""

    @classmethod
    def from_json(cls, data: Any, *, where: str = "") -> Self:
        """Check parsed JSON against the schema. Raises BadDocument with the path to the first bad field."""
        try:
            return cls.model_validate(data)
        except ValidationError as error:
            raise cls._bad(error, where) from error

    @classmethod
    def load(cls, path: Path) -> Self:
        """Read a document from a JSON file. Raises UnreadableFile or BadDocument."""
        try:
            data = json.loads(Path(path).read_text(encoding="utf-8"))
        except OSError as error:
            raise UnreadableFile(error.strerror or str(error), where=str(path)) from error
        except (UnicodeDecodeError, json.JSONDecodeError) as error:
            raise BadDocument(f"Not JSON: {error}.", where=str(path)) from error
        return cls.from_json(data, where=str(path))

    def as_json(self) -> dict[str, Any]:
        return self.model_dump(mode="json")

    @classmethod
    def _bad(cls, error: ValidationError, where: str) -> BadDocument:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"]) or "document"
        place = f"{where}, field {field}" if where else f"field {field}"
        more = len(error.errors()) - 1
        advice = f"{more} more field{'s' if more > 1 else ''} to correct." if more else ""
        return BadDocument(f"{first['msg'].removeprefix('Value error, ').rstrip('.')}.", where=place, advice=advice)
