"""Text from elsewhere, made fit for pages, databases and terminals."""

from __future__ import annotations

import re
from os import PathLike

_UNFIT = re.compile("[\x00-\x1f\x7f-\x9f\u2028\u2029\ud800-\udfff]")


def printable(text: str | PathLike[str]) -> str:
    """The text on one line of UTF-8, with whatever has no place there spelt out: names of files may hold any bytes."""
    return _UNFIT.sub(lambda found: found[0].encode("unicode_escape", "surrogatepass").decode(), str(text))
