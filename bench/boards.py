"""Boards made to cost as much as they may, in previews and as they are written: each in a process of its own."""

from __future__ import annotations

import multiprocessing
import random
import resource
import time
from typing import Any

import numpy as np

from prism.errors import PrismError
from prism.sheets.boards.costs import MOST_DRAWN, MOST_IN_A_PREVIEW, drawn_of, require_affordable
from prism.sheets.boards.document import Board
from prism.sheets.boards.render import Scale, board_page

PREVIEW_AIM, PREVIEW_MEMORY_AIM = 2.0, 200  # seconds, and MB beside what Python and its libraries take
WHOLE_AIM, WHOLE_MEMORY_AIM = 10.0, 1000
SIDES = (300, 7700)  # pixels of a sheet


def run(count: int) -> dict[str, object]:
    """What was drawn and refused, and how much of it took longer or more than is aimed at."""
    refused = late = large = 0
    slowest = [0.0, 0.0]
    rng = random.Random(7)
    for place in range(count):
        preview = place % 2 == 0
        board = _board(rng, 1600 if preview else rng.randint(*SIDES), MOST_IN_A_PREVIEW if preview else MOST_DRAWN)
        drawn = _apart(board, MOST_IN_A_PREVIEW if preview else MOST_DRAWN)
        if drawn is None:
            refused += 1
            continue
        seconds, megabytes = drawn
        slowest[preview] = max(slowest[preview], seconds)
        late += seconds > (PREVIEW_AIM if preview else WHOLE_AIM)
        large += megabytes > (PREVIEW_MEMORY_AIM if preview else WHOLE_MEMORY_AIM)
    return {
        "boards": count,
        "refused": refused,
        "slowest preview, s": f"{slowest[True]:.2f}",
        "slowest whole board, s": f"{slowest[False]:.2f}",
        f"longer than {PREVIEW_AIM:g} s, or {WHOLE_AIM:g} s, must be 0": late,
        f"more than {PREVIEW_MEMORY_AIM} MB, or {WHOLE_MEMORY_AIM} MB, must be 0": large,
    }


def _board(rng: random.Random, side: int, most: int) -> Board:
    """Elements of one random kind, as many as may be drawn."""
    shadow = {"blur": rng.choice([0, 2, side / 50]), "dx": 3, "dy": 3} if rng.random() < 0.5 else None
    kind = rng.choice(["band", "marks", "text", "picture"])
    size = side * rng.choice([0.02, 0.1, 0.5, 1.0, 3.0])
    made: dict[str, Any] = {"kind": kind, "shadow": shadow}
    if kind == "band":
        made |= {"width": size, "height": size, "texture": rng.choice(["plain", "dots"]), "outline": size / 20}
    elif kind == "picture":
        made |= {"width": size, "height": size, "source": {"kind": "file", "path": "a.png"}}
    elif kind == "marks":
        made |= {"size": min(9000, size / 4), "count": rng.randint(1, 2000), "spacing": side / 100}
    else:
        text = "\n".join("shine" * rng.randint(1, 5) for _ in range(40))
        made |= {"text": text, "size": min(9000, size / 20), "glow": rng.choice([0, size / 60]), "y": side / 10}
    sheet = {"unit": "px", "width": side, "height": side}
    one = Board.from_json(sheet | {"elements": [{"id": "a"} | made]})
    times = max(1, min(900, int(most / max(1.0, drawn_of(one.elements[0], Scale.of(one))))))
    places = (rng.random() * side / 2 for _ in range(times))
    elements = [{"id": f"a{number}", "x": x} | made for number, x in enumerate(places)]
    return Board.from_json(sheet | {"elements": elements})


def _apart(board: Board, most: int) -> tuple[float, int] | None:
    """Seconds and megabytes; None if it is refused."""
    try:
        require_affordable(board, Scale.of(board), most=most)
    except PrismError:
        return None
    ours, theirs = multiprocessing.get_context("spawn").Pipe()
    child = multiprocessing.get_context("spawn").Process(target=_draw, args=(board.as_json(), most, theirs))
    child.start()
    answer = ours.recv()
    child.join()
    return answer


def _draw(document: dict[str, Any], most: int, line: Any) -> None:
    board = Board.from_json(document)
    codes = np.full((540, 960, 3), 90, np.uint8)
    board_page(Board(), lambda source, across: codes)  # with all that is loaded at first
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    begun = time.perf_counter()
    board_page(board, lambda source, across: codes, most=most).with_words  # noqa: B018 (drawn when asked for)
    seconds = time.perf_counter() - begun
    line.send((seconds, (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) >> 10))
