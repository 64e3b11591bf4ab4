"""`python -m prism VERB ...`: batch work on passes. Exit code 0 only if all was done; one line per error."""

from __future__ import annotations

import argparse
import io
import json
import sys
from collections.abc import Callable, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any, NoReturn

from prism.colour.spaces import SPACES
from prism.colour.view import VIEWS, ViewTransform
from prism.combine.balance import balance
from prism.combine.deliver import PIXELS, Output, deliver
from prism.combine.first import WAYS, first_ledger
from prism.combine.ledger import Ledger
from prism.commands import Answer, Refused, Unable
from prism.commands.intake import intake
from prism.commands.plans import plan
from prism.commands.renders import render
from prism.commands.scenes import scene
from prism.elements.opening import find_sources
from prism.errors import BadArgument, PrismError
from prism.formats.exr import COMPRESSIONS, read_channels
from prism.formats.headers import Part, read_parts
from prism.formats.safe import replacing
from prism.naming.patterns import Pattern, parse_pattern
from prism.pixels.stats import plane_stats


def inspect(args: argparse.Namespace) -> Answer:
    """What is in the files: parts, windows, compression, and the numbers of every flat channel. Raises UnreadableFile."""
    files = [
        {"file": str(path), "parts": [_inspect_part(path, part) for part in read_parts(path)]} for path in args.files
    ]
    return files, "\n".join(_inspect_text(file) for file in files)


def _inspect_part(path: Path, part: Part) -> dict[str, Any]:
    image = None if part.deep else read_channels(path, part)
    channels = [
        {"name": name, "type": kind, **(asdict(plane_stats(image.plane(name))) if image else {})}
        for name, kind in part.channels.items()
    ]
    return {
        "name": part.name,
        "deep": part.deep,
        "tiled": part.tiled,
        "compression": part.compression,
        "data_window": asdict(part.data_window),
        "display_window": asdict(part.display_window),
        "channels": channels,
    }


def _inspect_text(file: dict[str, Any]) -> str:
    lines = [file["file"]]
    for number, part in enumerate(file["parts"]):
        window = "{x0},{y0} to {x1},{y1}"
        deep = "  deep" if part["deep"] else ""
        lines.append(
            f"  part {number} {part['name']}  {part['compression']}{deep}  data {window.format(**part['data_window'])}"
            f"  display {window.format(**part['display_window'])}"
        )
        lines.append(f"    {'channel':<28}{'type':<7}{'min':>13}{'mean':>13}{'max':>13}{'NaN':>7}{'Inf':>7}")
        for channel in part["channels"]:
            numbers = [channel.get(key) for key in ("minimum", "mean", "maximum")]
            shown = "".join("            -" if n is None else f"{n:>13.6g}" for n in numbers)
            counts = f"{channel.get('nan_count', '-'):>7}{channel.get('inf_count', '-'):>7}"
            lines.append(f"    {channel['name']:<28}{channel['type']:<7}{shown}{counts}")
    return "\n".join(lines)


def make_ledger(args: argparse.Namespace) -> Answer:
    """Write the ledger that lands on the rendered beauty. Raises NoBeauty, NoComponents or UnreadableFile."""
    ledger = first_ledger(find_sources(args.files), by=args.by, denoised=args.denoised, name=args.out.stem)
    _write_json(args.out, ledger.as_json())
    rows = "\n".join(f"  {row.operator:<9}{row.source}{'' if row.on else '  (off)'}" for row in ledger.rows)
    return ledger.as_json(), f"{args.out}\n{rows}"


def show_balance(args: argparse.Namespace) -> Answer:
    """Whether a ledger, or the first one, lands on the rendered beauty. Raises as Ledger.load and balance."""
    sources = find_sources(args.files)
    ledger = Ledger.load(args.ledger) if args.ledger else first_ledger(sources, by=args.by, denoised=args.denoised)
    result = balance(ledger, sources)
    lines = [
        f"largest difference {result.difference.largest:.6g} at x {result.x} y {result.y}, mean {result.difference.mean:.6g}",
        f"balanced within {result.rounding} rounding"
        if result.balanced
        else f"not balanced: {result.beyond} pixels differ by more than {result.rounding} rounding",
        *(suggestion.text for suggestion in result.suggestions),
    ]
    return result.as_json(), "\n".join(lines)


