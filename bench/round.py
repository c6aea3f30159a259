"""A round of many rows, from a workbook to finished messages: Nebbet, with all its checks, against
a script of openpyxl, Jinja2 with Babel's filters, and EmailMessage that makes the same letters and
checks nothing.

    .venv/bin/python bench/round.py [rows]
"""

import io
import os
import resource
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from decimal import Decimal
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime
from itertools import count
from pathlib import Path

import jinja2
import openpyxl
import xlsxwriter
from babel.dates import format_date
from babel.numbers import format_currency

from nebbet.core.letter import Content, Enclosure, Texts
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import Member
from nebbet.core.records.tables import read_table
from nebbet.core.rounds import Matches, propose
from nebbet.library.holdings import Shelf
from nebbet.library.round_ledger import Round
from nebbet.library.rounds import RowLetter, Source, look, names_of
from nebbet.library.store import Library, open_library
from nebbet.library.writing import Writer
from nebbet.personal.tables import open_personal
from nebbet.post.rounds import finished, start

NOW = datetime(2026, 11, 25, 9, 30, tzinfo=UTC)
ME = Member("m", "Benedek", "Roy", "benedek.roy@lislesound.example")
PARAGRAPH = (
    "<p>A paragraph of some length that says what everybody is told, whoever they are.</p>\n"
)
TEXT = (
    "<p>Dear {{recipient.name}},</p>\n<p>We return <strong>{{fare}}</strong> by {{paid by}}.</p>\n"
    + PARAGRAPH * 6
    + "<p>{{sender.name}}</p>\n"
)
BLANKS = (
    Placeholder("fare", kind="money", currency="GBP"),
    Placeholder("paid by", kind="date", format="long"),
)
SCRIPT = jinja2.Environment(autoescape=True)
SCRIPT.filters["money"] = lambda value: format_currency(value, "GBP", locale="en_GB")
SCRIPT.filters["day"] = lambda value: format_date(value, "long", locale="en_GB")
HTML = SCRIPT.from_string(
    TEXT.replace("{{recipient.name}}", "{{ name }}")
    .replace("{{fare}}", "{{ fare | money }}")
    .replace("{{paid by}}", "{{ paid | day }}")
    .replace("{{sender.name}}", "{{ sender }}")
)


def workbook(rows: int) -> bytes:
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True})
    sheet, day = book.add_worksheet(), book.add_format({"num_format": "yyyy-mm-dd"})
    sheet.write_row(0, 0, ["E-mail", "Name", "Fare", "Paid by"])
    for row in range(1, rows + 1):
        sheet.write_row(row, 0, [f"person{row}@post.example", f"Person Nr {row}", row % 500 + 0.5])
        sheet.write_datetime(row, 3, datetime(2026, 12, row % 28 + 1), day)
    book.close()
    return made.getvalue()


def by_script(data: bytes, enclosure: bytes) -> int:
    """What a script would do; the plain part is the formatted one without its tags."""
    size = 0
    sheet = openpyxl.load_workbook(io.BytesIO(data), read_only=True).active
    for address, name, fare, paid in sheet.iter_rows(min_row=2, values_only=True):
        text = HTML.render(name=name, fare=Decimal(str(fare)), paid=paid, sender=ME.name)
        message = EmailMessage(policy=SMTP)
        message["Date"] = format_datetime(NOW)
        message["From"] = f"{ME.name} <{ME.email}>"
        message["To"] = f"{name} <{address}>"
        message["Subject"] = f"Your refund of {format_currency(fare, 'GBP', locale='en_GB')}"
        message["Message-ID"] = f"<{size}@lislesound.example>"
        message.set_content(jinja2.filters.do_striptags(text))
        message.add_alternative(text, subtype="html")
        if enclosure:
            message.add_attachment(enclosure, "application", "pdf", filename="Conditions.pdf")
        size += len(message.as_bytes())
    return size


def library_in(folder: Path, enclosure: bytes) -> Library:
    library = open_library(folder / "library.sqlite")
    library.put(ME)
    library.add_shelf(Shelf("s", "Refunds"))
    library.add_template("t", "s", "Refund")
    file = library.put_file(enclosure, "Conditions.pdf", "application/pdf") if enclosure else ""
    held = (Enclosure(file, "Conditions.pdf", "application/pdf", len(enclosure)),) if file else ()
    content = Content(
        texts={"en_GB": Texts("Your refund of {{fare}}", TEXT)},
        placeholders=BLANKS,
        enclosures=held,
    )
    library.save_edition("t", "Refund", content, author="m", note="", made=NOW)
    library.set_template("t", state="in use")
    return library


def seconds(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def measure(rows: int, data: bytes, words: str, enclosure: bytes, place: Path) -> None:
    library = library_in(place, enclosure)
    catalogue, writer, numbers = library.catalogue(NOW), Writer(NOW, ME), count()
    files = EncodedFiles(library.file_bytes)
    table, template = read_table(data), catalogue.templates["t"]
    matches = Matches(propose(table, names_of(catalogue, template)))
    source = Source(table, matches, template)
    begun = Round("r", "R", "m", NOW, "t", 1, table, matches)

    def letters() -> Iterator[RowLetter]:
        return look(catalogue, library.people, source, read_table(data).rows, writer)

    def token() -> str:
        return f"t{next(numbers):08}"

    def composed() -> int:
        made = (
            finished(catalogue, begun, row, writer, token=token, files=files) for row in letters()
        )
        return sum(len(item.outgoing.data) for item in made)

    assert all(row.state == "ready" for row in letters())
    script = seconds(lambda: by_script(data, enclosure))
    ours = seconds(composed)
    first = seconds(lambda: next(letters()))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    personal = open_personal(place / "personal.sqlite")
    queued = seconds(lambda: [*start(
        personal, library, catalogue, begun, letters(), writer, token=token, files=files,
        with_doubts=True,
    )])  # fmt: skip
    grown = max(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 0) / 1024
    personal.dispose()
    library.close()
    print(f"{rows:,} rows, {words}")
    print(f"  the script            {script:6.2f} s")
    print(f"  checked and composed  {ours:6.2f} s   {script / ours:.2f} times as fast")
    told = f"{script / queued:.2f} times as fast, {grown:.0f} MB more"
    print(f"  and into the outbox   {queued:6.2f} s   {told}")
    print(f"  the first letter      {first:6.2f} s")


def main(rows: int) -> None:
    data = workbook(rows)
    for words, enclosure in (("120 kB along", os.urandom(120_000)), ("nothing along", b"")):
        with tempfile.TemporaryDirectory() as place:
            measure(rows, data, words, enclosure, Path(place))


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 1000)
