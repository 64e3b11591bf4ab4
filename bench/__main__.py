"""`python -m bench [NAME ...]`: all benchmarks, or those named."""

import sys

from bench import denoisers, ledgers, pictures, plans, renders

BENCHES = {"denoisers": denoisers, "ledgers": ledgers, "pictures": pictures, "plans": plans, "renders": renders}

for name in sys.argv[1:] or BENCHES:
    BENCHES[name].run()
