"""The verbs of the command line and their options. What carries a verb out is imported when it is asked for: to say
what there is must not take seconds."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from importlib import import_module
from pathlib import Path
from types import MappingProxyType
from typing import NoReturn

from prism import __version__
from prism.colour.spaces import SPACES
from prism.colour.views import VIEWS
from prism.commands import Answer
from prism.errors import BadArgument
from prism.ledger.bases import BASES
from prism.movies.codecs import CODECS
from prism.movies.filling import GAPS
from prism.naming.patterns import Pattern, parse_pattern
from prism.pixels.file_formats import KEEPING, LOSSLESS, WRITTEN

PIXELS = WRITTEN["exr"].pixels


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


def _add_frames(command: argparse.ArgumentParser) -> None:
    """Which frames are meant."""
    command.add_argument(
        "files", nargs="+", type=Path, metavar="FILE",
        help="the files of one frame, or folders of sequences: of the passes, and of backgrounds",
    )  # fmt: skip
    command.add_argument("--frames", help="of a folder: a list such as 1001-1010x3 (default: all that are there)")
    command.add_argument(
        "--space", choices=list(SPACES), help="working space of the files (default: that of the ledger)"
    )


def _add_inspect(command: argparse.ArgumentParser) -> None:
    command.add_argument("files", nargs="+", type=Path, metavar="FILE", help="pictures")


def _add_ledger(command: argparse.ArgumentParser) -> None:
    _add_frames(command)
    command.add_argument("--out", type=Path, required=True, metavar="L.json")
    command.add_argument("--by", choices=BASES, help="what to rebuild from")
    command.add_argument("--denoised", action="store_true", help="from the denoised passes, onto the denoised beauty")
    command.add_argument(
        "--plan", type=Path, metavar="PLAN.json", help="that the folder follows: combines all layers of one camera"
    )
    command.add_argument("--camera", metavar="NAME", help="with --plan: whose layers (default: the first of the plan)")
    command.add_argument("--scene", type=Path, metavar="SCENE.json", help="with --plan: what the layers show of it")


def _add_balance(command: argparse.ArgumentParser) -> None:
    _add_frames(command)
    command.add_argument("--ledger", type=Path, metavar="L.json", help="default: the first ledger")
    command.add_argument("--by", choices=BASES, help="for the first ledger")
    command.add_argument("--denoised", action="store_true", help="for the first ledger")
    command.add_argument("--thorough", action="store_true", help="search for causes where the usual search stops")


def _add_rebuild(command: argparse.ArgumentParser) -> None:
    _add_frames(command)
    command.add_argument("--ledger", type=Path, required=True, metavar="L.json")
    command.add_argument(
        "--set", action="append", default=[], metavar="ROW.FIELD=VALUE", help="change a row; may be repeated"
    )
    _add_output(command)


def _add_finish(command: argparse.ArgumentParser) -> None:
    _add_frames(command)
    command.add_argument("--frame", dest="frames", metavar="N", help="one frame of a folder")
    command.add_argument("--finish", type=Path, required=True, metavar="F.json")
    command.add_argument(
        "--ledger", type=Path, metavar="L.json", help="whose picture is finished (default: the beauty, or the picture)"
    )
    command.add_argument(
        "--as", dest="domain", choices=("light", "display"),
        help="what an EXR holds: light, without the steps that work on display values (default), or display values",
    )  # fmt: skip
    _add_output(command)


def _add_output(command: argparse.ArgumentParser) -> None:
    """How pictures are written: what `prism.commands.writing` reads."""
    command.add_argument(
        "--out", type=Path, required=True, help=".exr, .png, .tif or .jpg; with {frame:04} for several frames"
    )
    command.add_argument("--pixel", choices=PIXELS, default="half", help="EXR pixel type")
    command.add_argument("--compression", choices=KEEPING, default="zip", help="EXR compression")
    command.add_argument("--view", choices=list(VIEWS), default="srgb", help="from light to display values")
    command.add_argument(
        "--alpha", choices=("keep", "black"), default="keep", help="of stills: keep it, or put the picture over black"
    )
    command.add_argument("--bits", type=int, choices=(8, 16), default=8, help="depth of stills")


def _add_deliver(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "delivery", type=Path, metavar="DELIVERY.json", help="paths in it are taken from its own folder"
    )
    command.add_argument("--anywhere", action="store_true", help="its `out` may lead out of that folder")


def _add_movie(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "files", nargs="+", type=Path, metavar="FILE",
        help="files in their order, a pattern such as name.####.exr, a folder; with --ledger, folders of passes",
    )  # fmt: skip
    command.add_argument("--ledger", type=Path, metavar="L.json", help="whose picture is shown")
    command.add_argument("--finish", type=Path, metavar="F.json", help="laid on the ledger in place of its own")
    command.add_argument("--frames", help="a list such as 1001-1010 (default: from the first to the last there is)")
    command.add_argument("--codec", choices=list(CODECS), required=True)
    command.add_argument("--rate", type=_rate, required=True, metavar="R", help="frames a second; 23.976 is 24000/1001")
    command.add_argument("--view", choices=list(VIEWS), default="srgb", help="from light to display values")
    command.add_argument(
        "--alpha",
        choices=("over", "keep"),
        help="over black, or kept, straight; if not said, kept where there is one",
    )
    command.add_argument(
        "--burn", default="", metavar="TEXT_PATTERN",
        help="a band at the foot: left|middle|right, such as '{shot} v{version:03}|{note}|{frame}'",
    )  # fmt: skip
    command.add_argument("--note", default="", help="for the band")
    command.add_argument("--gaps", choices=GAPS, default="refuse", help="what becomes of frames that are missing")
    command.add_argument("--out", type=Path, required=True, metavar="FILE")


def _add_sheet(command: argparse.ArgumentParser) -> None:
    command.add_argument("files", nargs="+", type=Path, metavar="FILE", help="pictures, in their order")
    command.add_argument("--columns", type=_positive, default=4, metavar="N")
    command.add_argument("--cell", type=_size, default=(480, 300), metavar="WxH", help="pixels")
    command.add_argument("--gap", type=int, default=16, metavar="G", help="pixels between cells")
    command.add_argument("--margin", type=int, default=32, metavar="M", help="pixels around all")
    command.add_argument("--background", default="#1b1b1b", metavar="#RRGGBB")
    command.add_argument(
        "--caption", default="", metavar="PATTERN", help="inside each cell: {name}, {stem}, {index}, {frame}"
    )
    command.add_argument("--title", default="", help="a line at the top, which makes the sheet higher")
    command.add_argument("--fill", choices=("fit", "fill"), default="fit", help="whole in the cell, or filling it")
    command.add_argument("--letters", type=_positive, default=16, metavar="PX", help="size of the caption")
    command.add_argument("--dpi", type=float, default=150.0, metavar="D", help="pixels to an inch, for PDF")
    command.add_argument("--view", choices=list(VIEWS), default="srgb", help="from light to display values")
    command.add_argument("--out", type=Path, required=True, metavar="FILE", help=".png, .tif, .exr or .pdf")


def _add_board(command: argparse.ArgumentParser) -> None:
    command.add_argument("board", type=Path, metavar="BOARD.json", help="paths in it are taken from its own folder")
    command.add_argument("--out", type=Path, required=True, metavar="FILE", help=".png, .tif or .pdf")


def _add_parcel(command: argparse.ArgumentParser) -> None:
    actions = command.add_subparsers(dest="action", metavar="ACTION", required=True, parser_class=OneLineParser)
    make = actions.add_parser("make", help="Passes, documents, tables, script and checksums in one folder.")
    make.add_argument("--json", action="store_true", help="answer as JSON")
    make.add_argument("--ledger", type=Path, required=True, metavar="L.json")
    make.add_argument("--frames", metavar="R", help="a list such as 1001-1010x3 (default: all that are there)")
    make.add_argument("--out", type=Path, required=True, metavar="FOLDER")
    make.add_argument("folders", nargs="+", type=Path, metavar="ELEMENT_FOLDER")
    check = actions.add_parser("check", help="Whether every file is as it was made: 0, or 1 with their names.")
    check.add_argument("--json", action="store_true", help="answer as JSON")
    check.add_argument("folder", type=Path, metavar="FOLDER")


def _rate(text: str) -> float:
    try:
        rate = float(Fraction(text))
    except (ValueError, ZeroDivisionError):
        rate = 0.0
    if not 0 < rate <= 1000:
        raise argparse.ArgumentTypeError(f"{text} is no rate; write 24, 23.976 or 24000/1001")
    return rate


def _add_matte(command: argparse.ArgumentParser) -> None:
    _add_frames(command)
    command.add_argument("--ledger", type=Path, metavar="L.json")
    command.add_argument(
        "--name", action="append", metavar="MATTE", help="of the ledger; may be repeated (default: all)"
    )
    command.add_argument("--crypto", nargs="+", metavar="NAME", help="names or patterns of a Cryptomatte, a matte each")
    command.add_argument("--layer", metavar="PASS", help="first rank of the Cryptomatte (default: the first there is)")
    command.add_argument(
        "--out", type=Path, required=True, help=".exr; {pass} stands for the matte's name, {frame:04} for the frame"
    )
    command.add_argument("--pixel", choices=PIXELS, default="half", help="pixel type")
    command.add_argument("--compression", choices=LOSSLESS, default="zip", help="compression")


def _add_plan(command: argparse.ArgumentParser) -> None:
    command.add_argument("action", nargs="?", choices=("expand", "check", "estimate", "audit"))
    command.add_argument("plan", nargs="?", type=Path, metavar="PLAN.json")
    command.add_argument("--schema", action="store_true", help="print the JSON Schema of plans")
    command.add_argument("--scene", type=Path, metavar="SCENE.json", help="without it, any pass may carry something")
    command.add_argument("--folder", type=Path, metavar="DIR", help="to audit")
    command.add_argument("--measured", metavar="SECONDS@WxHxSAMPLES", help="a rendered frame, to estimate time from")


def _add_intake(command: argparse.ArgumentParser) -> None:
    command.add_argument("paths", nargs="+", type=Path, metavar="FOLDER|FILE")
    command.add_argument("--plan", type=Path, metavar="PLAN.json", help="that the files should follow")
    command.add_argument("--scene", type=Path, metavar="SCENE.json", help="of the plan, for its light groups")


def _add_scene(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", nargs="?", type=Path, metavar="SCENE.json")
    command.add_argument("--schema", choices=("scene", "facts"), help="print a JSON Schema instead")


def _add_render(command: argparse.ArgumentParser) -> None:
    command.add_argument("scene", type=Path, metavar="SCENE.json")
    wanted = command.add_mutually_exclusive_group(required=True)
    wanted.add_argument("--frame", type=int)
    wanted.add_argument(
        "--plan", type=Path, metavar="PLAN.json", help="all files of a plan; the options below are its own"
    )
    command.add_argument("--frames", help="with --plan: a list such as 1001-1010x3 (default: all of the plan)")
    command.add_argument("--out", type=Path, required=True, metavar="FOLDER")
    command.add_argument("--camera", help="default: the first of the scene that is rendered")
    command.add_argument("--size", type=_size, metavar="WxH", help="default: the size of the scene")
    command.add_argument("--samples", type=_positive, default=16, help="per pixel")
    command.add_argument("--seed", type=int, default=1)
    command.add_argument("--name", help="first part of file names; default: the scene file's name")
    command.add_argument(
        "--pattern", type=_pattern, default="{shot}.{frame:04}.exr",
        help="paths below FOLDER; with {pass} every pass gets a file of its own (default: %(default)s)",
    )  # fmt: skip


def _add_deep(command: argparse.ArgumentParser) -> None:
    actions = command.add_subparsers(dest="action", metavar="ACTION", required=True, parser_class=OneLineParser)

    def action(name: str, summary: str, *, files: str | None = None, writes: bool = True) -> argparse.ArgumentParser:
        made = actions.add_parser(name, help=summary, description=summary)
        made.add_argument("--json", action="store_true", help="answer as JSON")
        made.add_argument("files" if files else "file", nargs=files, type=Path, metavar="FILE")
        if writes:
            made.add_argument("--out", type=Path, required=True, metavar="F")
        if writes and name not in ("flatten", "points"):
            made.add_argument("--tile", nargs=2, type=int, metavar=("W", "H"), help="write tiles instead of scan lines")
        return made

    action("info", "Samples, depths and channels of a deep file.", writes=False)
    action("flatten", "All samples composited, as a flat OpenEXR file.")
    action("merge", "The samples of several files in one, in the order of their depths.", files="+")
    by = action("holdout", "What of a file is seen among the samples of others.")
    by.add_argument("--by", nargs="+", type=Path, required=True, metavar="FILE")
    part = action("cut", "The samples within a range of depth.")
    _add_range(part)
    move = action("move", "The same samples at other depths: times S, then plus D.")
    move.add_argument("--add", type=float, default=0.0, metavar="D")
    move.add_argument("--times", type=float, default=1.0, metavar="S")
    place = action("place", "A flat picture in depth: at one depth, or at that of each pixel.")
    where = place.add_mutually_exclusive_group(required=True)
    where.add_argument("--at", type=float, metavar="D")
    where.add_argument("--depth", metavar="PASS", help="a pass of the same file, such as depth or Z")
    place.add_argument("--thick", type=float, default=0.0, metavar="T", help="how far it goes back from there")
    thin = action("thin", "Fewer samples: neighbours joined where that changes least, with the error of that.")
    thin.add_argument("--tolerance", type=float, default=0.0, metavar="T", help="of depth within which they are joined")
    thin.add_argument("--most", type=int, default=0, metavar="N", help="samples of a pixel (default: any number)")
    action(
        "tidy",
        "The samples of each pixel in order: split where they overlap, joined where they share a place.",
    )
    recolour = action("recolour", "Samples in another colour: all, or those of a range of depth or of some IDs.")
    recolour.add_argument("--gain", nargs=3, type=float, required=True, metavar=("R", "G", "B"))
    _add_range(recolour)
    _add_ids(recolour, required=False)
    keep = action("keep", "Only the samples of some IDs or names; with --others, all but those.")
    keep.add_argument("--others", action="store_true", help="leave those out instead")
    _add_ids(keep, required=True)
    crop = action("crop", "Another data window: cropped, and empty where there was nothing.")
    crop.add_argument("--window", nargs=4, type=int, required=True, metavar=("X0", "Y0", "X1", "Y1"))
    resize = action("resize", "Another size: every pixel takes the samples of the one that its middle is in.")
    resize.add_argument("--size", nargs=2, type=int, required=True, metavar=("W", "H"))
    action("points", "Samples as points of a PLY file: pixel, depth and colour.")


def _add_range(command: argparse.ArgumentParser) -> None:
    command.add_argument("--near", type=float, default=float("-inf"), metavar="N")
    command.add_argument("--far", type=float, default=float("inf"), metavar="N")


def _add_ids(command: argparse.ArgumentParser, *, required: bool) -> None:
    command.add_argument("--channel", required=required, metavar="C", help="of whole numbers")
    wanted = command.add_mutually_exclusive_group(required=required)
    wanted.add_argument("--ids", nargs="+", type=int, default=[], metavar="N")
    wanted.add_argument(
        "--names", nargs="+", default=[], metavar="NAME", help="whose hash the channel has, as Cryptomatte does"
    )


@dataclass(frozen=True, slots=True)
class Verb:
    """function: in which module below `prism.commands`, and its name there. add: its options."""

    function: str
    summary: str
    add: Callable[[argparse.ArgumentParser], None]

    def run(self, args: argparse.Namespace) -> Answer:
        """Carry it out. Raises what that raises."""
        module, _, name = self.function.partition(":")
        return getattr(import_module(f"prism.commands.{module}"), name)(args)


VERBS: Mapping[str, Verb] = MappingProxyType(
    {
        "inspect": Verb(
            "files:inspect", "Parts, channels, types, windows and statistics of pictures.", _add_inspect
        ),
        "ledger": Verb("ledgers:make_ledger", "The first ledger from the passes of one frame.", _add_ledger),
        "balance": Verb("ledgers:show_balance", "Rebuilt against rendered beauty.", _add_balance),
        "rebuild": Verb("ledgers:rebuild", "Evaluate a ledger and write the pictures.", _add_rebuild),
        "finish": Verb("finish:finish", "Finish pictures, or those of a ledger, and write them.", _add_finish),
        "matte": Verb("mattes:write_mattes", "Mattes as files of one channel each.", _add_matte),
        "plan": Verb(
            "plans:plan", "Which files a plan will write, what is wrong with it, and whether a folder follows it.",
            _add_plan,
        ),
        "intake": Verb(
            "intake:intake", "What folders contain: sequences, elements, passes, and what is wrong with them.",
            _add_intake,
        ),
        "scene": Verb("scenes:scene", "Whether a scene or a sheet of facts is sound, and what is in it.", _add_scene),
        "deep": Verb("deep:deep", "Deep files inspected, merged, cut, moved, thinned and flattened.", _add_deep),
        "deliver": Verb(
            "deliveries:deliver", "Carry out a delivery document: all its files and its record.", _add_deliver
        ),
        "movie": Verb("deliveries:movie", "A movie of pictures, or of what a ledger makes of passes.", _add_movie),
        "sheet": Verb("sheets:sheet", "A contact sheet of pictures.", _add_sheet),
        "board": Verb("sheets:board", "A presentation board, drawn from its document.", _add_board),
        "parcel": Verb(
            "parcels:parcel", "What somebody elsewhere needs to go on: make it, or check that it is whole.", _add_parcel
        ),
        "render": Verb("renders:render", "Render one frame of a scene with the stand-in renderer.", _add_render),
    }
)  # fmt: skip


def build_parser() -> argparse.ArgumentParser:
    """All verbs with their options; each sets `run`, which takes the options and gives an Answer."""
    parser = OneLineParser(prog="python -m prism", description="Render passes and their recombination.")
    parser.add_argument("--version", action="version", version=f"Eager Prism {__version__}")
    verbs = parser.add_subparsers(metavar="VERB", required=True)
    for name, verb in VERBS.items():
        command = verbs.add_parser(name, help=verb.summary, description=verb.summary)
        if verb.add not in (_add_deep, _add_parcel):  # whose actions have it
            command.add_argument("--json", action="store_true", help="answer as JSON")
        verb.add(command)
        command.set_defaults(run=verb.run)
    return parser
