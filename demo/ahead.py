"""`python -m demo.ahead`: the loops that a machine never ran, compiled before someone needs them, the longest first."""

from __future__ import annotations

from demo.conservatory import build_scene
from prism.standin.render import load_compiled
from prism.warming import warm

if __name__ == "__main__":
    load_compiled(build_scene())
    warm()
