"""`python -m prism parcel make` and `parcel check`."""

from __future__ import annotations

import argparse

from prism.commands import Answer, Refused
from prism.commands.framing import opener, require_there
from prism.delivery.document import Delivery
from prism.delivery.encodings.base import Destination
from prism.delivery.parcel.checking import CHECKSUMS, check_parcel
from prism.delivery.running import run
from prism.ledger.document import Ledger
from prism.naming.frames import parse_frames
from prism.text import printable


def parcel(args: argparse.Namespace) -> Answer:
    """Make a parcel, or check one. Raises Refused if it is not whole, BadArgument, or as the writers."""
    return _make(args) if args.action == "make" else _check(args)


def _make(args: argparse.Namespace) -> Answer:
    ledger = Ledger.load(args.ledger)
    opened, there = opener(ledger, None, args.folders)
    numbers = parse_frames(args.frames) if args.frames else list(there)
    require_there(numbers, there)
    item = {"id": "parcel", "subject": "files", "pattern": CHECKSUMS}
    delivery = Delivery.from_json({"items": [item | {"encoding": {"kind": "parcel"}}]})
    fields: dict[str, str | int] = {
        "production": "",
        "shot": ledger.name,
        "ledger": ledger.name,
        "version": 1,
        "layer": "",
        "camera": "",
    }
    report = run(delivery, numbers, opened, Destination(args.out, fields, tuple(numbers)))
    return {"folder": str(args.out), "remarks": list(report.remarks)}, "\n".join([str(args.out), *report.remarks])


def _check(args: argparse.Namespace) -> Answer:
    checked = check_parcel(args.folder)
    faults = [{"file": fault.where, "what": fault.what} for fault in checked.faults]
    answer = {"whole": checked.whole, "files": checked.count, "faults": faults, "extra": list(checked.extra)}
    lines = [printable(f"{fault.where}: {fault.what}") for fault in checked.faults]
    lines += [printable(f"{name}: not part of the parcel") for name in checked.extra]
    if not checked.whole:
        raise Refused(answer, "\n".join(lines))
    return answer, "\n".join([f"whole: {checked.count} files", *lines])
