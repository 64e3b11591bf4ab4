"""Work by bands of rows, on all cores.

The compiled loops release the interpreter lock, so plain threads use every core. Unlike a parallel loop inside
the compiler's own pool, threads may be shared by many web requests at once, and work can be dropped between bands.
"""

import os
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor, as_completed
from functools import cache

from prism.errors import Superseded
from prism.limits import Limit, current

Band = tuple[int, int]
_NAME = "band"  # of threads that work on them


def split_rows(height: int, band_rows: int) -> Iterator[Band]:
    """Yield (first, end) row pairs that cover 0..height; the last band may be shorter."""
    for first in range(0, height, band_rows):
        yield first, min(first + band_rows, height)


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=os.cpu_count() or 1, thread_name_prefix=_NAME)


def run_bands(
    work: Callable[[int, int], None],
    height: int,
    band_rows: int,
    *,
    alone: int = 0,
    is_stale: Callable[[], bool] = lambda: False,
    on_progress: Callable[[float], None] = lambda done: None,
) -> None:
    """Call `work(first, end)` for every band, spread over all cores, and return when all are done.

    alone: up to so many bands are not worth handing out, and are worked off here. is_stale: asked before each band;
    once it answers True the remaining bands are skipped and Superseded is raised. So they are once the limit of
    `prism.limits` is over, by what it raises. on_progress: called in the caller's thread with the share of bands done,
    0..1.
    """
    bands = list(split_rows(height, band_rows))
    limit = current()  # the threads do not know of it

    def guarded(first: int, end: int) -> bool:
        if is_stale() or limit.is_over:
            return False
        work(first, end)
        return True

    # A band that waited for bands of its own would wait for ever, once all threads do.
    if len(bands) <= alone or threading.current_thread().name.startswith(_NAME):
        _require_all(all([guarded(*band) for band in bands]), limit)
        return
    futures = [_pool().submit(guarded, *band) for band in bands]
    complete = True
    try:
        for count, future in enumerate(as_completed(futures), start=1):
            complete &= future.result()
            on_progress(count / len(bands))
    finally:
        for future in futures:
            future.cancel()
    _require_all(complete, limit)


def _require_all(complete: bool, limit: Limit) -> None:
    if not complete:
        limit.require()
        raise Superseded("A newer request took over.")
