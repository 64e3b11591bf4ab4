"""Parcels: passes, documents, tables and an independent script in one folder, with checksums of everything."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

from numpy.typing import NDArray

from prism.delivery import second_opinion
from prism.delivery.encodings.base import Closing, Destination, Encoding, Order, SubjectKind, Written
from prism.delivery.ledger_frame import LedgerFrame, wanted_of
from prism.delivery.parcel.checking import CHECKSUMS, RECORDS, check_parcel
from prism.delivery.parcel.pages import readme
from prism.delivery.parcel.tables import tables_of
from prism.delivery.reading_back import require_image
from prism.errors import UnwritableFile
from prism.fields import Shown
from prism.formats.digests import list_of
from prism.formats.exr import write_exr
from prism.formats.safe import replacing
from prism.ledger.document import Ledger
from prism.mattes.ranks import first_ranks, manifest
from prism.mattes.writing import file_word
from prism.pages import PAGES
from prism.pixels.image import Image
from prism.sources.pixels import Frame

PICTURE = "rebuilt"  # layer of the sum of the rows, in every frame's file
FORMATS = ("ledger-format.md", "finish-format.md", "delivery-format.md", "board-format.md")
CONTENTS = {
    "README.html": "this page",
    "ledger.json": "the ledger: rows, mattes and finish, see formats/ledger-format.md",
    "finish.json": "the finish by itself, see formats/finish-format.md",
    "delivery.json": "the record: delivery, frames, files, checksums, software",
    "plan.json": "the plan of the shot",
    "passes/": "the passes that the ledger asks for, as it uses them: an OpenEXR file a frame, with the sum as rebuilt",
    "passes/sources.json": "which channels each source of the ledger is",
    "files/": "what else was delivered",
    "tables/": "rows, operators, mattes, steps, balance, findings and sources as CSV",
    "formats/": "what the documents mean",
    "second_opinion/": "rebuilds a frame with NumPy alone",
    CHECKSUMS: "SHA-256 of every other file, as sha256sum reads it",
}


class Parcel(Encoding):
    """files: whether what the other items wrote goes along."""

    title: ClassVar[str] = "Parcel"
    meaning: ClassVar[str] = "Passes, documents, tables and checksums: for whoever goes on with other software."
    subjects: ClassVar[tuple[SubjectKind, ...]] = ("files",)
    per_frame: ClassVar[bool] = False
    closes: ClassVar[bool] = True
    pictured: ClassVar[bool] = False
    usual_name: ClassVar[str] = f"{{shot}}_{{ledger}}_v{{version:03}}_{{item}}/{CHECKSUMS}"

    kind: Literal["parcel"] = "parcel"
    files: Annotated[bool, Shown(title="with what the other items wrote")] = True

    @property
    def suffix(self) -> str:
        """None: a parcel is a folder."""
        return ""

    def in_words(self, item: Order) -> str:
        """What it holds."""
        return "passes, documents, tables and checksums" + (", and the other items" if self.files else "")

    def folder(self, item: Order, place: Destination) -> Path:
        """The folder of the parcel."""
        return place.path(item, self.suffix).parent

    def paths(self, item: Order, place: Destination, frame: int, ledger: Ledger, sources: Frame) -> list[Path]:
        """The passes of a frame."""
        return [self.folder(item, place) / "passes" / f"{frame:04}.exr"]

    def add(self, item: Order, made: LedgerFrame, place: Destination) -> list[Written]:
        """The passes of a frame as the ledger uses them, and their sum."""
        (path,) = self.paths(item, place, made.number, made.ledger, made.sources)
        planes = dict(zip((f"{PICTURE}.{name}" for name in "RGBA"), made.rebuilt.rgba, strict=True))
        for key, layer in layers_of(made.ledger, made.sources, made.number).items():
            planes |= _planes(made.sources, key, layer)
        image = Image(
            channels=planes, data_window=made.sources.window, display_window=made.sources.display_window,
            attributes={"pixelAspectRatio": made.sources.pixel_aspect, "ledger": made.ledger.name},
        )  # fmt: skip
        write_exr(path, image, compression="zip")
        require_image(path, [("", image)], ["zip"])
        return [Written(path)]

    def close(self, item: Order, closing: Closing) -> list[Written]:
        """Documents, tables, script and checksums; the checksums last, and read again."""
        folder = self.folder(item, closing.place)
        first = closing.made(closing.record["frames"][0]["frame"])
        for name, text in self._texts(first, closing):
            _save(folder / name, text)
        _copy_script(folder / "second_opinion")
        if self.files:
            for other, paths in closing.written.items():
                for path in paths if other != item.id else ():
                    _copy(path, folder / "files" / path.relative_to(closing.place.root))
        _seal(folder)
        checked = check_parcel(folder, with_records=False)
        if not checked.whole:
            raise UnwritableFile("The parcel does not read back as it was written.", where=checked.faults[0].where)
        return [Written(folder / CHECKSUMS, (f"{checked.count} files, all of their checksums read again.",))]

    def _texts(self, first: LedgerFrame, closing: Closing) -> Iterator[tuple[str, str]]:
        ledger, record = first.ledger, closing.record
        tables = tables_of(ledger, record)
        there = [
            (name, what)
            for name, what in CONTENTS.items()
            if (name != "plan.json" or record["plan"]) and (name != "files/" or self.files)
        ]
        yield "README.html", readme(record, tables, there)
        yield "ledger.json", _json(ledger.as_json())
        yield "finish.json", _json(ledger.finishing.as_json())
        yield "delivery.json", _json(record)
        if record["plan"]:
            yield "plan.json", _json(record["plan"])
        yield "passes/sources.json", _json(_sources(first))
        for table in tables:
            yield f"tables/{table.name}.csv", table.as_csv
        for name in FORMATS:
            yield f"formats/{name}", (PAGES / name).read_text(encoding="utf-8")


def layers_of(ledger: Ledger, sources: Frame, number: int) -> dict[str, str]:
    """The flat sources that a ledger asks for at a frame, with a layer for each; ranks of Cryptomattes all along."""
    wanted = [key for key in wanted_of(ledger, number) if key in sources and not sources.source(key).is_deep]
    ranked = {source.key for source in first_ranks(sources)}
    stems = {key[:-2] for key in wanted if key in ranked and key[-2:].isdigit()}
    wanted += [source.key for source in sources if source.key[:-2] in stems and source.key not in wanted]
    return {key: file_word(key.replace("/", ".")).replace(".", "_") for key in dict.fromkeys(wanted)}


def _planes(sources: Frame, key: str, layer: str) -> dict[str, NDArray]:
    pixels = sources.pixels(key)
    names = ("V",) if pixels.planes[0] is pixels.planes[2] else ("R", "G", "B")
    planes = {f"{layer}.{name}": plane for name, plane in zip(names, pixels.planes, strict=False)}
    return planes | ({} if pixels.alpha is None else {f"{layer}.A": pixels.alpha})


def _sources(made: LedgerFrame) -> Mapping[str, Any]:
    """Which channels each source of the ledger is, and the names of all Cryptomattes."""
    table = {}
    for key, layer in layers_of(made.ledger, made.sources, made.number).items():
        names = [name.rpartition(".")[2] for name in _planes(made.sources, key, layer)]
        table[key] = {"layer": layer, "channels": [name for name in names if name != "A"], "alpha": "A" in names}
    names = [name for source in first_ranks(made.sources) for name in manifest(made.sources, source.key)]
    return {"sources": table, "names": sorted(set(names)), "picture": PICTURE}


def _json(data: Any) -> str:
    return json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def _save(path: Path, text: str) -> None:
    with replacing(path) as temporary:
        temporary.write_text(text, encoding="utf-8", newline="")


def _copy_script(folder: Path) -> None:
    for path in sorted(Path(second_opinion.__file__).parent.glob("*.py")):
        _save(folder / path.name, path.read_text(encoding="utf-8"))


def _copy(path: Path, target: Path) -> None:
    with replacing(target) as temporary:
        shutil.copyfile(path, temporary)


def _seal(folder: Path) -> None:
    """Checksums of everything that is there."""
    there = (path for path in folder.rglob("*") if path.is_file() and not path.name.startswith("."))
    names = {path.relative_to(folder).as_posix() for path in there} - {CHECKSUMS}
    _save(folder / CHECKSUMS, list_of(folder, (name for name in names if not name.startswith(RECORDS))))
