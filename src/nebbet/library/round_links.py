"""A round as links: each row with a mailto link (RFC 6068) that opens its letter in any mail
program, in the place of sending. What a link cannot hold, files and looks, is not in it."""

import html
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path

from msgspec import Struct

from nebbet.core.body import render_plain
from nebbet.core.message.letter_link import link_of
from nebbet.core.records.tables import ReadTable, TableRow
from nebbet.core.sentences import said
from nebbet.library.catalogue import Catalogue
from nebbet.library.disk import write_file
from nebbet.library.round_out import table_bytes
from nebbet.library.rounds import RowLetter

USUAL = 2000  # characters that common programs take; common practice, no source
MORE = (said("Link"), said("Length"), said("Too long"))


class RowLink(Struct, frozen=True):
    """The link of a row, and whether it is longer than it may be."""

    row: TableRow
    link: str
    too_long: bool


def links_of(
    catalogue: Catalogue, table: ReadTable, rows: Sequence[RowLetter], limit: int = USUAL
) -> list[RowLink]:
    """The links of rows; those that are kept back have none."""
    of_number = {row.number: row for row in table.rows}
    made = []
    for one in rows:
        link = "" if one.state == "stopped" else _link(catalogue, one)
        made.append(RowLink(of_number[one.said.number], link, len(link) > limit))
    return made


def _link(catalogue: Catalogue, row: RowLetter) -> str:
    letter = row.letter
    return link_of(letter, render_plain(letter.body, catalogue.frame(letter.frame)))


def write_links(
    table: ReadTable, links: Sequence[RowLink], path: Path, *, overwrite: bool = False
) -> int:
    """Write rows with their links, the length of each, and whether it is too long, into an XLSX,
    CSV or HTML file, wholly or not at all; gives how many links are too long."""
    rows = [
        [*one.row.cells, one.link, Decimal(len(one.link)), said("too long") if one.too_long else ""]
        for one in links
    ]
    headings = [*table.headings, *MORE]
    if path.suffix.casefold() in (".html", ".htm"):
        data = _page(headings, links)
    else:
        data = table_bytes(path, headings, rows)
    write_file(path, data, overwrite=overwrite)
    return sum(one.too_long for one in links)


def _page(headings: Sequence[str], links: Sequence[RowLink]) -> bytes:
    """A page with a link in each row."""
    head = "".join(f"<th>{html.escape(one)}</th>" for one in headings)
    lines = []
    for one in links:
        cells = "".join(f"<td>{html.escape(str(cell))}</td>" for cell in one.row.cells)
        words, address = html.escape(said("Open")), html.escape(one.link, quote=True)
        link = f'<a href="{address}">{words}</a>' if one.link else ""
        long = html.escape(said("too long")) if one.too_long else ""
        lines.append(f"<tr>{cells}<td>{link}</td><td>{len(one.link)}</td><td>{long}</td></tr>")
    body = "\n".join(lines)
    page = (
        '<!DOCTYPE html>\n<html><head><meta charset="utf-8"><title>Nebbet</title></head><body>\n'
        f"<table>\n<thead><tr>{head}</tr></thead>\n<tbody>\n{body}\n</tbody></table>\n"
        "</body></html>\n"
    )
    return page.encode("utf-8", "replace")
