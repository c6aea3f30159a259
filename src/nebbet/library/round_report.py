"""A round on paper: with what it was started, how many rows stand where, and each of them."""

import html
from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import datetime

from msgspec import Struct

from nebbet.core.records.tables import ReadTable, TableRow
from nebbet.core.sentences import counted, said

_TABLE = '<table width="100%" cellpadding="3" border="1" style="border-collapse:collapse">'
_CELLS = 4  # columns of the table that are told of each row


class About(Struct, frozen=True):
    """With what a round goes: what it is called, the template with its edition, who started it and
    when (nothing where it was not started), from which address, and who released it."""

    title: str
    template: str
    edition: int
    member: str = ""
    made: datetime | None = None
    sender: str = ""
    released: str = ""


def report(
    about: About,
    table: ReadTable,
    rows: Sequence[TableRow],
    told: Mapping[int, tuple[str, str]],
) -> str:
    """The report as HTML; told says of each row, by its number, where it stands and since when or
    why."""
    counts = Counter(told.get(row.number, ("", ""))[0] for row in rows)
    lines = [f"<h1>{_text(about.title)}</h1>", *(f"<p>{_text(one)}</p>" for one in _about(about))]
    every = counted("1 row", "{count} rows", count=len(rows))
    stand = "; ".join(f"{count} {state}" for state, count in counts.most_common() if state)
    lines.append(f"<p>{_text(said('{rows}: {states}.', rows=every, states=stand))}</p>")
    shown = list(table.headings[:_CELLS])
    head = [said("Row"), *shown, said("State"), said("When, or why not")]
    lines.append(_TABLE)
    lines.append(f"<thead><tr>{''.join(f'<th>{_text(one)}</th>' for one in head)}</tr></thead>")
    for row in rows:
        cells = [str(row.number), *map(str, row.cells[: len(shown)])]
        cells += told.get(row.number, ("", ""))
        lines.append(f"<tr>{''.join(f'<td>{_text(one)}</td>' for one in cells)}</tr>")
    lines.append("</table>")
    return "\n".join(lines)


def _about(about: About) -> list[str]:
    told = [
        said("Template “{title}”, edition {edition}.", title=about.template, edition=about.edition)
    ]
    if about.made:
        told.append(
            said("Started by {name} on {moment}, from {sender}.", name=about.member,
                 moment=f"{about.made.astimezone():%Y-%m-%d %H:%M}", sender=about.sender)
        )  # fmt: skip
    if about.released:
        told.append(said("Released by {name}.", name=about.released))
    return told


def _text(text: str) -> str:
    return html.escape(text)
