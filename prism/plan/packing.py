"""How passes are packed into files, and which storage can carry what a pass demands.

A pass demands abilities (kinds.DEMANDS); a storage has them or not, by the table of `prism.pixels.file_formats`.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from types import MappingProxyType
from typing import Literal, Self

from pydantic import model_validator

from prism.documents import Value
from prism.passes.kinds import PassKind
from prism.pixels.file_formats import BYTE, FLOAT, HALF, WORD, WRITTEN

WHOLE_NUMBERS = frozenset({BYTE, WORD})
PIXEL_TITLES = MappingProxyType(
    {HALF: "16-bit half", FLOAT: "32-bit float", BYTE: "8-bit", WORD: "16-bit whole numbers"}
)
PIXEL_ABILITIES: Mapping[str, frozenset[str]] = MappingProxyType(
    {
        HALF: frozenset({"unclamped"}),
        FLOAT: frozenset({"unclamped", "float32"}),
        BYTE: frozenset(),
        WORD: frozenset(),
    }
)


DEEP = frozenset({"deep"})


class Storage(Value):
    """Format, pixel type and compression of a file, which must fit one another."""

    format: Literal["exr", "tiff", "png", "tga", "jpeg"] = "exr"
    pixel: Literal["half", "float", "uint8", "uint16"] = "half"
    compression: str = "zip"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        form = WRITTEN[self.format]
        for what, value, choices in (
            ("pixels", self.pixel, form.pixels),
            ("compression", self.compression, form.compressions),
        ):
            if value not in choices:
                raise ValueError(f"{form.title} has no {value} {what}; it has {', '.join(choices)}")
        return self

    @property
    def suffix(self) -> str:
        """The suffix of file names, with its dot."""
        return WRITTEN[self.format].suffix

    @property
    def title(self) -> str:
        """Format, pixel type and compression, for a person."""
        return f"{WRITTEN[self.format].title}, {PIXEL_TITLES[self.pixel]}, {self.compression}"

    @property
    def abilities(self) -> frozenset[str]:
        """Which demands of a pass it can meet."""
        form = WRITTEN[self.format]
        compression = form.compressions[self.compression]
        found = form.abilities | PIXEL_ABILITIES[self.pixel]
        found |= {"exact"} if self.pixel in compression.exact else set()
        return found | DEEP if compression.deep and self.pixel == FLOAT else found

    def unmet(self, demands: Collection[str]) -> tuple[str, ...]:
        """The demands that it cannot meet, in their order."""
        return tuple(demand for demand in demands if demand not in self.abilities)


COLOUR_STORAGE = Storage()
DATA_STORAGE = Storage(pixel="float")
DEEP_STORAGE = Storage(pixel="float", compression="zips")


class Packing(Value):
    """Which passes share a file, and how colour, data and deep are stored.

    one-file: all passes together. each-pass: a file for each. colour-and-data: two files. parts: all in one file, each
    a part of its own, stored as its pass asks. Deep always has files of its own. beauty_in_data: files of data alone
    carry a copy of the beauty, stored as the data is.
    """

    rule: Literal["one-file", "each-pass", "colour-and-data", "parts"] = "one-file"
    colour: Storage = COLOUR_STORAGE
    data: Storage = DATA_STORAGE
    deep: Storage = DEEP_STORAGE
    beauty_in_data: bool = False

    def storage_field(self, kind: PassKind) -> str:
        """Which of the three a pass is stored by: colour, data or deep."""
        if "deep" in kind.all_demands:
            return "deep"
        return "data" if kind.is_data else "colour"

    def storage(self, kind: PassKind) -> Storage:
        """How a pass of that kind is stored."""
        return getattr(self, self.storage_field(kind))

    @property
    def has_data_files(self) -> bool:
        """Whether there are files of data alone, which could carry a copy of the beauty."""
        return self.rule in ("colour-and-data", "each-pass")


# Size of a file relative to lossless ZIP of the pass's own type (half for colour, float for data), measured on the
# demo's frame 1001 at 960 x 540 with 16 samples; formats other than EXR on its beauty.
_EXR_SIZE: Mapping[tuple[bool, str], Mapping[str, float]] = {
    (False, HALF): {
        "none": 2.5, "rle": 1.31, "zips": 1.0, "zip": 1.0, "piz": 1.16, "pxr24": 1.07, "b44": 1.09, "b44a": 0.75,
        "dwaa": 0.42, "dwab": 0.42,
    },
    (False, FLOAT): {
        "none": 4.99, "rle": 3.07, "zips": 2.97, "zip": 2.96, "piz": 2.86, "pxr24": 1.66, "b44": 4.99, "b44a": 4.99,
        "dwaa": 0.48, "dwab": 0.48,
    },
    (True, FLOAT): {
        "none": 3.18, "rle": 1.85, "zips": 1.03, "zip": 1.0, "piz": 1.1, "pxr24": 0.45, "b44": 3.18, "b44a": 3.18,
        "dwaa": 0.75, "dwab": 0.75,
    },
    (True, HALF): {
        "none": 1.4, "rle": 0.31, "zips": 0.23, "zip": 0.19, "piz": 0.3, "pxr24": 0.2, "b44": 0.61, "b44a": 0.33,
        "dwaa": 0.23, "dwab": 0.22,
    },
}  # fmt: skip
_FLAT_SIZE: Mapping[tuple[str, str, str], float] = {
    ("tiff", BYTE, "zip"): 0.47,
    ("tiff", BYTE, "none"): 1.07,
    ("tiff", WORD, "zip"): 1.49,
    ("tiff", WORD, "none"): 2.15,
    ("tiff", FLOAT, "zip"): 1.32,
    ("tiff", FLOAT, "none"): 4.29,
    ("png", BYTE, "zip"): 0.38,
    ("png", WORD, "zip"): 1.07,
    ("tga", BYTE, "none"): 1.07,
    ("tga", BYTE, "rle"): 0.68,
    ("jpeg", BYTE, "jpeg"): 0.16,
}


def relative_size(storage: Storage, pixel: str, kind: PassKind) -> float:
    """Bytes of a pass of this pixel type in a file of this format and compression, relative to its lossless ZIP."""
    if storage.format == "exr":
        return _EXR_SIZE[kind.is_data, pixel if pixel in (HALF, FLOAT) else HALF][storage.compression]
    return _FLAT_SIZE[storage.format, storage.pixel, storage.compression]
