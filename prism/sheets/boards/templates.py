"""Boards of our own to begin with. Their pictures are empty: the editor fills them with frames."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from prism.sheets.boards.document import Board

_INK = "#26241f"
_SHADOW = {"dx": 2, "dy": 2.5, "blur": 2.5, "opacity": 0.55}


def _board(name: str, *elements: dict[str, Any], **fields: Any) -> Board:
    return Board.from_json({"name": name, **fields, "elements": list(elements)})


def _text(key: str, text: str, x: float, y: float, size: float, **more: Any) -> dict[str, Any]:
    return {"id": key, "kind": "text", "text": text, "x": x, "y": y, "size": size, **more}


def _picture(key: str, x: float, y: float, width: float, height: float, **more: Any) -> dict[str, Any]:
    box = {"x": x, "y": y, "width": width, "height": height}
    return {"id": key, "kind": "picture", **box, "outline": 0.6, "shadow": _SHADOW, "fill": "fill", **more}


TEMPLATES: Mapping[str, Board] = MappingProxyType(
    {
        "hero": _board(
            "one large, three small",
            {"id": "band", "kind": "band", "x": 0, "y": 196, "width": 420, "height": 58, "colour": "#33302a",
             "texture": "lines", "texture_colour": "#3d3931", "spacing": 2.4},
            _picture("large", 24, 24, 372, 158),
            _picture("left", 24, 190, 112, 63), _picture("middle", 154, 190, 112, 63),
            _picture("right", 284, 190, 112, 63),
            _text("title", "Title", 24, 275, 11, face="text bold"),
            _text("note", "shot, version, date", 396, 275, 6, align="right", colour="#b8b2a6"),
        ),
        "steps": _board(
            "four steps in a row",
            *(_picture(f"step_{n + 1}", 22 + n * 96, 86, 88, 50, shadow=None) for n in range(4)),
            {"id": "arrows", "kind": "marks", "form": "arrow", "x": 114, "y": 146, "count": 3, "spacing": 96, "size": 6,
             "colour": "#8a7f6a"},
            *(_text(f"word_{n}", f"step {n}", n * 96 - 30, 156, 6, align="middle", colour=_INK) for n in range(1, 5)),
            _text("title", "Title", 22, 52, 13, face="text bold", colour=_INK),
            width=420, height=210, background="#f3f1ec", border=6, border_colour="#d9d4c8",
        ),
        "pair": _board(
            "before and after",
            _picture("before", 20, 40, 186, 105), _picture("after", 214, 40, 186, 105),
            {"id": "dots", "kind": "marks", "form": "dot", "x": 20, "y": 158, "count": 48, "spacing": 8.08, "size": 1.4,
             "mirrored": True, "about": 160, "colour": "#7d766a"},
            _text("left", "before", 113, 174, 7, align="middle"), _text("right", "after", 307, 174, 7, align="middle"),
            _text("title", "Title", 20, 26, 10, face="text bold"),
            width=420, height=190,
        ),
        "empty": _board("an empty sheet"),
    }
)  # fmt: skip
"""By what the page calls them."""
