"""The demo's world: complete, consistent, and made anew without touching anything else."""

from collections.abc import Iterable
from datetime import timedelta
from pathlib import Path

import pytest
from msgspec.structs import replace

from nebbet.core import checks, placeholders
from nebbet.core import letter as letters
from nebbet.core.body import read
from nebbet.core.comparing.rewording import is_reworded, wording
from nebbet.core.errors import NebbetError
from nebbet.core.message.received import open_message
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import fold
from nebbet.library import register
from nebbet.library.catalogue import seen_by
from nebbet.library.checking import problems
from nebbet.library.examples import example_cases
from nebbet.library.links import links_of
from nebbet.library.store import open_library
from nebbet.library.writing import begin_for
from nebbet.personal.home import home_in
from nebbet.personal.settings import read_settings
from nebbet.post import imap
from nebbet.standin import demo, filling
from nebbet.standin.history import LETTERS, WEEKS
from nebbet.standin.papers import make_papers
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from nebbet.standin.world import FRAME_ID, PORTS_FRAME, World, read_world
from tests.conftest import NOW, TODAY


@pytest.fixture(scope="module")
def world() -> World:
    return read_world(TODAY)


def test_the_amount_that_was_asked_for(world: World) -> None:
    assert len(world.members) == 5
    assert len(world.templates) == 40
    assert len(world.shelves) == 8
    assert len(world.contacts) == 120
    assert len(world.cases) == 139  # 160 with those of the linked table
    assert {case.kind for case in world.cases} <= {kind.name for kind in world.kinds}
    assert len(world.facts) == 14
    assert len(world.passages) == 8
    assert len(world.frames) == 2
    assert [m.id for m in world.members if m.role == "lead"] == [filling.LEAD]


def test_no_address_is_anybody_s(world: World) -> None:
    """RFC 2606: .example is for examples."""
    addresses = [c.email for c in world.contacts if c.email] + [m.email for m in world.members]
    assert all(address.endswith(".example") for address in addresses)


def test_every_case_belongs_to_somebody(world: World) -> None:
    known = {contact.id for contact in world.contacts}
    assert {case.contact for case in world.cases} == known


def _answers(declared: Iterable[Placeholder]) -> dict[str, str]:
    """Something for every blank that dates and sums may be worked out from."""
    typed = {"date": "2 December 2026", "money": "12", "time": "10:00", "number": "2"}
    blanks = (p for p in declared if p.source == "blank")
    return {fold(p.name): (p.choices or (typed.get(p.kind, ""),))[0] for p in blanks}


def test_every_template_suits_some_case_and_passes_the_checks(world: World) -> None:
    """For each template and language there is a case that leaves only blanks to complete."""
    facts = {fact.name: fact for fact in world.facts}
    people = {contact.id: contact for contact in world.contacts}
    passages = {passage.id: passage for passage in world.passages}
    for template in world.templates:
        content = letters.included(template.content, passages)
        for code in content.texts:
            left = []
            for case in world.cases:
                recipient = people[case.contact]
                letter = letters.start("", content, recipient=recipient, case=case, language=code)
                seen = placeholders.World(
                    TODAY,
                    code,
                    recipient=recipient,
                    case=case,
                    sender=world.members[1],
                    facts=facts,
                )
                names = letters.names(letter)
                answers = _answers(letter.placeholders)
                found = placeholders.resolve(names, letter.placeholders, seen, answers)
                assert all(p.known for p in found), template.title
                left.append([p for p in found if p.is_blank and p.placeholder.source != "blank"])
            assert [] in left, (template.title, code)
        seen = placeholders.World(TODAY, sender=world.members[1], facts=facts)
        assert checks.check_content(content, seen) == (), template.title


def test_dates_are_relative_to_the_day(world: World) -> None:
    later = read_world(TODAY + timedelta(days=100))
    one, other = (w.cases[0].fields["sailing"] for w in (world, later))
    assert one == {"date": "2026-11-26T16:30"}
    assert other == {"date": "2027-03-06T16:30"}


def test_papers_are_the_same_every_time() -> None:
    one, other = make_papers(), make_papers()
    assert one == other
    assert all(data.startswith((b"%PDF", b"\x89PNG")) for data, _type in one.values())