def rebuild(args: argparse.Namespace) -> Answer:
    """Write the picture of a ledger with its settings changed for this once. Raises BadArgument, or as deliver."""
    ledger = Ledger.load(args.ledger)
    for setting in args.set:
        ledger = ledger.with_setting(*_setting(setting))
    output = Output(args.pixel, args.compression, ViewTransform(args.space, args.view), args.bits, args.alpha == "keep")
    remarks = deliver(ledger, find_sources(args.files), args.out, output)
    return {"file": str(args.out), "remarks": remarks}, "\n".join([str(args.out), *remarks])


def _setting(text: str) -> tuple[str, str, Any]:
    """`ROW.FIELD=VALUE`; the value is JSON, or a plain word. The row's id may hold dots."""
    target, equals, setting = text.partition("=")
    row, dot, field = target.rpartition(".")
    if not equals or not dot:
        raise BadArgument(f"{text} is not ROW.FIELD=VALUE.", where="--set", advice="For example emission.amount=0.5.")
    try:
        return row, field, json.loads(setting)
    except json.JSONDecodeError:
        return row, field, setting


def _write_json(path: Path, document: dict[str, Any]) -> None:
    with replacing(path) as temporary:
        temporary.write_text(json.dumps(document, indent=2) + "\n", encoding="utf-8")


def _size(text: str) -> tuple[int, int]:
    width, _, height = text.lower().partition("x")
    return int(width), int(height)


def _pattern(text: str) -> Pattern:
    try:
        return parse_pattern(text)
    except BadArgument as error:
        raise argparse.ArgumentTypeError(str(error).replace("%", "%%")) from None


def _positive(text: str) -> int:
    number = int(text)
    if number < 1:
        raise ValueError
    return number


class OneLineParser(argparse.ArgumentParser):
    """Says what is wrong with a command line in one line, as all other faults are said."""

    def error(self, message: str) -> NoReturn:
        """End with code 2 and the fault in one line."""
        self.exit(2, f"{self.prog}: {message}; see --help\n")


