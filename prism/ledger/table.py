"""Where the sources of a ledger lie: a table that goes along with an exported ledger, so that other programs can find
the files."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from prism.elements import disk
from prism.elements.element import Element, ElementPass, Files
from prism.elements.identify import from_key
from prism.ledger.document import Ledger, SourceEntry
from prism.passes.catalogue import BY_KEY
from prism.text import from_storable, storable


def with_files(ledger: Ledger, elements: Iterable[Element], root: Path) -> Ledger:
    """The ledger with a table of where its sources lie below a folder; what no element holds is left out.

    A whole Cryptomatte goes along with its first rank, since a matte names only that.
    """
    known = {element.name: element for element in elements}
    first = ledger.elements[0] if ledger.elements else next(iter(known), "")
    table: dict[str, SourceEntry] = {}
    for key in ledger.sources:
        name, _, bare = key.rpartition("/")
        element = known.get(name or first)
        if element is None:
            continue
        for pass_ in _ranks(element, bare):
            source = f"{name}/{pass_.key}" if name else pass_.key
            table[source] = _entry(source, element, pass_, root)
    return ledger.replace(files=tuple(table.values()))


def _ranks(element: Element, key: str) -> list[ElementPass]:
    """The pass of that key, and those that follow it in number if it is the first rank of a Cryptomatte."""
    found = next((pass_ for pass_ in element.passes if pass_.key == key), None)
    if found is None:
        return []
    kind = found.pass_kind
    if kind is None or not kind.ranked or not key[-2:].isdigit():
        return [found]
    return [pass_ for pass_ in element.passes if pass_.key[:-2] == key[:-2] and pass_.key[-2:].isdigit()]


def _entry(source: str, element: Element, pass_: ElementPass, root: Path) -> SourceEntry:
    folder = Path(from_storable(pass_.files.folder))
    below = folder.relative_to(root) if folder.is_relative_to(root) else folder
    return SourceEntry(
        source=source,
        folder=storable(str(below)),
        head=pass_.files.head,
        padding=pass_.files.padding,
        suffix=pass_.files.suffix,
        part=pass_.part,
        channels=pass_.channels,
        alpha=pass_.alpha,
        state=pass_.state,
        curve=pass_.curve,
        fit=pass_.fit,
        primaries=pass_.primaries,
        layer=element.layer,
        camera=element.camera,
        pass_kind=pass_.kind,
        denoised=pass_.denoised,
    )


def elements_of(ledger: Ledger, root: Path) -> list[Element]:
    """Elements as the table of a ledger has them, below a folder, with the frames that are there; that of the beauty
    first.

    Empty if the ledger has no table, or if not one of its files is there.
    """
    if not ledger.files:
        return []
    scanned = {_place(sequence): sequence for sequence in disk.scan(root).sequences}
    by_element: dict[str, list[tuple[str, SourceEntry, disk.Sequence]]] = {}
    for entry in ledger.files:
        folder = Path(from_storable(entry.folder))
        sequence = scanned.get((root / folder, from_storable(entry.head), entry.padding, from_storable(entry.suffix)))
        if sequence is not None:
            name, _, bare = entry.source.rpartition("/")
            by_element.setdefault(name, []).append((bare, entry, sequence))
    main = ledger.beauty.rpartition("/")[0]
    names = sorted(by_element, key=lambda name: name != main)
    return [_element(name or root.resolve().name or "files", by_element[name]) for name in names]


def _place(sequence: disk.Sequence) -> tuple[Path, str, int, str]:
    return sequence.folder, sequence.head, sequence.padding, sequence.suffix


def _element(name: str, pass_: list[tuple[str, SourceEntry, disk.Sequence]]) -> Element:
    passes = tuple(
        ElementPass(
            key=key,
            title=match.title if (match := from_key(key)) else key,
            kind=entry.pass_kind if entry.pass_kind in BY_KEY else None,
            files=Files.of(sequence),
            part=entry.part,
            channels=entry.channels,
            alpha=entry.alpha,
            state=entry.state,
            curve=entry.curve,
            fit=entry.fit,
            primaries=entry.primaries,
            denoised=entry.denoised,
            reason="named by the ledger's table",
        )
        for key, entry, sequence in pass_
    )
    first = pass_[0][1]
    return Element(name=name, layer=first.layer, camera=first.camera, passes=passes)
