"""`python -m bench [NAME ...]`: all benchmarks, or those named."""

import sys

from bench import denoisers, doors, faults, ledgers, pictures, plans, renders

BENCHES = {
    "denoisers": denoisers, "doors": doors, "faults": faults, "ledgers": ledgers, "pictures": pictures, "plans": plans,
    "renders": renders,
}  # fmt: skip

for name in sys.argv[1:] or BENCHES:
    BENCHES[name].run()
