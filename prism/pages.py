"""Where the pages of docs/ lie that the program itself reads: beside the source, or inside the installed package."""

from pathlib import Path

_INSTALLED = Path(__file__).parent / "docs"
PAGES = _INSTALLED if _INSTALLED.is_dir() else Path(__file__).resolve().parents[1] / "docs"
