"""Draws the map of the code from its imports: docs/architecture.svg. Run it when a test says that the map is stale.

A room is a folder of `prism`, an app of `desk`, the renderer, or a single module of `prism` that rooms share. All stand
above what they import; lines go down to those floors that nothing between leads to anyway.
"""

from __future__ import annotations

import ast
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from xml.sax.saxutils import escape

ROOT = Path(__file__).resolve().parents[1]
MAP = Path(__file__).with_name("architecture.svg")
WIDE, HIGH, GAP, FLOOR, LEFT = 112, 30, 14, 74, 20
COLOURS = {"prism": "#cfd8ff", "desk": "#d5f0dc", "standin": "#ffe3c2"}
LEFT_OUT = {"tests", "migrations", "settings", "__init__", "__main__"}


def room_of(module: str) -> str:
    """The room of a module by its full name; empty if it is none of ours."""
    package, _, rest = module.partition(".")
    if package == "standin":
        return "standin"
    name = rest.partition(".")[0]
    if package not in ("prism", "desk") or not name or name in LEFT_OUT:
        return ""
    folder = ROOT / package / name
    return f"{package}.{name}" if folder.is_dir() or (folder.with_suffix(".py")).exists() else ""


def imports() -> dict[str, set[str]]:
    """By room: the rooms that its modules import, inside functions too."""
    found: dict[str, set[str]] = defaultdict(set)
    for package in COLOURS:
        for path in sorted((ROOT / package).rglob("*.py")):
            parts = path.relative_to(ROOT).with_suffix("").parts
            room = room_of(".".join(parts))
            if not room or LEFT_OUT & set(parts) or (package == "desk" and not (ROOT / package / parts[1]).is_dir()):
                continue
            found[room] |= {other for name in _imported(path) if (other := room_of(name))} - {room}
    return {room: others & found.keys() for room, others in found.items()}


def _imported(path: Path) -> Iterator[str]:
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield from (f"{node.module}.{alias.name}" for alias in node.names)


def floors(graph: dict[str, set[str]]) -> dict[str, int]:
    """By room: its floor, 0 for what imports nothing. Raises ValueError, naming the rooms, for a circle."""
    found: dict[str, int] = {}

    def floor(room: str, trail: tuple[str, ...]) -> int:
        if room in trail:
            raise ValueError(f"A circle of rooms: {' > '.join((*trail[trail.index(room) :], room))}")
        if room not in found:
            found[room] = 1 + max((floor(other, (*trail, room)) for other in sorted(graph[room])), default=-1)
        return found[room]

    for room in sorted(graph):
        floor(room, ())
    return found


def needed(graph: dict[str, set[str]]) -> list[tuple[str, str]]:
    """The imports without those that follow from others, so that the drawing can be read."""
    below: dict[str, set[str]] = {}

    def all_below(room: str) -> set[str]:
        if room not in below:
            below[room] = graph[room].union(*(all_below(other) for other in graph[room]))
        return below[room]

    return [
        (room, other)
        for room in sorted(graph)
        for other in sorted(graph[room])
        if not any(other in all_below(between) for between in graph[room] - {other})
    ]


def drawn() -> str:
    """The map as SVG."""
    graph = imports()
    by_floor: dict[int, list[str]] = defaultdict(list)
    for room, number in floors(graph).items():
        by_floor[number].append(room)
    widest, top = max(map(len, by_floor.values())), max(by_floor)
    width = 2 * LEFT + widest * (WIDE + GAP)
    places = {}
    for number, rooms in by_floor.items():
        start = (width - len(rooms) * (WIDE + GAP)) / 2
        for place, room in enumerate(sorted(rooms)):
            places[room] = (start + place * (WIDE + GAP), 16 + (top - number) * FLOOR)
    lines = [_line(places[room], places[other]) for room, other in needed(graph)]
    boxes = [_box(room, *place) for room, place in sorted(places.items())]
    height = 16 + (top + 1) * FLOOR
    head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:g} {height:g}" font-family="sans-serif">'
    return "\n".join([head, f'<rect width="{width:g}" height="{height:g}" fill="#fff"/>', *lines, *boxes, "</svg>", ""])


def _line(start: tuple[float, float], end: tuple[float, float]) -> str:
    (x, y), (x1, y1) = start, end
    x, y, x1 = x + WIDE / 2, y + HIGH, x1 + WIDE / 2
    bend = (y + y1) / 2
    path = f"M{x:g} {y:g}C{x:g} {bend:g} {x1:g} {bend:g} {x1:g} {y1:g}"
    return f'<path d="{path}" fill="none" stroke="#9aa3b5" stroke-width="1"/>'


def _box(room: str, x: float, y: float) -> str:
    package, _, name = room.partition(".")
    rect = f'<rect x="{x:g}" y="{y:g}" width="{WIDE}" height="{HIGH}" rx="5" fill="{COLOURS[package]}" stroke="#667"/>'
    place = f'x="{x + WIDE / 2:g}" y="{y + HIGH / 2 + 4.5:g}"'
    return f'{rect}<text {place} font-size="13" text-anchor="middle" fill="#111">{escape(name or package)}</text>'


if __name__ == "__main__":
    MAP.write_text(drawn())