def build_parser() -> argparse.ArgumentParser:
    """All verbs with their options; each sets `run`, which takes the options and gives an Answer."""
    parser = OneLineParser(prog="python -m prism", description="Render passes and their recombination.")
    verbs = parser.add_subparsers(metavar="VERB", required=True)

    def verb(name: str, run: Callable[[argparse.Namespace], Answer], summary: str) -> argparse.ArgumentParser:
        command = verbs.add_parser(name, help=summary, description=summary)
        command.add_argument("--json", action="store_true", help="answer as JSON")
        command.set_defaults(run=run)
        return command

    def files(command: argparse.ArgumentParser, text: str) -> None:
        command.add_argument("files", nargs="+", type=Path, metavar="FILE", help=text)

    command = verb("inspect", inspect, "Parts, channels, types, windows and statistics of EXR files.")
    files(command, "EXR files")

    command = verb("ledger", make_ledger, "The first ledger from the passes of one frame.")
    files(command, "one multichannel file, or several files of one pass each")
    command.add_argument("--out", type=Path, required=True, metavar="L.json")
    command.add_argument("--by", choices=WAYS, help="what to rebuild from")
    command.add_argument("--denoised", action="store_true", help="from the denoised passes, onto the denoised beauty")

    command = verb("balance", show_balance, "Rebuilt against rendered beauty.")
    files(command, "the files of one frame")
    command.add_argument("--ledger", type=Path, metavar="L.json", help="default: the first ledger")
    command.add_argument("--by", choices=WAYS, help="for the first ledger")
    command.add_argument("--denoised", action="store_true", help="for the first ledger")

    command = verb("rebuild", rebuild, "Evaluate a ledger and write the picture.")
    files(command, "the files of one frame")
    command.add_argument("--ledger", type=Path, required=True, metavar="L.json")
    command.add_argument(
        "--set", action="append", default=[], metavar="ROW.FIELD=VALUE", help="change a row; may be repeated"
    )
    command.add_argument("--out", type=Path, required=True, help=".exr, .png, .tif or .jpg")
    command.add_argument("--pixel", choices=PIXELS, default="half", help="EXR pixel type")
    command.add_argument("--compression", choices=COMPRESSIONS, default="zip", help="EXR compression")
    command.add_argument("--space", choices=list(SPACES), default="lin_rec709", help="working space of the files")
    command.add_argument("--view", choices=list(VIEWS), default="srgb", help="view of stills")
    command.add_argument(
        "--alpha", choices=("keep", "black"), default="keep", help="of stills: keep it, or lie over black"
    )
    command.add_argument("--bits", type=int, choices=(8, 16), default=8, help="depth of stills")

    command = verb(
        "plan", plan, "Which files a plan will write, what is wrong with it, and whether a folder follows it."
    )
    command.add_argument("action", nargs="?", choices=("expand", "check", "estimate", "audit"))
    command.add_argument("plan", nargs="?", type=Path, metavar="PLAN.json")
    command.add_argument("--schema", action="store_true", help="print the JSON Schema of plans")
    command.add_argument("--scene", type=Path, metavar="SCENE.json", help="without it, any pass may carry something")
    command.add_argument("--folder", type=Path, metavar="DIR", help="to audit")
    command.add_argument("--measured", metavar="SECONDS@WxHxSAMPLES", help="a rendered frame, to estimate time from")

    command = verb("intake", intake, "What lies in folders: sequences, elements, passes, and what is wrong with them.")
    command.add_argument("paths", nargs="+", type=Path, metavar="FOLDER|FILE")
    command.add_argument("--plan", type=Path, metavar="PLAN.json", help="that the files should follow")
    command.add_argument("--scene", type=Path, metavar="SCENE.json", help="of the plan, for its light groups")

    command = verb("scene", scene, "Whether a scene or a sheet of facts is sound, and what is in it.")
    command.add_argument("file", nargs="?", type=Path, metavar="SCENE.json")
    command.add_argument("--schema", choices=("scene", "facts"), help="print a JSON Schema instead")

    command = verb("render", render, "Render one frame of a scene with the stand-in renderer.")
    command.add_argument("scene", type=Path, metavar="SCENE.json")
    wanted = command.add_mutually_exclusive_group(required=True)
    wanted.add_argument("--frame", type=int)
    wanted.add_argument(
        "--plan", type=Path, metavar="PLAN.json", help="all files of a plan; the options below are its own"
    )
    command.add_argument("--frames", help="with --plan: a list such as 1001-1010x3 (default: all of the plan)")
    command.add_argument("--out", type=Path, required=True, metavar="FOLDER")
    command.add_argument("--camera", help="default: the first of the scene that is not a working view")
    command.add_argument("--size", type=_size, metavar="WxH", help="default: the size of the scene")
    command.add_argument("--samples", type=_positive, default=16, help="per pixel")
    command.add_argument("--seed", type=int, default=1)
    command.add_argument("--name", help="first part of file names; default: the scene file's name")
    command.add_argument(
        "--pattern",
        type=_pattern,
        default="{shot}.{frame:04}.exr",
        help="paths below FOLDER; with {pass} every pass gets a file of its own (default: %(default)s)",
    )
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one verb. 0: done. 1: a fault named on standard error. 2: the command line itself is wrong, or nothing could
    be looked at."""
    for stream in (sys.stdout, sys.stderr):  # a name that the terminal cannot show is no reason to fail
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    args = build_parser().parse_args(arguments)
    try:
        answer, text = args.run(args)
    except PrismError as error:
        print(json.dumps(error.as_json()) if args.json else str(error), file=sys.stderr)
        return 1
    except Unable as unable:
        (error,) = unable.args
        print(json.dumps(error.as_json()) if args.json else str(error), file=sys.stderr)
        return 2
    except Refused as refusal:
        answer, text = refusal.args
        print(json.dumps(answer, indent=2) if args.json else text)
        return 1
    print(json.dumps(answer, indent=2) if args.json else text)
    return 0


if __name__ == "__main__":
    sys.exit(main())
