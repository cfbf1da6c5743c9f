"""Draws the rooms of the core and what imports what, from the source itself: python docs/architecture/draw.py.

The layers are those that CI holds (pyproject.toml); the lines are counted imports between rooms.
"""

from __future__ import annotations

import tomllib
from collections import Counter
from html import escape
from pathlib import Path

import grimp

ROOT = Path(__file__).parents[2]
WIDTH, ROW, MARGIN, BOX_HEIGHT = 1120, 62, 24, 30
INK, FADED, PAPER, ACCENT = "#22262a", "#5b6167", "#fdfcfa", "#0d5f66"


def layers() -> list[list[str]]:
    """Rooms of the core from top to bottom, those of one layer side by side."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    rooms = next(contract for contract in contracts if contract["name"].startswith("Rooms of the core"))
    return [[room.strip() for room in layer.split("|")] for layer in rooms["layers"]]


def imports() -> Counter[tuple[str, str]]:
    """How many modules of one room import modules of another."""
    graph, found = grimp.build_graph("fenrain"), Counter[tuple[str, str]]()
    for module in graph.modules:
        for imported in graph.find_modules_directly_imported_by(module):
            if module.startswith("fenrain.core.") and imported.startswith("fenrain.core."):
                rooms = module.split(".")[2], imported.split(".")[2]
                if rooms[0] != rooms[1]:
                    found[rooms] += 1
    return found


def lines_of(room: str) -> int:
    place = ROOT / "src/fenrain/core" / room
    files = place.rglob("*.py") if place.is_dir() else [place.with_suffix(".py")]
    return sum(len(file.read_text(encoding="utf-8").splitlines()) for file in files)


def drawing() -> str:
    """An SVG: a box for each room with its lines of code, a line for each pair of rooms that import each other."""
    rows, places = layers(), dict[str, tuple[float, float, float]]()
    for row, rooms in enumerate(rows):
        width = 132.0
        step = (WIDTH - 2 * MARGIN) / (len(rooms) + 1)
        for column, room in enumerate(rooms):
            # Odd rows are shifted, so that lines straight down do not run through boxes.
            shift = (80.0 if row % 2 else -80.0) if len(rooms) % 2 else 0.0
            places[room] = (MARGIN + step * (column + 1) + shift, MARGIN + row * ROW, width)
    height = MARGIN * 2 + len(rows) * ROW
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {height}" font-family="sans-serif" font-size="13">',
        f'<rect width="{WIDTH}" height="{height}" fill="{PAPER}"/>',
    ]
    for (above, below), count in sorted(imports().items()):
        (x1, y1, _), (x2, y2, _) = places[above], places[below]
        bend = (x2 - x1) * 0.15 + (40 if x1 < WIDTH / 2 else -40) * (y2 - y1) / 400
        path = f"M{x1:.0f} {y1 + BOX_HEIGHT:.0f} C{x1 + bend:.0f} {y1 + 70:.0f} {x2 + bend:.0f} {y2 - 40:.0f} {x2:.0f} {y2:.0f}"
        parts.append(
            f'<path d="{path}" fill="none" stroke="{FADED}" stroke-opacity="0.35" stroke-width="{min(0.6 + count / 8, 5):.1f}">'
            f"<title>{escape(above)} → {escape(below)}: {count} imports</title></path>"
        )
    for room, (x, y, width) in places.items():
        parts.append(
            f'<rect x="{x - width / 2:.0f}" y="{y:.0f}" width="{width:.0f}" height="{BOX_HEIGHT}" rx="3" fill="{PAPER}" stroke="{ACCENT}"/>'
            f'<text x="{x:.0f}" y="{y + 20:.0f}" text-anchor="middle" fill="{INK}">{escape(room)} '
            f'<tspan fill="{FADED}" font-size="11">{lines_of(room):,}</tspan></text>'
        )
    return "\n".join([*parts, "</svg>"]) + "\n"


if __name__ == "__main__":
    (Path(__file__).parent / "rooms.svg").write_text(drawing(), encoding="utf-8")
