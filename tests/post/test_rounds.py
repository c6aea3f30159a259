"""Rounds from a table to the mailbox: each message is compared with its row by Python's own parser.
No published source: the demo's world, and what a round promises."""

import io
import threading
from collections.abc import Iterator
from datetime import timedelta
from email.message import EmailMessage
from pathlib import Path

import pytest
import xlsxwriter
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.errors import NebbetError
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records.tables import read_table
from nebbet.core.rounds import Matches, propose
from nebbet.core.rounds.pacing import Pace
from nebbet.library.round_ledger import Round, round_heads, round_of, went
from nebbet.library.round_snapshot import snapshot_of
from nebbet.library.rounds import (
    RowLetter,
    Source,
    look,
    names_of,
    over_all,
    unused,
    with_findings,
)
from nebbet.library.store import Library, open_library
from nebbet.library.writing import Writer
from nebbet.personal import outbox
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.tables import open_personal
from nebbet.post import imap
from nebbet.post.delivering import Office, deliver_due
from nebbet.post.rounds import files_in, start, take_files
from nebbet.standin.filling import fill_library
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from nebbet.standin.world import read_world
from tests.conftest import NOW
from tests.post.conftest import ME, PASSWORDS, Clock
from tests.post.test_accounts import messages

HEADINGS = ("Booking ref", "E-mail adress", "Reason", "Other sailing", "Attachment", "Note")
TEMPLATE = "sailing-cancelled"


@pytest.fixture
def library(tmp_path: Path) -> Iterator[Library]:
    """The demo's world."""
    opened = open_library(tmp_path / "library.sqlite")
    fill_library(opened, read_world(NOW.date()), NOW)
    yield opened
    opened.close()


def cancelled(library: Library) -> list[tuple[str, str, str, str, str, str]]:
    """A row for each passenger of cancelled sailings, and what such tables have: somebody without
    an address, one twice, one with another's file, one whose booking nobody knows."""
    catalogue = library.catalogue(NOW)
    cases = [
        case for number in range(48211, 48400)
        if (matter := library.people.numbered(f"LS-{number}"))
        and (case := matter.case).kind in ("cancelled sailing", "moved sailing")
    ]  # fmt: skip
    people = library.people.contacts({case.contact for case in cases})
    assert catalogue.templates[TEMPLATE].state == "in use"
    rows = [
        (case.number, people[case.contact].email, "strong wind", "Friday 08:15, Merrin", "", "x")
        for case in cases
    ]
    return [*rows[:38]]


def book(rows: list[tuple[str, ...]], headings: tuple[str, ...] = HEADINGS) -> bytes:
    made = io.BytesIO()
    workbook = xlsxwriter.Workbook(made, {"in_memory": True})
    sheet = workbook.add_worksheet("Passengers")
    for at, row in enumerate((headings, *rows)):
        sheet.write_row(at, 0, row)
    workbook.close()
    return made.getvalue()


def source_of(
    library: Library, data: bytes, folder: Path | None = None, template_id: str = TEMPLATE
) -> Source:
    catalogue, table = library.catalogue(NOW), read_table(data)
    template = catalogue.templates[template_id]
    roles = propose(table, names_of(catalogue, template))
    return Source(table, Matches(roles), template, files_in(folder) if folder else {})


def me(library: Library) -> Writer:
    return Writer(NOW, library.catalogue(NOW).members["benedek.roy"])


def looked(library: Library, source: Source) -> list[RowLetter]:
    catalogue = library.catalogue(NOW)
    rows = list(look(catalogue, library.people, source, source.table.rows, me(library)))
    together = over_all(source, rows)
    return [with_findings(row, together) for row in rows]


def begun(source: Source, name: str = "round1") -> Round:
    return Round(name, "Cancelled", "benedek.roy", NOW, TEMPLATE, 1, source.table, source.matches)


