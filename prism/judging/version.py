"""Which code judged: so that what is kept of files is worked out anew when the code that measures or judges changes."""

from __future__ import annotations

import ast
import hashlib
from functools import cache
from importlib.util import find_spec
from pathlib import Path


@cache
def version_of(*modules: str) -> str:
    """Sixteen hex digits of what modules do, by their full names; comments, docstrings and layout do not count."""
    digest = hashlib.sha256()
    for name in sorted(modules):
        spec = find_spec(name)
        if spec is None or spec.origin is None:
            raise ModuleNotFoundError(name)
        digest.update(_deeds(Path(spec.origin).read_text()).encode())
    return digest.hexdigest()[:16]


def _deeds(text: str) -> str:
    tree = ast.parse(text)
    for node in ast.walk(tree):
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef) and ast.get_docstring(node) is not None:
            node.body = node.body[1:] or [ast.Pass()]
    return ast.dump(tree)
