"""`python -m bench [NAME ...]`: all benchmarks, or those named."""

import sys

from bench import (
    costs,
    deeps,
    deliveries,
    denoisers,
    doors,
    drags,
    faults,
    finishes,
    intake,
    ledgers,
    mattes,
    pictures,
    plans,
    presses,
    renders,
)

BENCHES = {
    "costs": costs,
    "deeps": deeps,
    "deliveries": deliveries,
    "denoisers": denoisers,
    "doors": doors,
    "drags": drags,
    "faults": faults,
    "finishes": finishes,
    "intake": intake,
    "ledgers": ledgers,
    "mattes": mattes,
    "pictures": pictures,
    "plans": plans,
    "presses": presses,
    "renders": renders,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or BENCHES:
        BENCHES[name].run()
