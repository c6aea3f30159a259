"""The demo's table of passengers: whoever was booked on a sailing that is cancelled, as the booking
office hands such a list over, and a folder with a voucher for each."""

import io
from pathlib import Path

from nebbet.core.records import Case, Contact
from nebbet.standin.papers import paper
from nebbet.standin.world import World

TABLE, VOUCHERS = "Merrin 16.30.xlsx", "Vouchers"
COUNT = 38  # rows, with one that is there twice
HEADINGS = ("Booking ref.", "Mail-address of pax", "Reason", "Other sailing", "Voucher", "Desk")
_WITHOUT, _TWICE, _WRONG = 5, 2, 9  # rows: no address, there again at the end, another's voucher
_REASON, _OTHER = "strong wind in the Sound", "Friday 08:15, Merrin"


def lay_passengers(folder: Path, world: World) -> None:
    """Write the table and the vouchers into a folder."""
    people = {one.id: one for one in world.contacts}
    booked = [
        (case, people[case.contact]) for case in world.cases
        if case.number.startswith("LS-") and case.contact in people and people[case.contact].email
    ][: COUNT - 1]  # fmt: skip
    vouchers = folder / VOUCHERS
    vouchers.mkdir(parents=True, exist_ok=True)
    for case, _contact in booked:
        text = f"# Lisle Sound Ferries\n\n## Voucher\n\nBooking {case.number}: one meal on board."
        (vouchers / _voucher(case)).write_bytes(paper(text))
    (folder / TABLE).write_bytes(_book(booked))


def _voucher(case: Case) -> str:
    return f"Voucher {case.number}.pdf"


def _book(booked: list[tuple[Case, Contact]]) -> bytes:
    import xlsxwriter

    rows = [
        [case.number, contact.email, _REASON, _OTHER, _voucher(case), "Marrowby"]
        for case, contact in booked
    ]
    rows[_WITHOUT][1] = ""
    rows[_WRONG][4] = rows[_WRONG - 1][4]
    rows.append(rows[_TWICE])
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True})
    sheet = book.add_worksheet("Pax")
    for at, row in enumerate((HEADINGS, *rows)):
        sheet.write_row(at, 0, row)
    sheet.set_column(0, len(HEADINGS) - 1, 22)
    book.close()
    return made.getvalue()