def begin(personal: Engine, library: Library, source: Source, **more: object) -> dict[int, str]:
    count = iter(range(10**6))
    given = {"pace": Pace(), "with_doubts": True, "name": "round1", "how": "go", **more}
    parts = {one: given[one] for one in ("pace", "how", "snapshot") if one in given}
    made = replace(begun(source, str(given["name"])), **parts)
    found = start(
        personal, library, library.catalogue(NOW), made, looked(library, source), me(library),
        token=lambda: f"{given['name']}x{id(personal)}x{next(count):06}",
        files=EncodedFiles(library.file_bytes), with_doubts=bool(given["with_doubts"]),
    )  # fmt: skip
    return {one.row: one.how for one in found}


@pytest.fixture
def office(personal: Engine, library: Library, service: MailService, clock: Clock) -> Office:
    return Office(personal, library, service.account(ME), SessionSecrets(PASSWORDS), clock)


def test_columns_are_proposed(library: Library) -> None:
    source = source_of(library, book([(*one[:4], "a.pdf", "x") for one in cancelled(library)]))
    assert dict(zip(HEADINGS, source.matches.roles.values(), strict=True)) == {
        "Booking ref": "case", "E-mail adress": "to", "Reason": "value:reason",
        "Other sailing": "value:other sailing", "Attachment": "files", "Note": "",
    }  # fmt: skip


def test_a_row_that_cannot_be_made_leaves_those_before_it(
    library: Library, personal: Engine
) -> None:
    source = source_of(library, book(cancelled(library)))
    rows = looked(library, source)

    def broken() -> Iterator[RowLetter]:
        yield from rows[:3]
        raise NebbetError("The disk is gone")

    count = iter(range(100))
    making = start(
        personal, library, library.catalogue(NOW), begun(source), broken(), me(library),
        token=lambda: f"t{next(count):06}", files=EncodedFiles(library.file_bytes),
        with_doubts=True,
    )  # fmt: skip
    with pytest.raises(NebbetError, match="The disk is gone"):
        list(making)
    assert len(outbox.queued(personal)) == 3
    assert list(begin(personal, library, source).values())[:4] == ["before"] * 3 + ["out"]


def test_every_passenger_gets_their_own(
    library: Library, office: Office, personal: Engine, service: MailService
) -> None:
    rows = cancelled(library)
    assert len(rows) >= 20
    source = source_of(library, book(rows))
    outs = begin(personal, library, source)
    assert set(outs.values()) == {"out"} and len(outs) == len(rows)
    assert deliver_due(office) == []
    sent = {str(one["To"]): one for one in messages(service, CATCH_ALL, "INBOX")}
    for number, address, reason, other, *_rest in rows:
        case = library.people.numbered(number)
        assert case is not None and case.contact is not None
        found = next(one for to, one in sent.items() if address in to and number in _text(one))
        text = _text(found)
        assert f"The reason is {reason}" in text or case.contact.language != "en_GB"
        assert other in text and str(case.case.fields["from"]) in text
        assert str(found["Subject"]).count(number) == 1
        assert [part.get_filename() for part in found.iter_attachments()]
    gone = went(library.engine, "round1")
    ids = {str(one["Message-ID"]) for one in sent.values()}
    assert len(gone) == len(rows) and {one.message_id for one in gone.values()} >= ids
    kept = round_of(library.engine, "round1")
    assert kept is not None and kept.table.rows == source.table.rows
    assert [one.id for one in round_heads(library.engine)] == ["round1"]


def _text(message: EmailMessage) -> str:
    body = message.get_body(("plain",))
    assert isinstance(body, EmailMessage)
    return f"{message['Subject']}\n{body.get_content()}"


