"""Trims written down as instructions: of a row's picture, and of samples before they are put in order."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.combine import machine as m
from prism.combine.machine import Code
from prism.curves import pieces
from prism.ledger.trims import FrameTrims

BAND_VALUES = 1 << 15


def write(code: Code, trims: FrameTrims, s: int, *, has_alpha: bool) -> None:
    """All trims but gains, on the slots s to s + 2 with the alpha in s + 3; without one all of it is whole colour."""
    planes = range(s, s + 3)
    parted = has_alpha and not trims.is_linear
    if parted:
        for plane in planes:
            code.add(m.DIVIDE, plane, s + 3)
    for plane, offset in zip(planes, trims.offset, strict=True):
        if offset:
            code.add(m.SHIFT, plane, s + 3, flag=not has_alpha, numbers=[offset])
    if trims.turns:
        code.add(m.MATRIX, s, numbers=trims.turning().ravel().tolist())
    for index, plane in enumerate(planes):
        _shape(code, trims, plane, index, s + 3, whole=not has_alpha)
    if parted:
        for plane in planes:
            code.add(m.MULTIPLY, plane, s + 3)


def write_gains(code: Code, gains: tuple[float, float, float], s: int) -> None:
    """Times a gain for each of the slots s to s + 2."""
    for index, gain in enumerate(gains):
        if gain != 1:
            code.add(m.SCALE, s + index, numbers=[gain])


def _shape(code: Code, trims: FrameTrims, plane: int, index: int, alpha: int, *, whole: bool) -> None:
    if trims.contrast != 1 or trims.gamma != 1:
        # Contrast, then gamma: the power of a power is one power.
        pivot = trims.pivot if trims.contrast != 1 else 1.0
        numbers = [pivot ** (1 / trims.gamma), 1 / pivot, trims.contrast / trims.gamma]
        code.add(m.POWER, plane, alpha, flag=whole, numbers=numbers)
    for points in (trims.curves[0], trims.curves[index + 1]):
        if points:
            code.add(m.CURVE, plane, alpha, *code.table(pieces(points)), flag=whole)
    if trims.clamp:
        code.add(m.LIMIT, plane, alpha, flag=whole)


def trimmed(trims: FrameTrims, rgba: NDArray[np.float32]) -> NDArray[np.float32]:
    """Values (4, N), premultiplied with their alpha, with gains and all other trims. What was given stays as it is."""
    if trims.is_neutral:
        return rgba
    running = np.array(rgba, np.float32, order="C")
    code = Code()
    write_gains(code, trims.gains, m.RUNNING)
    write(code, trims, m.RUNNING, has_alpha=True)
    machine = code.done()
    run_bands(lambda first, end: machine.run(running, first, end), running.shape[1], BAND_VALUES)
    return running
