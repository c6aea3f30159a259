"""The demo's enclosures, made from text: PDF papers and a plan of the port desks."""

import io
from datetime import UTC, datetime
from importlib.resources import files

from fpdf import FPDF
from PIL import Image, ImageDraw, ImageFont

_INK = (34, 60, 72)
_MADE = datetime(2026, 1, 5, tzinfo=UTC)  # a fixed day, so that the same text gives the same file
_WATER, _LAND, _MARK = "#DCE9EC", "#F4EFE3", "#A8321F"

PAPERS = {
    "claim-form.pdf": "claim-form.txt",
    "assistance-card.pdf": "assistance-card.txt",
    "conditions.pdf": "conditions.txt",
}
PLAN = "port-desks.png"


def make_papers() -> dict[str, tuple[bytes, str]]:
    """Every enclosure of the demo: name → (content, media type)."""
    folder = files("nebbet.standin") / "world" / "files"
    made = {
        name: (paper((folder / source).read_text("utf-8")), "application/pdf")
        for name, source in PAPERS.items()
    }
    made[PLAN] = (_plan(), "image/png")
    return made


def paper(text: str) -> bytes:
    """Set a text: '# ' begins the title, '## ' a heading, '> ' a line to fill in."""
    page = FPDF(format="A4")
    page.set_creation_date(_MADE)
    page.set_margins(22, 20)
    page.add_page()
    for line in text.splitlines():
        _line(page, line)
    return bytes(page.output())


def _line(page: FPDF, line: str) -> None:
    mark, _, words = line.partition(" ")
    size, style, gap = {"#": (22, "B", 10), "##": (13, "B", 7)}.get(mark, (11, "", 6))
    page.set_font("Helvetica", style, size)
    page.set_text_color(*(_INK if mark.startswith("#") else (30, 30, 30)))
    if mark == ">":
        page.ln(4)
        page.cell(62, 8, words)
        page.set_draw_color(150, 150, 150)
        page.line(84, page.get_y() + 7, 188, page.get_y() + 7)
        page.ln(8)
    elif not line:
        page.ln(4)
    else:
        if mark == "##":
            page.ln(3)
        page.multi_cell(0, gap, words if mark.startswith("#") else line, align="L")
        page.ln(1)


def _plan() -> bytes:
    """Draw the four ports: quay, ramp, hall, and the desk in it."""
    image = Image.new("RGB", (960, 520), "white")
    draw = ImageDraw.Draw(image)
    for index, port in enumerate(("Marrowby", "Quillan", "Stennick", "Oar Head")):
        _port(draw, 20 + index % 2 * 470, 20 + index // 2 * 250, port, index)
    out = io.BytesIO()
    image.save(out, "PNG", optimize=True)
    return out.getvalue()


def _port(draw: ImageDraw.ImageDraw, left: int, top: int, name: str, index: int) -> None:
    def box(x: int, y: int, width: int, height: int, fill: str) -> None:
        corner = (left + x, top + y, left + x + width, top + y + height)
        draw.rectangle(corner, fill=fill, outline="#6E7F86", width=2)

    def text(x: int, y: int, words: str, size: int, fill: str = "#22303A") -> None:
        draw.text((left + x, top + y), words, font=ImageFont.load_default(size), fill=fill)

    box(0, 0, 450, 230, _WATER)
    box(0, 90, 450, 140, _LAND)
    box(300 - 40 * index, 20, 60, 110, "#C9C3B6")
    box(60, 140, 170, 66, "#FFFFFF")
    box(90 + 24 * index, 160, 18, 18, _MARK)
    text(14, 8, name, 32)
    text(306 - 40 * index, 60, "ramp", 22)
    text(126 + 24 * index, 152, "desk", 24, _MARK)
    text(66, 180, "hall", 20)