def test_what_is_wrong_with_a_row_keeps_that_row_alone(
    library: Library, personal: Engine, tmp_path: Path
) -> None:
    folder = tmp_path / "files"
    folder.mkdir()
    for name in ("ticket 1.pdf", "ticket 2.pdf", "nobody's.pdf"):
        (folder / name).write_bytes(b"%PDF-1.4 " + name.encode())
    good = cancelled(library)[:6]
    rows = [list(row) for row in good]
    rows[0][4] = "Ticket 1.pdf"
    rows[1][4] = "ticket 1.pdf"  # another person's
    rows[2][4] = "ticket 3.pdf; ticket 2.pdf"  # one that is not there
    rows[3][1] = ""  # no address: that of the booking's person
    rows[4][0] = "LS-99999"
    rows[5][1] = rows[0][1]  # doubled, and about somebody else's booking
    rows.append(["", "no address at all", "wind", "none", "", ""])
    source = source_of(library, book([tuple(row) for row in rows]), folder)
    found = {row.said.number: row for row in looked(library, source)}
    said = {n: " | ".join(f.sentence for f in row.findings) for n, row in found.items()}
    assert "goes to others, too" in said[2] and "goes to others, too" in said[3]
    assert "“ticket 3.pdf” is not in the folder" in said[4] and found[4].state == "stopped"
    assert found[5].letter.recipient is not None and found[5].letter.recipient.email == good[3][1]
    assert "There is no case LS-99999" in said[6]
    assert "Row 2 goes to the same address" in said[7]
    assert "is about somebody else" in said[7] and found[7].letter.case is None
    assert "is not a mail address" in said[8] and found[8].state == "stopped"
    assert unused(source, found.values()) == ["nobody's.pdf"]
    take_files(library, folder, source.files, found.values())
    outs = begin(personal, library, source, with_doubts=False)
    assert outs[4] == outs[8] == outs[7] == "kept" and outs[5] == "out"
    attached = [a.name for a in found[2].letter.attachments]
    assert ("ticket 1.pdf",) in attached, "the template's enclosure, and the row's file"
    assert len(attached) == 2


def test_to_start_again_sends_nothing_twice(
    library: Library, office: Office, personal: Engine, service: MailService
) -> None:
    source = source_of(library, book(cancelled(library)[:8]))
    begin(personal, library, source)
    assert set(begin(personal, library, source).values()) == {"before"}
    deliver_due(office)
    assert set(begin(personal, library, source).values()) == {"before"}
    deliver_due(office)
    assert len(messages(service, CATCH_ALL, "INBOX")) == 8


def test_two_computers_that_start_the_same_round_send_each_row_once(
    library: Library, service: MailService, clock: Clock, tmp_path: Path
) -> None:
    source = source_of(library, book(cancelled(library)[:12]))
    with imap.mailbox(service.account(ME), PASSWORDS[ME]) as client:
        client.create_folder("Sent")  # the stand-in cannot have two make it at once
    offices = []
    for name in ("one", "two"):
        engine = open_personal(tmp_path / f"{name}.sqlite")
        begin(engine, library, source)
        account, secrets = service.account(ME), SessionSecrets(PASSWORDS)
        offices.append(Office(engine, library, account, secrets, clock))
    together = [threading.Thread(target=deliver_due, args=(one,)) for one in offices]
    for one in together:
        one.start()
    for one in together:
        one.join()
    sent = [str(one["Message-ID"]) for one in messages(service, CATCH_ALL, "INBOX")]
    assert len(sent) == 12
    assert {one.message_id for one in went(library.engine, "round1").values()} == {*sent}
    left = [entry for one in offices for entry in outbox.queued(one.personal)]
    assert len(left) == 12 and all("has gone already" in entry.words for entry in left)
    for one in offices:
        one.personal.dispose()


def test_a_refused_row_may_go_when_it_is_mended(
    library: Library, office: Office, personal: Engine, service: MailService
) -> None:
    rows = cancelled(library)[:3]
    service.faults.refuse = {rows[1][1]}
    source = source_of(library, book(rows))
    begin(personal, library, source)
    (left,) = deliver_due(office)
    assert left.state == "refused" and left.item.row == "r3"
    assert went(library.engine, "round1").keys() == {"r2", "r4"}, "one bad row stops no other"
    service.faults.refuse = set()
    assert outbox.take_back(personal, left.item.id, 0.0) is not None
    begin(personal, library, source)
    assert deliver_due(office) == [] and len(went(library.engine, "round1")) == 3


