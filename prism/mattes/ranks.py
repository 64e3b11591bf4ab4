"""Cryptomatte read: which names a pixel holds and how much of each, to the open specification (1.2.0; details from
memory).

A pass holds ranks by twos: id and coverage in R and G, the next in B and A. Ids are compared by their bits, since many
are no ordinary numbers.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from fnmatch import fnmatchcase
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, inlined
from prism.errors import BadArgument, PrismError
from prism.json_text import load_json
from prism.mattes.cryptomatte import layer_key, name_bits
from prism.mattes.parts import NamesPart
from prism.sources.pixels import Frame, Pixels, Source

BAND = 1 << 17  # pixels
MOST_PASSES = 50
_HEX = re.compile("[0-9a-fA-F]{1,8}")
MOST_TAKEN = 1 << 20  # of different ids in one frame


@dataclass(frozen=True, slots=True)
class Share:
    """How much of a picture a name covers, in pixels. name: empty if no manifest tells it."""

    id: str
    name: str
    pixels: float


def rank_keys(frame: Frame, first: str) -> list[str]:
    """Sources of all ranks of a Cryptomatte, by the key of the first: those that follow in number and are there."""
    stem, digits = first[:-2], first[-2:]
    if not digits.isdigit():
        return [first]
    keys = []
    for number in range(int(digits), int(digits) + MOST_PASSES):
        key = f"{stem}{number:02}"
        if key not in frame:
            break
        keys.append(key)
    return keys


def first_ranks(frame: Frame) -> list[Source]:
    """The Cryptomattes of a frame, each by its first rank."""
    return [
        s for s in frame if s.kind is not None and s.kind.ranked and (s.key[-2:] == "00" or not s.key[-2:].isdigit())
    ]


def ranks(frame: Frame, first: str) -> Iterator[tuple[NDArray[np.uint32], NDArray[np.float32]]]:
    """Bits of ids and coverage, (H, W) each, by falling coverage. Raises UnknownSource, or BadArgument for what holds
    no ranks."""
    frame.source(first)
    keys = rank_keys(frame, first)
    frame.read(keys)
    for key in keys:
        pixels = frame.pixels(key)
        _require_bits(pixels, frame.source(key))
        yield _bits(pixels.planes[0]), pixels.planes[1]
        if pixels.alpha is not None:
            yield _bits(pixels.planes[2]), pixels.alpha


def _bits(plane: NDArray[np.float32]) -> NDArray[np.uint32]:
    return plane.view(np.uint32)


def _require_bits(pixels: Pixels, source: Source) -> None:
    if pixels.planes[0].dtype != np.float32:
        raise BadArgument(
            f"{source.title} was stored as half, which keeps no ids.",
            where=source.where,
            advice="Write it as 32-bit float.",
        )


def manifest(frame: Frame, first: str) -> Mapping[str, str]:
    """{name: 8 hex digits}, from the header or the file beside it that the header names; empty without any."""
    source = frame.source(first)
    entries = {name: a.value for name, a in source.attributes.items() if name.startswith("cryptomatte/")}
    ids = list(dict.fromkeys(name.split("/")[1] for name in entries if name.count("/") == 2))
    layer = source.colour[0].rpartition(".")[0].removesuffix(first[-2:])
    alike = {_letters(layer), _letters(first.rpartition("/")[2].rstrip("0123456789"))}
    own = [key for key in ids if f"cryptomatte/{key}" == layer_key(layer)]
    own += [key for key in ids if _letters(str(entries.get(f"cryptomatte/{key}/name"))) in alike]
    if len(ids) == 1:
        own += ids
    for key in own:
        text = entries.get(f"cryptomatte/{key}/manifest")
        beside = entries.get(f"cryptomatte/{key}/manif_file")
        if text:
            return _parsed(str(text))
        if beside and source.where:
            return _beside(Path(source.where), str(beside))
    return {}


def _letters(name: str) -> str:
    """What layers of other makers agree in: letters and digits, whatever stands between them."""
    return "".join(letter for letter in name.lower() if letter.isalnum())


@lru_cache(maxsize=32)
def _parsed(text: str) -> Mapping[str, str]:
    try:
        return _checked(json.loads(text))
    except ValueError:
        return {}


def _beside(image: Path, name: str) -> Mapping[str, str]:
    """The names of a file in or below the folder of the image; what lies elsewhere is not looked for."""
    try:
        path = (image.parent / name).resolve()
        return _checked(load_json(path)) if image.parent.resolve() in path.parents else {}
    except (PrismError, ValueError):  # no file has a zero in its name
        return {}


def _checked(data: object) -> Mapping[str, str]:
    named = data.items() if isinstance(data, dict) else ()
    return {str(name): bits.lower().zfill(8) for name, bits in named if isinstance(bits, str) and _HEX.fullmatch(bits)}


def names_of(known: Mapping[str, str]) -> Mapping[str, str]:
    """{8 hex digits: name} of a manifest; of names that share their digits all, since no pixel can tell them apart."""
    found: dict[str, list[str]] = {}
    for name, bits in known.items():
        found.setdefault(bits, []).append(name)
    return {bits: " or ".join(names) for bits, names in found.items()}


def ids_of(part: NamesPart, known: Mapping[str, str]) -> NDArray[np.uint32]:
    """The ids that a part takes, (N,) uint32 in rising order. known: the manifest, for its patterns."""
    wanted = {int(named.id, 16) for named in part.names}
    for pattern in part.patterns:
        found = [bits for name, bits in known.items() if fnmatchcase(name, pattern)]
        wanted.update(int(bits, 16) for bits in found)
        if not found and not set(pattern) & set("*?["):
            wanted.add(name_bits(pattern))
    return np.array(sorted(wanted - {0}), np.uint32)


Levels = Iterable[tuple[NDArray[np.uint32], NDArray[np.float32]]]


def coverage(frame: Frame, part: NamesPart) -> NDArray[np.float32]:
    """(H, W): the sum of what the part's names cover, over all ranks."""
    return gathered(ranks(frame, part.source), ids_of(part, manifest(frame, part.source)), frame.shape())


