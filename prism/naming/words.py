"""Lines of words with fields in Python's format syntax, such as captions: read by people, and no file names."""

from __future__ import annotations

import re
import string
from collections.abc import Collection, Mapping
from typing import Any

from prism.errors import BadArgument

_SPEC = re.compile(r"[<>^]?0?\d{0,2}(\.\d{1,2})?[dfgs]?")  # two digits: no line is as wide as a hundred letters


def filled(text: str, values: Mapping[str, Any], *, fields: Collection[str], where: str) -> str:
    """A line with its fields filled in; empty where there is no value. Raises BadArgument for a field that is not one
    of `fields`, for a format that is no width or precision, and for what does not fit its value."""
    try:
        parsed = list(string.Formatter().parse(text))
        for _, name, spec, conversion in parsed:
            if name is None:
                continue
            if name not in fields:
                known = ", ".join(f"{{{field}}}" for field in fields)
                raise BadArgument(f"Unknown field {{{name}}}.", where=where, advice=f"Use {known}.")
            if conversion or not _SPEC.fullmatch(spec or ""):
                raise BadArgument(
                    f"The format of {{{name}}} cannot be filled in.", where=where, advice="Write a width such as :04."
                )
        return text.format_map(dict.fromkeys(fields, "") | dict(values))
    except (ValueError, TypeError) as error:
        raise BadArgument(f"The text cannot be filled in: {error}.", where=where) from None
