"""Rebuilt frames written where the options say."""

from __future__ import annotations

import argparse
from collections.abc import Iterable
from pathlib import Path

from prism.commands import Answer
from prism.delivery.deliver import deliver, usual_encoding
from prism.errors import BadArgument
from prism.ledger.document import Ledger
from prism.naming.patterns import parse_pattern
from prism.sources.frame import OpenFrame


def write_frames(
    args: argparse.Namespace, frames: Iterable[tuple[Ledger, OpenFrame]], *, as_display: bool = False
) -> Answer:
    """Write every frame of a ledger, one at a time as they come, to --out. Raises BadArgument if two frames would share
    a name, or as deliver."""
    pattern = parse_pattern(args.out.name) if "{" in args.out.name else None
    written: list[Path] = []
    remarks: list[str] = []
    for ledger, sources in frames:
        path = args.out.with_name(pattern.expand({"frame": sources.number})) if pattern else args.out
        if path in written:
            raise BadArgument(
                f"Every frame would be written to {path}.", where="--out", advice="Put {frame:04} into the name."
            )
        encoding = usual_encoding(
            path, pixel=args.pixel, compression=args.compression, view=args.view, bits=args.bits,
            alpha="keep" if args.alpha == "keep" else "over", keep_alpha=args.alpha == "keep",
            holds="display" if as_display else "light",
        )  # fmt: skip
        remarks += deliver(ledger.replace(space=args.space or ledger.space), sources, path, encoding)
        written.append(path)
    names = [str(path) for path in written]
    return {"file": names[0], "files": names, "remarks": remarks}, "\n".join([*names, *remarks])
