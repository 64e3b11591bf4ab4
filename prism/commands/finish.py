"""The verb `finish`: pictures finished by a document, and written."""

from __future__ import annotations

import argparse

from prism.commands import Answer
from prism.commands.framing import frames_of, ledger_on
from prism.commands.writing import write_frames
from prism.errors import BadArgument
from prism.finish.document import Finish
from prism.ledger.document import Ledger
from prism.ledger.finishing import with_finish
from prism.ledger.first import require_beauty
from prism.ledger.rows import PassRow
from prism.pixels.file_formats import is_exr
from prism.sources.frame import OpenFrame


def finish(args: argparse.Namespace) -> Answer:
    """Write every frame finished: of a ledger, or the pictures themselves. Raises BadDocument naming step and field,
    BadArgument, or as deliver."""
    document = Finish.load(args.finish)
    loaded = Ledger.load(args.ledger) if args.ledger else None
    as_display = _as_display(args)
    frames = frames_of(args, loaded)
    finished = ((_finished_ledger(loaded, document, sources, args.space), sources) for sources in frames)
    return write_frames(args, finished, as_display=as_display)


def _as_display(args: argparse.Namespace) -> bool:
    exr = is_exr(args.out.name)
    if args.domain == "light" and not exr:
        raise BadArgument("A still holds display values.", where="--as", advice="Write light as .exr.")
    return exr and args.domain == "display"


def _finished_ledger(loaded: Ledger | None, document: Finish, sources: OpenFrame, space: str | None) -> Ledger:
    """The ledger to be finished, or one of the picture alone. Raises BadArgument for a pass that is not there."""
    if loaded is not None:
        ledger = ledger_on(loaded, sources)
    else:
        sources.as_display_stills()
        ledger = _of_picture(sources)
    ledger = ledger.replace(space=space or ledger.space)
    applied = with_finish(ledger, document, sources)
    if applied.missing:
        who, source = applied.missing[0]
        found = ", ".join(each.key for each in sources)
        raise BadArgument(
            f"There is no pass {source}.", where=f"step or matte {who}",
            advice=f"These files have {found}. Name one of them, or turn the step off.",
        )  # fmt: skip
    return applied.ledger


def _of_picture(sources: OpenFrame) -> Ledger:
    """A ledger of the beauty, or of the only picture there is."""
    keys = [source.key for source in sources]
    key = keys[0] if len(keys) == 1 else require_beauty(sources).key
    row = PassRow(id="picture", source=key, uses_alpha=False, in_balance=False)
    return Ledger(name="picture", beauty=key, alpha=key, rows=(row,))  # without an alpha it covers everything