def test_the_demo_is_made_fresh_or_kept(tmp_path: Path) -> None:
    home = home_in(tmp_path / "demo")
    service = demo.prepare_demo(home, NOW)
    library = open_library(home.library_file)
    found = library.catalogue(NOW)
    assert len(found.templates) == 40
    assert all(t.state == "in use" and t.edition for t in found.templates.values())
    assert found.templates["refund-agreed"].edition == 3
    assert [p.state for p in found.proposals.values()] == ["declined", "waiting", "waiting"]
    assert problems(library) == []
    assert {t.content.frame for t in found.templates.values()} == {FRAME_ID, PORTS_FRAME}
    enclosures = [e for t in found.templates.values() for e in t.content.enclosures]
    assert {e.file for e in enclosures} <= found.files.keys()
    bodies = [read(x.body) for t in found.templates.values() for x in t.content.texts.values()]
    assert all(bodies)
    library.put_file(b"mine", "mine.txt", "text/plain")
    library.close()
    service.stop()

    service = demo.prepare_demo(home, NOW, keep=True, past=False)
    kept = open_library(home.library_file)
    assert len(kept.catalogue(NOW).files) == len(found.files) + 1
    kept.close()
    account = read_settings(home.settings_file).account
    assert account.smtp_port == service.account(account.user).smtp_port, "ports are this start's"
    service.stop()

    service = demo.prepare_demo(home, NOW, past=False)
    fresh = open_library(home.library_file)
    assert len(fresh.catalogue(NOW).files) == len(found.files)
    fresh.close()
    service.stop()


def test_the_past_is_believable_and_can_be_opened(tmp_path: Path) -> None:
    """Each entry of the register has its message in the sender's mailbox, word for word."""
    home = home_in(tmp_path / "demo")
    service = demo.prepare_demo(home, NOW)
    library = open_library(home.library_file)
    sent = register.latest(library.engine)
    assert sum(register.count_by(library.engine, "sender").values()) == LETTERS
    assert all(NOW - timedelta(weeks=WEEKS) < entry.sent < NOW for entry in sent)
    assert links_of(library)["season"].result.new == 21
    catalogue = library.catalogue(NOW)
    account = service.account(catalogue.members[sent[0].sender].email)
    found = open_message(imap.fetch_sent(account, demo.PASSWORD, sent[0].message_id))
    assert found.subject == sent[0].subject
    assert "{{" not in found.plain + found.html
    assert sum(catalogue.usage_of("refund-agreed").weeks) > 2
    library.close()
    service.stop()


def test_only_what_a_demo_made_is_ever_cleared(tmp_path: Path) -> None:
    home = home_in(tmp_path)
    (tmp_path / "library.sqlite").write_bytes(b"somebody's work")
    (tmp_path / "thesis.txt").write_text("mine")
    demo.clear_demo(home)
    assert (tmp_path / "library.sqlite").read_bytes() == b"somebody's work"
    assert sorted(path.name for path in tmp_path.iterdir()) == ["library.sqlite", "thesis.txt"]


def test_a_home_with_somebody_s_own_library_is_never_made_a_demo(tmp_path: Path) -> None:
    """Marked as the demo's, it would be cleared when the demo starts the next time."""
    home = home_in(tmp_path)
    home.library_file.write_bytes(b"somebody's work")
    for keep in (True, False):
        with pytest.raises(NebbetError, match="holds a library that no demo made"):
            demo.prepare_demo(home, NOW, keep=keep)
    assert [path.name for path in tmp_path.iterdir()] == ["library.sqlite"]
    assert home.library_file.read_bytes() == b"somebody's work"


def test_mail_is_kept_between_starts(tmp_path: Path) -> None:
    passwords = {"a@b.example": "pw", CATCH_ALL: "pw"}
    service = MailService(tmp_path, passwords)
    service.start()
    copies = imap.Copies(service.account("a@b.example"))
    copies.file("pw", b"Subject: one\r\n\r\nx\r\n", NOW)
    copies.leave()
    service.stop()
    again = MailService(tmp_path, passwords)
    again.start()
    with imap.mailbox(again.account("a@b.example"), "pw") as client:
        client.select_folder("Sent")
        assert len(client.search("ALL")) == 1
    again.stop()
    assert oct((tmp_path / "127.0.0.1.key.pem").stat().st_mode)[-3:] == "600"


def test_the_wording_of_every_template_survives_a_letter(tmp_path: Path) -> None:
    """A letter with one more line, offered to the team, changes nothing but that line."""
    library = open_library(tmp_path / "library.sqlite")
    filling.fill_library(library, read_world(NOW.date()), NOW)
    catalogue = seen_by(library.catalogue(NOW), "benedek.roy")
    library.close()
    more = "<p>One more line of mine.</p>\n"
    for template in catalogue.templates.values():
        case = catalogue.samples[example_cases(catalogue, template.content, template.title)[0]]
        contact = catalogue.contact_of(case)
        for code, text in template.content.texts.items():
            if text.finished:
                continue
            letter = begin_for(
                catalogue, template, "x", recipient=contact, case=case, language=code
            )
            me = catalogue.members["benedek.roy"]
            world = catalogue.world(NOW, me, code, contact, case, letter.calendar)
            began = letters.work_out(letter, world)[0]
            reworded = replace(began, body=(*began.body, *read(more)))
            assert is_reworded(reworded, began) and not is_reworded(began, began)
            made = wording(reworded, began, template.content, catalogue.passages)
            assert read(made.texts[code].body) == read(text.body + more), template.id
            assert wording(began, began, template.content, catalogue.passages) == template.content