def test_letters_keep_their_distance_and_hours(
    library: Library, office: Office, personal: Engine, clock: Clock, service: MailService
) -> None:
    source = source_of(library, book(cancelled(library)[:3]))
    begin(personal, library, source, pace=Pace(600))
    dues = sorted(entry.due for entry in outbox.queued(personal))
    assert [due - dues[0] for due in dues] == [0, 600, 1200]
    deliver_due(office)
    assert len(messages(service, CATCH_ALL, "INBOX")) == 1
    clock.seconds += timedelta(minutes=20).total_seconds()
    assert deliver_due(office) == []


def test_on_another_day_it_is_still_the_row_of_its_round(
    library: Library, office: Office, personal: Engine, clock: Clock
) -> None:
    source = source_of(library, book(cancelled(library)[:1]))
    begin(personal, library, source, pace=Pace())
    clock.seconds += timedelta(days=2).total_seconds()
    later = replace(office)
    deliver_due(later)
    assert len(went(library.engine, "round1")) == 1


def test_without_the_library_a_row_waits(
    library: Library, office: Office, personal: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    from nebbet.core.errors import NebbetError

    source = source_of(library, book(cancelled(library)[:1]))
    begin(personal, library, source)

    def away(*_args: object) -> str:
        raise NebbetError("The server is away")

    monkeypatch.setattr(library, "claim_row", away)
    (left,) = deliver_due(office)
    assert left.state == "waiting" and "The server is away" in left.words


def test_letters_wait_for_a_word_and_then_keep_their_pace(
    library: Library, office: Office, personal: Engine, clock: Clock, service: MailService
) -> None:
    source = source_of(library, book(cancelled(library)[:3]))
    begin(personal, library, source, how="held", pace=Pace(600))
    assert len(deliver_due(office)) == 3 and not messages(service, CATCH_ALL, "INBOX")
    made = round_of(library.engine, "round1")
    assert made is not None and made.how == "held"
    library.release_round(made, "benedek.roy", NOW)
    assert len(deliver_due(office)) == 2, "the first at once"
    assert set(begin(personal, library, source, how="held").values()) == {"before"}
    clock.seconds += 1200
    assert deliver_due(office) == [] and len(messages(service, CATCH_ALL, "INBOX")) == 3


def test_a_second_pair_of_eyes_is_another_s(
    library: Library, office: Office, personal: Engine
) -> None:
    source = source_of(library, book(cancelled(library)[:2]))
    begin(personal, library, source, how="asks")
    made = round_of(library.engine, "round1")
    assert made is not None
    with pytest.raises(NebbetError, match="Somebody else is to look"):
        library.release_round(made, "benedek.roy", NOW)
    assert len(deliver_due(office)) == 2
    library.release_round(made, "ottilie.marsh", NOW)
    assert deliver_due(office) == []


def test_another_day_says_its_day_with_the_facts_of_the_start(
    library: Library, office: Office, personal: Engine, clock: Clock, service: MailService
) -> None:
    source = source_of(library, book(cancelled(library)[:2]))
    catalogue = library.catalogue(NOW)
    before = str(catalogue.facts["desk_phone"].value)
    taken = snapshot_of(catalogue, source.template, {}, {})
    begin(personal, library, source, pace=Pace(24 * 3600), snapshot=taken)
    changed = replace(catalogue.facts["desk_phone"], value="0999")
    library.put(changed, author="ottilie.marsh", made=NOW)
    _first, second = sorted(outbox.queued(personal), key=lambda entry: entry.due)
    assert second.item.entry.sent.date() == NOW.date() + timedelta(days=1), "fixed for its day"
    clock.seconds += timedelta(days=3).total_seconds()  # it was asleep until the third day
    deliver_due(office)
    texts = [_text(one) for one in messages(service, CATCH_ALL, "INBOX")]
    assert len(texts) == 2 and all(before in text and "0999" not in text for text in texts)
