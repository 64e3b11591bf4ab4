"""The denoiser: how much of the error it takes away, compared with a frame of very many samples, and its time."""

from __future__ import annotations

import time

import numpy as np

from demo.conservatory import build_scene
from prism.passes.catalogue import BY_KEY
from standin.denoise import denoise
from standin.render import Order, Quality, render

WIDTH, HEIGHT = 160, 90
KEYS = ("beauty", "variance", "albedo", "normals")


def run() -> None:
    reference, _ = _frame(512, seed=9)
    noisy, seconds = _frame(16, seed=1)
    guides = {key: noisy[key] for key in KEYS[1:]}
    denoise({"beauty": noisy["beauty"]}, beauty=noisy["beauty"], **guides)  # compiles
    begun = time.perf_counter()
    clean = denoise({"beauty": noisy["beauty"]}, beauty=noisy["beauty"], **guides)["beauty"]
    taken = time.perf_counter() - begun
    ratio = _error(clean, reference["beauty"]) / _error(noisy["beauty"], reference["beauty"])
    print(f"denoiser: {ratio:.2f} of the error of 16 samples is left, for {taken / seconds:.2f} of the rendering time")


def _frame(samples: int, seed: int) -> tuple[dict[str, np.ndarray], float]:
    order = Order(
        size=(WIDTH, HEIGHT), passes={key: BY_KEY[key] for key in KEYS}, quality=Quality(samples=samples, seed=seed)
    )
    rendered = render(build_scene(), 1001, order)
    return {key: np.stack(planes[:3]) for key, planes in rendered.planes.items()}, rendered.seconds


def _error(picture: np.ndarray, reference: np.ndarray) -> float:
    """Root mean square of the difference relative to brightness (as in Rousselle et al., 2012)."""
    return float(np.sqrt(((picture - reference) ** 2 / (reference.mean(axis=0) ** 2 + 0.01)).mean()))
