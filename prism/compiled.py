"""How compiled loops are made, and where their machine code is kept between runs.

The compiler notices when the file of a function changes, but not when a function it calls, in another file, does. So the
cache folder is named after the text of every file that holds compiled code: change one and all are compiled anew.
"""

import hashlib
import os
from pathlib import Path

import numba

HERE = Path(__file__).parent


def _cache_folder() -> Path:
    digest = hashlib.sha256(numba.__version__.encode())
    for path in sorted(HERE.rglob("*.py")):
        text = path.read_bytes()
        if b"prism.compiled" in text:
            digest.update(text)
    base = os.environ.get("PRISM_CODE_CACHE") or HERE.parent / "var" / "compiled"
    return Path(base) / digest.hexdigest()[:16]


numba.config.CACHE_DIR = str(_cache_folder())

# The lock is released, so threads may run these side by side. None of them allocates, so reference counting is off:
# with arrays handed from function to function, counting references across threads cost more than the work itself.
# Numbers divide as IEEE 754 has it, without an exception that no loop could raise from a thread.
compiled = numba.njit(cache=True, nogil=True, error_model="numpy", _nrt=False)
inlined = numba.njit(cache=True, inline="always", error_model="numpy", _nrt=False)
