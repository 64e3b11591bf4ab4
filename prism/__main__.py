"""`python -m prism VERB ...`: batch work on passes. Exit code 0 only if all was done; one line per error."""

from __future__ import annotations

import io
import json
import os
import sys
from collections.abc import Sequence

from prism.commands import Refused, Unable
from prism.commands.options import build_parser
from prism.errors import PrismError


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
        (why,) = unable.args
        print(json.dumps(why.as_json()) if args.json else str(why), file=sys.stderr)
        return 2
    except Refused as refusal:
        answer, text = refusal.args
        print(json.dumps(answer, indent=2) if args.json else text)
        return 1
    print(json.dumps(answer, indent=2) if args.json else text)
    return 0


def run() -> int:
    """`main`, which ends quietly where whoever reads its words has gone, such as `head`."""
    try:
        code = main()
        sys.stdout.flush()
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # nothing is left to be said at the end
        return 0
    return code


if __name__ == "__main__":
    sys.exit(run())
