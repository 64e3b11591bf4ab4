"""`python -m prism ledger`, `balance` and `rebuild`: the passes of frames back into their beauty."""

from __future__ import annotations

import argparse
import json
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from prism.balance.balance import Balance, balance
from prism.commands import Answer, Refused, Unable
from prism.commands.framing import frames_of, ledger_on
from prism.commands.planned_layers import layers_of_plan
from prism.commands.writing import write_frames
from prism.delivery.ledger_frame import wanted_of
from prism.errors import BadArgument, PrismError
from prism.formats.safe import replacing
from prism.ledger.document import Ledger
from prism.ledger.first import first_ledger
from prism.ledger.rows import Row
from prism.ledger.wording import named
from prism.sources.frame import OpenFrame


def make_ledger(args: argparse.Namespace) -> Answer:
    """Write the ledger that lands on the rendered beauty, with a plan of all its layers. Raises NoBeauty, NoComponents,
    BadArgument or UnreadableFile."""
    remark = ""
    if args.plan:
        ledger, remark = layers_of_plan(args)
    else:
        if args.camera or args.scene:
            raise BadArgument("Cameras and scenes are those of a plan.", advice="Name the plan with --plan.")
        sources = next(frames_of(args))
        ledger = first_ledger(sources, by=args.by, denoised=args.denoised, name=args.out.stem)
    ledger = ledger.replace(space=args.space or ledger.space)
    with replacing(args.out) as temporary:
        temporary.write_text(json.dumps(ledger.as_json(), indent=2) + "\n", encoding="utf-8")
    lines = [str(args.out), *(f"  {line}" for line in _rows(ledger.rows)), *([remark] if remark else [])]
    return ledger.as_json(), "\n".join(lines)


def _rows(rows: Sequence[Row], depth: int = 0) -> Iterator[str]:
    for row in rows:
        what = named(row) if row.holds_rows else row.source_taken or named(row)
        yield f"{'  ' * depth}{row.operator:<9}{what}{'' if row.on else '  (off)'}"
        yield from _rows(row.inner, depth + 1)


def show_balance(args: argparse.Namespace) -> Answer:
    """Whether a ledger, or the first one, lands on the rendered beauty, frame by frame. Raises Refused if it does not,
    Unable."""
    results: list[tuple[int, Balance]] = []
    try:
        loaded = Ledger.load(args.ledger) if args.ledger else None
        for sources in frames_of(args, loaded):
            if loaded is not None:
                ledger = ledger_on(loaded, sources)
            else:
                ledger = first_ledger(sources, by=args.by, denoised=args.denoised)
            results.append((sources.number, balance(ledger, sources, thorough=args.thorough)))
    except PrismError as error:
        raise Unable(error) from error
    text = "\n".join(line for number, result in results for line in _lines(number, result, len(results) > 1))
    frames = [{"frame": number, **result.as_json()} for number, result in results]
    answer = frames[0] if len(frames) == 1 else {"frames": frames, "balanced": all(r.balanced for _, r in results)}
    if not all(result.balanced for _, result in results):
        raise Refused(answer, text)
    return answer, text


def _lines(number: int, result: Balance, many: bool) -> Iterator[str]:
    lead = f"{number}: " if many else ""
    far = f"largest difference {result.difference.largest:.6g} at x {result.x} y {result.y}"
    yield f"{lead}{far}, mean {result.difference.mean:.6g}"
    yield f"{lead}{result.verdict}"
    for suggestion in result.suggestions:
        yield f"{lead}{suggestion.what}"
    if result.stopped:
        yield f"{lead}{result.stopped} Search on with --thorough."


def rebuild(args: argparse.Namespace) -> Answer:
    """Write the picture of a ledger, with settings changed for this once, at every frame. Raises BadArgument, or as
    deliver."""
    loaded = Ledger.load(args.ledger)
    frames = _read_ahead(loaded, frames_of(args, loaded))
    return write_frames(args, ((_with_settings(ledger, args.set), sources) for ledger, sources in frames))


def _with_settings(ledger: Ledger, settings: Sequence[str]) -> Ledger:
    for setting in settings:
        ledger = ledger.with_setting(*_setting(setting))
    return ledger


def _read_ahead(loaded: Ledger, frames: Iterator[OpenFrame]) -> Iterator[tuple[Ledger, OpenFrame]]:
    """Frames with the ledger laid on them; while one is worked on, the next is decoded."""

    def read(sources: OpenFrame) -> tuple[Ledger, OpenFrame]:
        ledger = ledger_on(loaded, sources)
        sources.read(wanted_of(ledger, sources.number))
        return ledger, sources

    with ThreadPoolExecutor(1) as reader:
        ahead = None
        for sources in frames:
            following = reader.submit(read, sources)
            if ahead is not None:
                yield ahead.result()
            ahead = following
        if ahead is not None:
            yield ahead.result()


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
