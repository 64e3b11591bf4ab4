"""The frames of a movie in order, with what becomes of those that are not there."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Literal

from numpy.typing import NDArray

from prism.errors import BadArgument
from prism.movies.burning import missing_frame
from prism.naming.frames import format_frames

Gaps = Literal["refuse", "hold", "mark"]
GAPS: tuple[Gaps, ...] = ("refuse", "hold", "mark")
GAP_TITLES = {
    "refuse": "refuse, by their numbers",
    "hold": "hold the frame before",
    "mark": "mark with their numbers",
}
AHEAD = 2  # frames decoded while one is encoded


def require_frames(wanted: Sequence[int], there: Collection[int], gaps: Gaps) -> None:
    """Raises BadArgument naming the frames that are missing, if they are refused, or if none is there."""
    missing = sorted(set(wanted) - set(there))
    if missing and gaps == "refuse":
        raise BadArgument(
            f"Not there: {format_frames(missing)}.", where="frames", advice="Render them, or hold or mark the gaps."
        )
    if len(missing) == len(set(wanted)):
        raise BadArgument("None of these frames is there.", where="frames")


def filled(
    wanted: Sequence[int], there: Collection[int], load: Callable[[int], NDArray], gaps: Gaps
) -> Iterator[tuple[int, NDArray]]:
    """Number and codes of every frame that is wanted. A frame that is missing is the one before it, or at the beginning
    the first there is. Raises as `require_frames`, and what `load` raises."""
    require_frames(wanted, there, gaps)
    first = next(number for number in wanted if number in there)
    with ThreadPoolExecutor(AHEAD) as readers:
        ahead = _read_ahead([number for number in wanted if number in there], load, readers)
        near = None
        for number in wanted:
            if number in there:
                near = next(ahead)
                yield number, near
            else:
                before = load(first) if near is None else near
                yield number, missing_frame(before, number) if gaps == "mark" else before


def _read_ahead(
    numbers: Sequence[int], load: Callable[[int], NDArray], readers: ThreadPoolExecutor
) -> Iterator[NDArray]:
    """In order, each decoded while those before it are used."""
    waiting = [readers.submit(load, number) for number in numbers[:AHEAD]]
    for following in [*numbers[AHEAD:], *[None] * min(AHEAD, len(numbers))]:
        done = waiting.pop(0).result()
        if following is not None:
            waiting.append(readers.submit(load, following))
        yield done
