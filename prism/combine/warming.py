"""The compiled loops of a ledger brought in before someone waits for them: compiled on a machine that never ran them, else loaded."""

from __future__ import annotations

import numpy as np

from prism.combine.machine import ADD, RUNNING, Code


def warm() -> None:
    """Run one addition on one pixel; the loops are one machine, so that brings in all of them."""
    code = Code()
    code.add(ADD, RUNNING, code.source(np.zeros((1, 1), np.float32)), numbers=[1])
    code.done().run(np.zeros((4, 1, 1), np.float32), 0, 1)
