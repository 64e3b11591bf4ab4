"""OpenEXR: the picture with whichever passes and mattes beside it, as one file, as parts, or as files apart."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from prism.colour.views import VIEW_TITLES
from prism.delivery.encodings.base import (
    PICTURES,
    Destination,
    Encoding,
    Names,
    Order,
    SubjectKind,
    View,
    Written,
    transform_of,
)
from prism.delivery.ledger_frame import LedgerFrame, chosen
from prism.delivery.reading_back import require_deep, require_image
from prism.errors import BadArgument
from prism.fields import Shown
from prism.finish.display import of_domain
from prism.formats.deep import write_deep
from prism.formats.exr import passing, to_half, write_exr, write_parts
from prism.keyed import Within
from prism.ledger.document import Ledger
from prism.mattes.ranks import first_ranks, rank_keys
from prism.mattes.writing import CHANNEL, file_word
from prism.pixels.channels import split_name
from prism.pixels.file_formats import EXR_COMPRESSIONS
from prism.pixels.image import Image, pixel_type
from prism.pixels.picture import Picture, on_display
from prism.pixels.resize import scaled, scaled_window
from prism.sources.pixels import Frame, Source

MATTE = "A"  # of a matte beside a picture: a name that no lossy compression takes for colour
DEEP_COMPRESSION = "zips"
_MEANINGS = {name: each.meaning for name, each in EXR_COMPRESSIONS.items()}
_PACKED = {"one": "one file", "parts": "parts of a file", "apart": "files apart"}
_BESIDE_PASSES = (*PICTURES, "mattes", "cryptomatte")
_BESIDE_MATTES = (*PICTURES, "passes", "cryptomatte")
_FLAT = (*PICTURES, "passes", "mattes", "cryptomatte")
ExrCompression = Literal[
    "none", "rle", "zips", "zip", "piz", "pxr24", "b44", "b44a", "dwaa", "dwab", "htj2k256", "htj2k32", "zstd"
]


@dataclass(frozen=True, slots=True)
class Group:
    """What lies together in a part or a file. name: of the part; empty for the picture. data: not light, so it is
    picked and not filtered when it is scaled."""

    name: str
    planes: Mapping[str, NDArray]
    attributes: Mapping[str, Any]
    data: bool = False
    remarks: tuple[str, ...] = ()


class Exr(Encoding):
    """pixel: of light and mattes; data are float, as `data` says. passes, mattes, cryptomatte: beside the picture.
    packing: how these lie together. window: with overscan, or cropped to the display window. holds: light, or display
    values of `view` with all of the finish. scale: of both sides."""

    title: ClassVar[str] = "OpenEXR"
    meaning: ClassVar[str] = "Light as it is, with whatever lies beside it: to go on working."
    subjects: ClassVar[tuple[SubjectKind, ...]] = ("finished", "rebuilt", "passes", "mattes", "cryptomatte", "deep")

    kind: Literal["exr"] = "exr"
    holds: Annotated[
        Literal["light", "display"],
        Shown(
            title="holds",
            words={"light": "light, scene-linear", "display": "display values, all of the finish"},
            suits=PICTURES,
        ),
    ] = "light"
    view: Annotated[View, Shown(title="view", words=VIEW_TITLES, when=("holds", ("display",)), suits=PICTURES)] = "film"
    keep_alpha: Annotated[bool, Shown(title="alpha kept", when=("holds", ("display",)), suits=PICTURES)] = True
    pixel: Annotated[Literal["half", "float"], Shown(title="light as", suits=_FLAT)] = "half"
    data: Annotated[Literal["half", "float"], Shown(title="data as", suits=_FLAT)] = "float"
    compression: Annotated[
        ExrCompression,
        Shown(title="compression", notes=_MEANINGS, suits=_FLAT),
    ] = "zip"
    passes: Annotated[Names, Shown(title="passes beside", takes="names", lists="passes", suits=_BESIDE_PASSES)] = ()
    denoised: Annotated[
        Literal["all", "noisy", "denoised"],
        Shown(
            title="of all passes",
            words={"all": "all of them", "noisy": "those as rendered", "denoised": "those denoised"},
            suits=(*PICTURES, "passes"),
        ),
    ] = "all"
    mattes: Annotated[Names, Shown(title="mattes beside", takes="names", lists="mattes", suits=_BESIDE_MATTES)] = ()
    cryptomatte: Annotated[bool, Shown(title="Cryptomatte kept", suits=(*PICTURES, "passes", "mattes"))] = False
    packing: Annotated[
        Literal["one", "parts", "apart"],
        Shown(title="packing", words=_PACKED, suits=_FLAT),
    ] = "one"
    window: Annotated[
        Literal["data", "display"],
        Shown(title="window", words={"data": "with overscan", "display": "cropped to the picture"}, suits=_FLAT),
    ] = "data"
    scale: Annotated[float, Within(0.01, 4), Shown(title="scale", step=0.005, digits=3, suits=_FLAT)] = 1.0

    @property
    def suffix(self) -> str:
        """The suffix of its files."""
        return "exr"

    def in_words(self, item: Order) -> str:
        """Pixel type, compression and what lies beside."""
        if item.subject == "deep":
            return f"all samples as they are, {DEEP_COMPRESSION}"
        beside = [*(("all passes",) if "*" in self.passes else self.passes)]
        beside += ["all mattes"] if "*" in self.mattes else list(self.mattes)
        beside += ["Cryptomatte"] if self.cryptomatte else []
        words: list[str] = [self.pixel, self.compression]
        words += [f"display values of the {self.view} view"] if self.holds == "display" else []
        words += [f"with {', '.join(beside)} {_PACKINGS[self.packing]}"] if beside else []
        words += ["cropped to the display window"] if self.window == "display" else []
        words += [f"at {self.scale:.4g} of the size"] if self.scale != 1 else []
        return ", ".join(words)

    def name_pattern(self, item: Order) -> str:
        """Files apart are told apart by what they hold."""
        what = "{pass}" if self._is_apart(item) else "{item}"
        return f"{{item}}/{{shot}}_{{ledger}}_v{{version:03}}_{what}.{{frame:04}}.{{suffix}}"

    def _is_apart(self, item: Order) -> bool:
        return self.packing == "apart" or item.subject == "deep"

    def require(self, item: Order, ledger: Ledger, sources: Frame) -> None:
        """Names that are there, a compression that keeps what it must, and a size."""
        chosen(self.mattes, [matte.id for matte in ledger.mattes], "matte")
        chosen(item.names if item.subject == "mattes" else (), [matte.id for matte in ledger.mattes], "matte")
        for names in (self.passes, item.names if item.subject in ("passes", "deep") else ()):
            chosen(names, [source.key for source in sources], "pass")
        if self.scale != 1 and self.window == "data":
            raise BadArgument(
                "Overscan is kept at full size only.", where="scale", advice="Crop it to the display window, or leave "
                "the size.",
            )  # fmt: skip
        lossy = EXR_COMPRESSIONS[self.compression]
        data = [source.key for source in self._beside(item, sources) if source.is_data]
        if data and self.packing == "one" and any(lossy.loses(self.data, name) for name in ("R", "X", "Z")):
            raise BadArgument(
                f"{self.compression} would change the data of {', '.join(data[:3])}.", where="compression",
                advice="Choose a lossless one, or parts, where data keep zip.",
            )  # fmt: skip

    def paths(self, item: Order, place: Destination, frame: int, ledger: Ledger, sources: Frame) -> list[Path]:
        """One, or one for each of what lies apart."""
        if not self._is_apart(item):
            return [place.path(item, self.suffix, frame=frame)]
        return [place.path(item, self.suffix, frame=frame, what=word) for word in self._words(item, ledger, sources)]

    def _words(self, item: Order, ledger: Ledger, sources: Frame) -> list[str]:
        if item.subject == "deep":
            return [file_word(source.key) for source in _deep(item, sources)]
        words = [item.id] if item.subject in ("finished", "rebuilt") else []
        words += [file_word(_layer(source, sources)) for source in self._beside(item, sources)]
        mattes = item.names if item.subject == "mattes" else self.mattes
        return words + [file_word(name) for name in chosen(mattes, [matte.id for matte in ledger.mattes], "matte")]

    def add(self, item: Order, made: LedgerFrame, place: Destination) -> list[Written]:
        """Write a frame, and read it back with another library."""
        if item.subject == "deep":
            return [self._write_deep(source, item, made, place) for source in _deep(item, made.sources)]
        groups = [self._sized(group, made.sources) for group in self.groups(item, made)]
        if not groups:
            raise BadArgument("There is nothing of that in this frame.", where=f"item {item.id}")
        if self.packing == "apart":
            return [
                self._write([group], place.path(item, self.suffix, frame=made.number, what=file_word(name)), made)
                for group, name in ((each, each.name or item.id) for each in groups)
            ]
        return [self._write(groups, place.path(item, self.suffix, frame=made.number), made)]

    def groups(self, item: Order, made: LedgerFrame) -> list[Group]:
        """All that is written, at full size."""
        return [
            *([self.picture(item, made)] if item.subject in ("finished", "rebuilt") else []),
            *(self._pass(source, made) for source in self._beside(item, made.sources)),
            *self._mattes(item, made),
        ]

    def _beside(self, item: Order, sources: Frame) -> list[Source]:
        """Passes and ranks of Cryptomattes."""
        wanted = item.names if item.subject == "passes" else self.passes
        flat = [source for source in sources if not source.is_deep]
        ranked = [key for first in first_ranks(sources) for key in rank_keys(sources, first.key)]
        if "*" in wanted:
            found = [source.key for source in flat if source.key not in ranked and self._wants(source)]
        else:
            found = chosen(wanted, [source.key for source in flat], "pass")
        if self.cryptomatte or item.subject == "cryptomatte" or ("*" in wanted and item.subject == "passes"):
            found += ranked
        return [sources.source(key) for key in dict.fromkeys(found)]

    def _wants(self, source: Source) -> bool:
        return self.denoised == "all" or source.denoised == (self.denoised == "denoised")

    def picture(self, item: Order, made: LedgerFrame) -> Group:
        """R, G, B and A with the header entries of the beauty."""
        finished = item.subject == "finished"
        picture, remarks = made.light if finished else made.rebuilt, []
        if self.holds == "display":
            picture, _ = made.shown(transform_of(self.view, made.ledger), finished=finished, keep_alpha=self.keep_alpha)
            picture = picture.with_rgba(np.concatenate([picture.rgba[:3] * picture.rgba[3], picture.rgba[3:]]))
            remarks.append(f"These are display values of the view {self.view}, no light.")
        elif finished and made.finish.on_display:
            names = ", ".join(step.label for step in made.finish.on_display)
            remarks.append(f"Light, so without the steps that work on display values: {names}.")
        attributes, dropped = _entries_of_beauty(made, picture)
        if dropped:
            remarks.append(f"Header entries that no new file can carry were dropped: {', '.join(dropped)}.")
        if self.holds == "display":
            attributes.pop("chromaticities", None)  # of light
            attributes["view"] = self.view
        entries = {"ledger": made.ledger.name, **(self._steps(made) if finished else {})}
        planes = dict(zip("RGBA", _whole(picture, made.sources), strict=True))
        return Group("", planes, {**attributes, **entries}, remarks=tuple(remarks))

    def _steps(self, made: LedgerFrame) -> dict[str, str]:
        steps = made.finish.steps if self.holds == "display" else of_domain(made.finish.steps, "light")
        return {"finish": ", ".join(step.label for step in steps)} if steps else {}

    def _pass(self, source: Source, made: LedgerFrame) -> Group:
        pixels = made.sources.pixels(source.key)
        planes = [*dict.fromkeys(map(id, pixels.planes))]  # a pass of one channel has the same plane three times
        stored = [plane for plane in pixels.planes if planes and planes.pop(0) == id(plane)][: len(source.colour)]
        layer = _layer(source, made.sources)
        named = {_channel(source, layer, name): plane for name, plane in zip(source.colour, stored, strict=False)}
        if pixels.alpha is not None and source.alpha:
            named[_channel(source, layer, source.alpha)] = pixels.alpha
        attributes, _ = passing(source.attributes)
        kept = {
            name: entry for name, entry in attributes.items() if name.startswith("cryptomatte/") or name in _OF_LIGHT
        }
        return Group(layer, named, kept, data=source.is_data)

    def _mattes(self, item: Order, made: LedgerFrame) -> Iterator[Group]:
        wanted = item.names if item.subject == "mattes" else self.mattes
        alone = self.packing == "apart"
        for name in chosen(wanted, [matte.id for matte in made.ledger.mattes], "matte"):
            word = file_word(name)
            yield Group(word, {CHANNEL if alone else f"{word}.{MATTE}": made.matte(name)}, {})

    def _sized(self, group: Group, sources: Frame) -> Group:
        """Cropped, scaled, and in its pixel type."""
        planes = dict(group.planes)
        if self.window == "display":
            windows = sources.window, sources.display_window
            planes = {name: on_display(plane[np.newaxis], *windows)[0] for name, plane in planes.items()}
        if self.scale != 1:
            shape = scaled_window(sources.display_window, self.scale).shape
            planes = {name: scaled(plane, shape, pick=group.data) for name, plane in planes.items()}
            if not group.data and "A" in planes:
                planes["A"] = planes["A"].clip(0, 1)  # a sharp filter goes a little beyond what it is given
        wanted = self.data if group.data else self.pixel
        return Group(
            group.name, {name: _typed(plane, wanted, name) for name, plane in planes.items()}, group.attributes,
            group.data, group.remarks,
        )  # fmt: skip

    def _write(self, groups: Sequence[Group], path: Path, made: LedgerFrame) -> Written:
        display = scaled_window(made.sources.display_window, self.scale)
        window = made.sources.window if self.window == "data" and self.scale == 1 else display
        shape: dict[str, Any] = {"data_window": window, "display_window": display}
        aspect = {"pixelAspectRatio": made.sources.pixel_aspect}
        if self.packing == "parts" and len(groups) > 1:
            own = (aspect | dict(group.attributes) for group in groups)
            parts = [
                (group.name or "picture", Image(channels=group.planes, attributes=entries, **shape))
                for group, entries in zip(groups, own, strict=True)
            ]
            compressions = [self._kept(group) for group in groups]
            write_parts(path, parts, compression=compressions)
        else:
            parts = [("", Image(channels=_joined(groups, path), attributes=aspect | _merged(groups), **shape))]
            compressions = [self.compression if len(groups) > 1 else self._kept(groups[0])]
            write_exr(path, parts[0][1], compression=compressions[0])
        require_image(path, parts, compressions)
        remarks = [remark for group in groups for remark in group.remarks]
        changed = sorted(
            name
            for (_, image), each in zip(parts, compressions, strict=True)
            for name, plane in image.channels.items()
            if EXR_COMPRESSIONS[each].loses(pixel_type(plane.dtype), name)
        )
        if changed:
            remarks.append(f"{self.compression} changes the values of {', '.join(changed[:6])}.")
        return Written(path, tuple(remarks))

    def _kept(self, group: Group) -> str:
        """The compression of a part: one that keeps data."""
        lossy = EXR_COMPRESSIONS[self.compression]
        loses = any(lossy.loses(pixel_type(plane.dtype), name) for name, plane in group.planes.items())
        return "zip" if group.data and loses else self.compression

    def _write_deep(self, source: Source, item: Order, made: LedgerFrame, place: Destination) -> Written:
        path = place.path(item, self.suffix, frame=made.number, what=file_word(source.key))
        samples = made.sources.samples(source.key)
        write_deep(
            path, samples.counts, samples.runs, data_window=samples.window, display_window=samples.display_window,
            compression=DEEP_COMPRESSION,
        )  # fmt: skip
        require_deep(path, samples)
        return Written(path)


_PACKINGS = {"one": "in one file", "parts": "as parts of a file", "apart": "in files apart"}
_OF_LIGHT = ("chromaticities", "whiteLuminance")


def write_picture(path: Path, encoding: Exr, item: Order, made: LedgerFrame) -> list[str]:
    """The picture alone at a path of one's own; what has to be said of it."""
    return list(encoding._write([encoding._sized(encoding.picture(item, made), made.sources)], path, made).remarks)


