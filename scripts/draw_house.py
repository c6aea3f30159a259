"""Draws docs/house.svg: the rooms of the house and who imports whom, as the code has it.

.venv/bin/python scripts/draw_house.py
"""

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "nebbet"
DRAWING = ROOT / "docs" / "house.svg"
# From the top: what stands higher imports what stands lower, never the other way.
STOREYS = (
    ("cli",),
    ("desktop/application",),
    ("desktop/window",),
    ("desktop/letters", "desktop/register", "desktop/profile", "desktop/shelves"),
    ("desktop/shared", "desktop/editions"),
    ("desktop/template",),
    ("desktop/session",),
    ("desktop/paper",),
    ("desktop/kit",),
    ("standin",),
    ("post",),
    ("personal",),
    ("library",),
    ("core/message", "core/comparing"),
    ("core/checks",),
    ("core/letter",),
    ("core/placeholders",),
    ("core/sums",),
    ("core/body", "core/dates", "core/records", "core/ranking"),
)
BANDS = {"cli": "#F3EFE6", "desktop": "#EAF1EE", "core": "#EEEAF3"}
WIDTH, ROW, HEIGHT, MARGIN = 900, 58, 32, 14


def room_of(module: str) -> str:
    """The room that a module of ours lies in; empty for one that is drawn with no room."""
    path = module.removeprefix("nebbet").strip(".").replace(".", "/")
    rooms = [room for storey in STOREYS for room in storey]
    fits = [room for room in rooms if path == room or path.startswith(f"{room}/")]
    return max(fits, key=len, default="")


def imports() -> Iterator[tuple[str, str]]:
    """Every import of one room by another."""
    for path in sorted(SOURCE.rglob("*.py")):
        name = path.relative_to(SOURCE.parent).with_suffix("").as_posix().replace("/", ".")
        mine = room_of(name.removesuffix(".__init__"))
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module:
                for alias in node.names:
                    other = room_of(f"{node.module}.{alias.name}") or room_of(node.module)
                    if mine and other and mine != other:
                        yield mine, other


def places() -> dict[str, tuple[float, float, float]]:
    """Where each room stands: left, top, width."""
    found = {}
    for number, storey in enumerate(STOREYS):
        width = (WIDTH - MARGIN * (len(storey) + 1)) / len(storey)
        width = min(width, 190)
        left = (WIDTH - (width + MARGIN) * len(storey) + MARGIN) / 2
        for place, room in enumerate(storey):
            found[room] = (left + place * (width + MARGIN), MARGIN + number * ROW, width)
    return found


def reduced(arrows: set[tuple[str, str]]) -> list[tuple[str, str]]:
    """The arrows that say something: not those that a longer way says, too."""
    after: dict[str, set[str]] = {}
    for one, other in arrows:
        after.setdefault(one, set()).add(other)

    def reaches(start: str, end: str) -> bool:
        seen, left = set(), [start]
        while left:
            at = left.pop()
            for following in after.get(at, set()) - seen:
                if following == end:
                    return True
                seen.add(following)
                left.append(following)
        return False

    return sorted(
        (one, other)
        for one, other in arrows
        if not any(reaches(between, other) for between in after[one] - {other})
    )


def drawing() -> str:
    """The house as SVG."""
    at, tall = places(), len(STOREYS) * ROW + MARGIN
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {tall}" '
        'font-family="sans-serif" font-size="13">',
        f'<rect width="{WIDTH}" height="{tall}" fill="#FBFAF7"/>',
    ]
    for number, storey in enumerate(STOREYS):
        colour = BANDS.get(storey[0].partition("/")[0], BANDS["cli"])
        top = number * ROW + MARGIN / 2
        lines.append(f'<rect y="{top:.0f}" width="{WIDTH}" height="{ROW}" fill="{colour}"/>')
    for one, other in reduced(set(imports())):
        (x1, y1, w1), (x2, y2, w2) = at[one], at[other]
        left, right = x1 + w1 / 2, x2 + w2 / 2
        aside = 170 if left == right and y2 - y1 > ROW else 0  # past the rooms between
        lines.append(
            f'<path d="M{left:.0f} {y1 + HEIGHT:.0f} C{left + aside:.0f} {y1 + HEIGHT + 40:.0f} '
            f'{right + aside:.0f} {y2 - 40:.0f} {right:.0f} {y2:.0f}" fill="none" '
            'stroke="#8A8291"/>'
        )
    for room, (left, top, width) in at.items():
        storey, _, name = room.partition("/")
        lines.append(
            f'<rect x="{left:.0f}" y="{top:.0f}" width="{width:.0f}" height="{HEIGHT}" rx="4" '
            'fill="#FFFFFF" stroke="#4E4657"/>'
            f'<text x="{left + width / 2:.0f}" y="{top + 21:.0f}" text-anchor="middle" '
            f'fill="#2A2430">{name or storey}</text>'
        )
    for storey in ("desktop", "core"):
        top = next(n for n, rooms in enumerate(STOREYS) if rooms[0].startswith(storey)) * ROW
        lines.append(f'<text x="12" y="{top + MARGIN + 14}" fill="#8A8291">{storey}</text>')
    return "\n".join([*lines, "</svg>"]) + "\n"


if __name__ == "__main__":
    DRAWING.write_text(drawing(), "utf-8")
    sys.stdout.write(f"{DRAWING.relative_to(ROOT)} is drawn\n")
