"""The encodings there are. A new one is a module and an entry here."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, Annotated, Any, Union

from pydantic import Tag

from prism.delivery.encodings.base import SUBJECT_TITLES, Encoding
from prism.delivery.encodings.board import BoardSheet
from prism.delivery.encodings.exr import Exr
from prism.delivery.encodings.movie import Movie
from prism.delivery.encodings.parcel import Parcel
from prism.delivery.encodings.sheet import Sheet
from prism.delivery.encodings.still import Still
from prism.documents import by_kind
from prism.fields import settings_of

ENCODINGS: Mapping[str, type[Encoding]] = MappingProxyType(
    {"exr": Exr, "still": Still, "movie": Movie, "sheet": Sheet, "board": BoardSheet, "parcel": Parcel}
)
if TYPE_CHECKING:
    AnyEncoding = Encoding
else:
    AnyEncoding = Annotated[
        Union[*(Annotated[each, Tag(f"({kind})")] for kind, each in ENCODINGS.items())],
        by_kind("An encoding", tuple(ENCODINGS)),
    ]


def kinds_for_page() -> dict[str, dict[str, Any]]:
    """What a page offers of each encoding: words, subjects, and its settings, see `settings_of`."""
    return {
        kind: {
            "kind": kind,
            "title": encoding.title,
            "meaning": encoding.meaning,
            "closes": encoding.closes,
            "usualName": encoding.usual_name,
            "subjects": [{"kind": each, "title": SUBJECT_TITLES[each]} for each in encoding.subjects],
            "settings": settings_of(encoding),
            "usual": encoding().model_dump(mode="json"),
        }
        for kind, encoding in ENCODINGS.items()
    }
