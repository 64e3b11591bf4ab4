"""`python -m prism deliver` and `movie`: a delivery document carried out, and a movie of any pictures."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.commands import Answer
from prism.commands.framing import opener, require_there
from prism.commands.pictures import loader
from prism.delivery.document import Delivery, Item
from prism.delivery.encodings.base import Destination
from prism.delivery.encodings.movie import Movie
from prism.delivery.files import shown_file
from prism.delivery.ledger_frame import LedgerFrame
from prism.delivery.running import run
from prism.elements import disk
from prism.errors import BadArgument, UnreadableFile
from prism.finish.document import Finish
from prism.formats.safe import below
from prism.formats.stills import to_codes
from prism.ledger.document import Ledger
from prism.movies.burning import band_remarks, burnt, require_burn, with_band
from prism.movies.codecs import CODECS
from prism.movies.filling import filled, require_frames
from prism.movies.writing import MovieSettings, write_movie
from prism.naming.frames import format_frames, parse_frames


def deliver(args: argparse.Namespace) -> Answer:
    """Carry out a delivery document. Raises BadDocument, BadArgument, or as the writers."""
    path: Path = args.delivery
    delivery = Delivery.load(path)
    for name in ("ledger", "folders", "out"):
        if not getattr(delivery, name):
            raise BadArgument(
                f"The delivery does not say its {name}.", where=str(path), advice=f"Write {name} into it."
            )
    base = path.parent
    ledger = Ledger.load(base / delivery.ledger)
    finish = Finish.load(base / delivery.finish) if delivery.finish else None
    opened, there = opener(ledger, finish, [base / folder for folder in delivery.folders])
    numbers = parse_frames(delivery.frames) if delivery.frames else list(there)
    require_there(numbers, there)
    fields: dict[str, str | int] = {
        "production": "",
        "shot": ledger.name,
        "ledger": ledger.name,
        "version": 1,
        "layer": "",
        "camera": "",
    }
    root = base / delivery.out if args.anywhere else below(base, delivery.out)
    place = Destination(root, fields | dict(delivery.fields), tuple(numbers))
    report = run(delivery, numbers, opened, place, pictures=loader(base))
    files = [str(file) for file in report.files]
    lines = [*files, *([f"already there: {format_frames(report.skipped)}"] if report.skipped else []), *report.remarks]
    return {"files": files, "skipped": report.skipped, "remarks": list(report.remarks)}, "\n".join(lines)


def usual_fields(ledger: Ledger) -> dict[str, str | int]:
    """Values for the fields of names where nobody gives others."""
    return {"production": "", "shot": ledger.name, "ledger": ledger.name, "version": 1, "layer": "", "camera": ""}


def movie(args: argparse.Namespace) -> Answer:
    """A movie of files, of a pattern such as name.####.exr, or of what a ledger makes of a folder. Raises BadArgument,
    UnreadableFile, or as `write_movie`."""
    require_burn(args.burn)
    codec = CODECS[args.codec]
    if args.alpha == "keep" and not codec.alpha:
        raise BadArgument(f"{codec.title} has no alpha.", where="--alpha", advice="Choose a codec that keeps it.")
    told = args.alpha
    args.alpha = told or ("keep" if codec.alpha else "over")
    numbers, load, shot = _frames_of_ledger(args) if args.ledger else _frames_of_files(args)
    if not told and args.alpha == "keep" and _covers(load(min(numbers))):
        args.alpha = "over"
        numbers, load, shot = _frames_of_ledger(args) if args.ledger else _frames_of_files(args)
    if args.frames:
        wanted = parse_frames(args.frames)
    else:
        wanted = list(range(min(numbers), max(numbers) + 1))
    require_frames(wanted, numbers, args.gaps)
    settings = MovieSettings(
        codec=args.codec, rate=args.rate, first=wanted[0], alpha=args.alpha == "keep", tags={"title": shot}
    )
    encoding = Movie(codec=args.codec, burn=args.burn, note=args.note, gaps=args.gaps, alpha=args.alpha)
    place = Destination(args.out.parent, {"shot": shot, "version": 0}, tuple(wanted))

    def frames():
        for count, (number, codes) in enumerate(filled(wanted, numbers, load, args.gaps), start=1):
            words = burnt(args.burn, encoding.words_at(place, number, args.rate)) if args.burn else ()
            yield with_band(codes, words, share=count / len(wanted)) if words else codes

    count = write_movie(args.out, frames(), settings)
    held = sorted(set(wanted) - set(numbers))
    words = burnt(args.burn, encoding.words_at(place, wanted[0], args.rate))
    remarks = [f"{'marked' if args.gaps == 'mark' else 'held'}: {format_frames(held)}"] if held else []
    remarks += band_remarks(words)
    answer = {
        "file": str(args.out),
        "alpha": args.alpha,
        "frames": count,
        "rate": str(settings.exact_rate),
        "remarks": remarks,
    }
    kept = ", with alpha" if args.alpha == "keep" else ""
    return answer, "\n".join([f"{args.out}  {count} frames, {codec.title}{kept}", *remarks])


def _covers(codes: NDArray) -> bool:
    """Whether a picture (H, W, 3 or 4) has no alpha, or one that covers all of it."""
    return codes.shape[2] < 4 or bool((codes[..., 3] == np.iinfo(codes.dtype).max).all())


Load = Callable[[int], NDArray]


def _frames_of_ledger(args: argparse.Namespace) -> tuple[Sequence[int], Load, str]:
    ledger = Ledger.load(args.ledger)
    finish = Finish.load(args.finish) if args.finish else None
    opened, there = opener(ledger, finish, args.files)
    encoding = Movie(codec=args.codec, view=args.view, alpha=args.alpha)
    item = Item(id="movie", encoding=encoding)

    def load(number: int) -> NDArray:
        found = encoding.shown(item, LedgerFrame(*opened(number)))
        return _codes(found.values, found.alpha, args.codec)

    return there, load, ledger.name


def _frames_of_files(args: argparse.Namespace) -> tuple[Sequence[int], Load, str]:
    if args.finish:
        raise BadArgument("A finish is laid on a ledger.", where="--finish", advice="Name the ledger with --ledger.")
    paths, shot = _numbered(args.files)

    def load(number: int) -> NDArray:
        found = shown_file(paths[number], view=args.view, keep_alpha=args.alpha == "keep")
        return _codes(found.values, found.alpha, args.codec)

    return sorted(paths), load, shot


def _codes(values: NDArray[np.float32], alpha: NDArray[np.float32] | None, codec: str) -> NDArray:
    stacked = values if alpha is None else np.dstack([values, alpha])
    return to_codes(stacked, CODECS[codec].bits)


def _numbered(files: Sequence[Path]) -> tuple[Mapping[int, Path], str]:
    """Files by frame number: a pattern, a folder of one sequence, or files in the order they are named."""
    if len(files) == 1:
        found = _sequence(files[0])
        if found is not None:
            return {number: found.path(number) for number in found.frames}, found.head.rstrip("._")
    if any(path.is_dir() for path in files):
        raise BadArgument("Name one folder, or files.", where="FILES")
    missing = next((path for path in files if not path.is_file()), None)
    if missing is not None:
        raise UnreadableFile("There is no such file.", where=str(missing))
    return dict(enumerate(files, start=1)), files[0].stem


def _sequence(path: Path) -> disk.Sequence | None:
    if path.is_dir():
        found = [sequence for sequence in disk.scan(path, below=False).sequences if not sequence.is_still]
        if len(found) != 1:
            names = ", ".join(f"{each.head}####{each.suffix}" for each in found) or "none"
            raise BadArgument("A movie is made of one sequence.", where=str(path), advice=f"There are: {names}.")
        return found[0]
    head, marks, suffix = path.name.partition("#")
    if not marks:
        return None
    suffix = suffix.lstrip("#")
    for sequence in disk.scan(path.parent, below=False).sequences:
        if (sequence.head, sequence.suffix) == (head, suffix) and not sequence.is_still:
            return sequence
    raise UnreadableFile("No files follow this pattern.", where=str(path))
