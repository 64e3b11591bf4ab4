"""From a changed row to an encoded picture at 960 x 540, sources in memory: the server's part of a drag."""

from __future__ import annotations

import tempfile
from functools import partial
from pathlib import Path

import numpy as np

from bench.measure import measure
from prism.colour.view import ViewTransform, apply_exactly
from prism.combine.evaluate import Evaluator
from prism.formats.exr import write_exr
from prism.ledger.first import first_ledger
from prism.pixels.image import Image
from prism.sources.opening import find_sources
from prism.sources.store import PixelStore
from prism.tests.frames import passes
from prism.viewing.picture import Look, encode, to_screen
from prism.viewing.subjects import LedgerSubject

HEIGHT, WIDTH = 540, 960
AIM = 0.060  # seconds


def run() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shot.1001.exr"
        planes = passes(np.random.default_rng(1), HEIGHT, WIDTH, np.float16)
        write_exr(path, Image.of_planes(planes))
        store = PixelStore()
        sources = find_sources([path], store=store)
        ledger, evaluator = first_ledger(sources), Evaluator(store)
        amounts = iter(np.linspace(0, 2, 1000))
        for view in ("srgb", "film"):
            look = Look(transform=ViewTransform(view=view))

            def drag(encoding: str = "jpeg", look: Look = look) -> bytes:
                changed = ledger.with_setting("emission", "amount", float(next(amounts)))
                rgba = LedgerSubject(ledger=changed, edited="emission", evaluator=evaluator).shown(sources).picture.rgba
                return encode(to_screen(rgba, look), encoding)

            timing = measure(drag, runs=25)
            resting = measure(lambda: drag("png"), runs=5)
            print(
                f"row change to picture, {WIDTH} x {HEIGHT}, {view}: median {timing.median * 1e3:.0f} ms, best "
                f"{timing.best * 1e3:.0f} ms "
                f"(aim: {AIM * 1e3:.0f} ms median); at rest, lossless: median {resting.median * 1e3:.0f} ms"
            )
            rgb = np.ascontiguousarray(np.moveaxis(evaluator.evaluate(ledger, sources).rgba[:3], 0, -1))
            exact = measure(partial(apply_exactly, rgb, look.transform), runs=3)
            rgba = evaluator.evaluate(ledger, sources).rgba
            baked = measure(partial(to_screen, rgba, look))
            print(f"  baked view {exact.best / baked.best:.1f} times as fast as the exact one")
