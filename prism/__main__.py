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

from prism.commands import Answer, Refused, Unable, ledgers, mattes
from prism.commands.intake import intake
from prism.commands.plans import plan
from prism.commands.renders import render
from prism.commands.scenes import scene
from prism.errors import BadArgument, PrismError
from prism.formats.decoding import SAMPLES
from prism.formats.exr import read_channels
from prism.formats.guarded import decode_deep
from prism.formats.headers import Part, read_parts
from prism.naming.patterns import Pattern, parse_pattern
from prism.pixels.stats import plane_stats


def inspect(args: argparse.Namespace) -> Answer:
    """What is in the files: parts, windows, compression, and the numbers of every channel, whose pixels or samples are all read.
    Raises UnreadableFile."""
    files = [
        {"file": str(path), "parts": [_inspect_part(path, part) for part in read_parts(path)]} for path in args.files
    ]
    return files, "\n".join(_inspect_text(file) for file in files)


def _inspect_part(path: Path, part: Part) -> dict[str, Any]:
    planes = decode_deep(path, part).planes if part.deep else read_channels(path, part).channels
    channels = [
        {"name": name, "type": kind, **asdict(plane_stats(planes[name]))} for name, kind in part.channels.items()
    ]
    return {
        "name": part.name,
        "deep": part.deep,
        **({"samples": int(planes[SAMPLES].sum()), "most": int(planes[SAMPLES].max(initial=0))} if part.deep else {}),
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
        deep = f"  deep, {part['samples']} samples, at most {part['most']} a pixel" if part["deep"] else ""
        lines.append(
            f"  part {number} {part['name']}  {part['compression']}{deep}  data {window.format(**part['data_window'])}"
            f"  display {window.format(**part['display_window'])}"
        )
        lines.append(f"    {'channel':<28}{'type':<7}{'min':>13}{'mean':>13}{'max':>13}{'NaN':>7}{'Inf':>7}")
        for channel in part["channels"]:
            shown = "".join(
                f"{'-':>13}" if channel[key] is None else f"{channel[key]:>13.6g}"
                for key in ("minimum", "mean", "maximum")
            )
            counts = f"{channel['nan_count']:>7}{channel['inf_count']:>7}"
            lines.append(f"    {channel['name']:<28}{channel['type']:<7}{shown}{counts}")
    return "\n".join(lines)


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

    ledgers.add_verbs(verb)
    mattes.add_verb(verb)

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