def gathered(levels: Levels, ids: NDArray[np.uint32], shape: tuple[int, int]) -> NDArray[np.float32]:
    """The sum of coverage 0..1 of some ids (N,), as (H, W) of that shape. levels: bits of ids and coverage, as `ranks`
    gives them."""
    wanted, planes = _table(ids), [(bits.reshape(-1), cover.reshape(-1)) for bits, cover in levels]
    out = np.zeros(shape, np.float32)
    flat = out.reshape(-1)

    def gather(begin: int, end: int) -> None:
        for bits, cover in planes:
            _gather(flat, bits, cover, wanted, begin, end)

    run_bands(gather, out.size, BAND)
    return out


def _table(ids: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """Ids by their hash in a table at most a quarter full, so that a pixel is looked up in one step or two; 0 where it
    is free."""
    table = np.zeros(1 << max(4, (4 * len(ids) - 1).bit_length()), np.uint32)
    _fill(table, ids)
    return table


@compiled
def _fill(table, ids):
    for at in range(ids.size):
        place = _place(table, ids[at])
        table[place] = ids[at]


@inlined
def _place(table, bits):
    """Where an id stands in a table, or would."""
    mask = table.size - 1
    place = int(bits ^ (bits >> np.uint32(15))) & mask
    while table[place] != 0 and table[place] != bits:
        place = (place + 1) & mask
    return place


@compiled
def _gather(out, ids, cover, wanted, begin, end):
    """An id is looked up only where it differs from that of the pixel before, which is along edges."""
    last, taken = np.uint32(0), False
    for at in range(begin, end):
        if ids[at] != last:
            last = ids[at]
            taken = last != 0 and wanted[_place(wanted, last)] == last
        if taken and cover[at] > 0:
            out[at] += cover[at]


def at_pixel(frame: Frame, first: str, row: int, column: int) -> list[Share]:
    """What one pixel of the frame's window holds, the most first."""
    names = names_of(manifest(frame, first))
    found = [(int(ids[row, column]), float(cover[row, column])) for ids, cover in ranks(frame, first)]
    return [_share(bits, amount, names) for bits, amount in found if bits and amount > 0]


def shares(frame: Frame, first: str, part: tuple[slice, slice] = (slice(None), slice(None))) -> list[Share]:
    """All names of a frame, or of a box of it, the most first; names of the manifest that are nowhere follow with 0."""
    names = names_of(manifest(frame, first))
    total: dict[int, float] = {}
    for ids, cover in ranks(frame, first):
        for bits, amount in counted(ids[part], cover[part]):
            total[bits] = total.get(bits, 0.0) + amount
    total.pop(0, None)
    found = [_share(bits, amount, names) for bits, amount in total.items()]
    absent = [Share(bits, name, 0.0) for bits, name in names.items() if int(bits, 16) not in total]
    return sorted(found, key=lambda share: -share.pixels) + sorted(absent, key=lambda share: share.name)


def lost(frame: Frame, first: str, alpha: NDArray) -> float:
    """The share of what is covered that no rank holds, since there were too few levels. alpha: (H, W) of the
    picture."""
    total = np.zeros(frame.shape(), np.float64)
    for ids, cover in ranks(frame, first):
        total += np.where((ids != 0) & (cover > 0), cover, 0)
    covered = np.clip(alpha.astype(np.float64), 0, 1)
    whole = covered.sum()
    return float(np.maximum(covered - total, 0).sum() / whole) if whole else 0.0


def _share(bits: int, amount: float, names: Mapping[str, str]) -> Share:
    key = f"{bits:08x}"
    return Share(key, names.get(key, ""), amount)


def counted(ids: NDArray[np.uint32], cover: NDArray) -> Iterator[tuple[int, float]]:
    """Every id with its sum of coverage; both planes are (H, W)."""
    ids, cover = np.ascontiguousarray(ids).reshape(-1), np.ascontiguousarray(cover).reshape(-1)
    size = 1 << 10
    while True:
        keys, sums = np.zeros(size, np.uint32), np.zeros(size, np.float64)
        if _count(ids, cover, keys, sums) or size > MOST_TAKEN:
            break
        size *= 8
    taken = np.flatnonzero(keys)
    return zip(keys[taken].tolist(), sums[taken].tolist(), strict=True)


@compiled
def _count(ids, cover, keys, sums):
    """Into a table by hash; False if it is too full to go on."""
    used, last, place = 0, np.uint32(0), 0
    for at in range(ids.size):
        if not cover[at] > 0 or ids[at] == 0:
            continue
        if ids[at] != last:
            last = ids[at]
            place = _place(keys, last)
        if keys[place] == 0:
            keys[place] = last
            used += 1
            if 2 * used > keys.size:
                return False
        sums[place] += cover[at]
    return True
