"""`python -m prism matte`: mattes of a ledger, or names of a Cryptomatte, as files."""

from __future__ import annotations

import argparse

from prism.commands import Answer
from prism.commands.framing import frames_of, ledger_on
from prism.errors import BadArgument
from prism.ledger.document import Ledger
from prism.mattes import ranks
from prism.mattes.document import MadeMatte
from prism.mattes.parts import NamesPart
from prism.mattes.plan import plans
from prism.mattes.writing import file_word, write_matte
from prism.naming.patterns import parse_pattern
from prism.sources.frame import OpenFrame


def write_mattes(args: argparse.Namespace) -> Answer:
    """Write every matte that is asked for, at every frame. Raises BadArgument, or as the evaluation."""
    if bool(args.ledger) == bool(args.crypto):
        raise BadArgument("Mattes come from a ledger or from names.", advice="Use --ledger with --name, or --crypto.")
    pattern = parse_pattern(args.out.name)
    written: list[str] = []
    loaded = Ledger.load(args.ledger) if args.ledger else None
    for sources in frames_of(args, loaded):
        ledger = _ledger(args, loaded, sources)
        ready = plans(ledger.mattes, sources.number, ledger.space)
        wanted = args.name or list(ready)
        unknown = [name for name in wanted if name not in ready]
        if unknown or not wanted:
            raise BadArgument(
                f"There is no matte {', '.join(unknown)}." if unknown else "The ledger has no mattes.",
                where="--name",
                advice=f"The ledger has {', '.join(ready) or 'none'}.",
            )
        for name in wanted:
            path = args.out.with_name(pattern.expand({"frame": sources.number, "pass": file_word(name)}))
            if str(path) in written:
                raise BadArgument(
                    f"Several mattes or frames would be written to {path}.", where="--out",
                    advice="Put {pass} and {frame:04} into the name.",
                )  # fmt: skip
            write_matte(ready[name], sources, path, pixel=args.pixel, compression=args.compression)
            written.append(str(path))
    return {"files": written}, "\n".join(written)


def _ledger(args: argparse.Namespace, loaded: Ledger | None, sources: OpenFrame) -> Ledger:
    """The one named; or one with a matte for each name or pattern."""
    if loaded is not None:
        return ledger_on(loaded, sources)
    source = args.layer or next((source.key for source in ranks.first_ranks(sources)), "")
    if not source:
        raise BadArgument("These files have no Cryptomatte.", where="--crypto", advice="Render one, or use a ledger.")
    mattes = [
        MadeMatte(id=name, parts=(NamesPart(source=source, patterns=(name,)),)) for name in dict.fromkeys(args.crypto)
    ]
    return Ledger(alpha=None, mattes=tuple(mattes))