def _deep(item: Order, sources: Frame) -> list[Source]:
    there = [source.key for source in sources if source.is_deep]
    found = chosen(item.names or ("*",), there, "deep pass")
    if not found:
        raise BadArgument("There are no deep passes.", advice="Render the deep pass, or leave this item out.")
    return [sources.source(key) for key in found]


def _whole(picture: Picture, sources: Frame) -> NDArray[np.float32]:
    """Planes over the window of the frame; display values are only there for the display window."""
    if picture.window == sources.window:
        return picture.rgba
    return on_display(picture.rgba, picture.window, sources.window)


def _entries_of_beauty(made: LedgerFrame, picture: Picture) -> tuple[dict[str, Any], list[str]]:
    if made.ledger.beauty not in made.sources:
        return {}, []
    attributes, dropped = passing(made.sources.source(made.ledger.beauty).attributes)
    return dict(attributes) | {"pixelAspectRatio": picture.pixel_aspect}, dropped


def _layer(source: Source, sources: Frame) -> str:
    """The name of its channels: the pass, with its element where the frame has another of that name."""
    word = source.key.rpartition("/")[2]
    alike = [other.key for other in sources if other.key.rpartition("/")[2] == word]
    return word if alike[0] == source.key else file_word(source.key)


def _channel(source: Source, layer: str, name: str) -> str:
    kind = source.kind
    _, last = split_name(name)
    if kind is not None and kind.ranked:
        return name if split_name(name)[0] else f"{layer}.{last}"
    return f"{kind.layer if kind is not None and kind.layer else layer}.{last}"


def _typed(plane: NDArray, wanted: str, name: str) -> NDArray:
    if plane.dtype == np.uint32:
        return plane
    if wanted == "half":
        return plane if plane.dtype == np.float16 else to_half(plane, name=name)
    return plane.astype(np.float32, copy=False)


def _joined(groups: Sequence[Group], path: Path) -> dict[str, NDArray]:
    planes: dict[str, NDArray] = {}
    for group in groups:
        twice = planes.keys() & group.planes.keys()
        if twice:
            raise BadArgument(
                f"Two of these would be the channel {min(twice)}.", where=path.name, advice="Write parts, or files "
                "apart.",
            )  # fmt: skip
        planes |= group.planes
    return planes


def _merged(groups: Sequence[Group]) -> dict[str, Any]:
    """Join channels; those of the first win: it is the picture."""
    return {name: entry for group in reversed(groups) for name, entry in group.attributes.items()}
