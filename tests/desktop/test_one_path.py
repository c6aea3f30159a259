"""One path for every letter: the window, the command line and a letter that waited until another
day find the same text, the same findings and the same bytes."""

import gc
import itertools
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from click.testing import CliRunner
from msgspec.structs import replace
from pytestqt.qtbot import QtBot

import nebbet
from nebbet.cli import writing_commands
from nebbet.cli.here import Chance, Here
from nebbet.cli.main import main
from nebbet.core import letter as letters
from nebbet.core.checks import Finding
from nebbet.core.letter import Letter
from nebbet.core.message.compose import with_bcc
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.placeholders import Particular
from nebbet.core.records import Case, Person
from nebbet.desktop import application
from nebbet.desktop.kit.notices import NoticeStrip
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.session import Session
from nebbet.library.examples import example_cases
from nebbet.library.writing import Writer, begin_for, examine
from nebbet.personal import outbox
from nebbet.personal.home import Home
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import read_settings
from nebbet.post.sending import Kept, finish, put_out, renewed
from tests.conftest import NOW

SAMPLES = {"number": "3", "money": "12.50 GBP", "date": "2026-12-01", "time": "09:15",
           "link": "https://www.example.org", "yes/no": "yes"}  # fmt: skip


@pytest.fixture
def session(home: Home, qtbot: QtBot) -> Iterator[Session]:
    strip = NoticeStrip()
    qtbot.addWidget(strip)
    made = Session(application.make_parts(home, SessionSecrets({}), lambda: NOW), strip)
    with qtbot.waitSignal(made.shared.search.ready, timeout=15_000):
        made.open()
    yield made
    made.close()
    made.deleteLater()
    del made
    gc.collect()  # in this thread: another one must not let go of timers


def counting(first: int = 1) -> Callable[[], str]:
    numbers = itertools.count(first)
    return lambda: f"token{next(numbers)}"


def answer(particular: Particular) -> str:
    """Something that may stand in a blank."""
    placeholder = particular.placeholder
    if placeholder.choices:
        return placeholder.choices[0]
    if placeholder.pattern:
        return placeholder.pattern.replace("A", "K").replace("9", "4").replace("X", "B")
    return placeholder.least or SAMPLES.get(placeholder.kind, "of the fog")


def told(findings: tuple[Finding, ...]) -> list[str]:
    return [f"{finding.severity}: {finding.sentence}" for finding in findings]


def in_the_window(session: Session, template: str, case: Case, code: str) -> LetterModel:
    """As a person does it: a case is chosen, a template pulled, every blank completed."""
    model = LetterModel(session.shared, session.letters)
    model.show(Letter("x"))
    model.set_case(session.shared.library.people.matter(case.id))
    recipient = model.letter.recipient if model.letter else None
    if recipient:
        model.set_recipient(Person(replace(recipient, language=code)))
    model.start_over(session.shared.catalogue.templates[template])
    for particular in model.particulars:
        if particular.is_blank and particular.placeholder.source == "blank":
            model.type_value(particular.name, answer(particular))
    return model


def all_of(session: Session) -> Iterator[tuple[str, Case, str]]:
    """Every template in use, three cases that fit it, every language that it has."""
    catalogue = session.shared.catalogue
    for template in catalogue.templates.values():
        if template.state != "in use" or not template.edition:
            continue
        cases = example_cases(catalogue, template.content, template.title)[:3]
        for key, code in itertools.product(cases, template.content.texts):
            yield template.id, catalogue.samples[key], code


def test_window_command_line_and_renewal_find_the_same(
    session: Session, home: Home, monkeypatch: pytest.MonkeyPatch
) -> None:
    shared = session.shared
    here = Here(shared.library, read_settings(home.settings_file), shared.catalogue)
    monkeypatch.setattr(writing_commands, "open_here", lambda _now: here)
    monkeypatch.setenv("NEBBET_HOME", str(home.data))
    files, compared, sent = EncodedFiles(shared.library.file_bytes), 0, 0
    for template, case, code in all_of(session):
        model = in_the_window(session, template, case, code)
        assert model.letter is not None and model.letter.language == code
        words = ["render", template, "--case", case.number, "--lang", code]
        for name, text in model.letter.answers.items():
            words += ["--set", f"{name}={text}"]
        done = CliRunner().invoke(main, words, obj=Chance(lambda: NOW, counting()))
        # The person of the letter in the window is written to in its language.
        beside = ("note: the temp", "note: The letter is in another language")
        said = [line for line in done.stderr.splitlines() if not line.startswith(beside)]
        assert said == told(model.findings), (template, case.number, code)
        compared += 1
        writer = shared.writer()
        examined = examine(shared.catalogue, model.letter, writer)
        assert examined.letter == model.letter and examined.findings == model.findings
        sure = {finding.key for finding in examined.findings}
        try:
            item = finish(
                shared.catalogue, examined, writer, token=counting(), files=files, acknowledged=sure
            )
        except Kept:
            assert done.exit_code == 1 and not done.stdout_bytes
            continue
        sent += 1
        assert done.stdout_bytes == with_bcc(item.outgoing.data, item.outgoing.bcc), template
        yesterday = Writer(NOW - timedelta(days=1), writer.me)
        began = examine(shared.catalogue, model.letter, yesterday)
        keys = sure | {finding.key for finding in began.findings}
        try:
            early = finish(
                shared.catalogue, began, yesterday, token=counting(), files=files, acknowledged=keys
            )
        except Kept:
            continue  # what may go today need not have been right the day before
        again = renewed(shared.catalogue, early, writer, token=counting(2), files=files)
        assert again.outgoing.data == item.outgoing.data, template
    assert compared > 100 and sent > 80


def test_an_only_case_comes_along_in_the_window_and_on_the_command_line(session: Session) -> None:
    catalogue = session.shared.catalogue
    (hanna,) = session.shared.library.people.find_people("Hanna", 1)
    model = LetterModel(session.shared, session.letters)
    model.show(Letter("x"))
    model.set_recipient(hanna)
    assert model.letter and model.letter.case
    begun = begin_for(
        catalogue,
        catalogue.templates["refund-agreed"],
        "x",
        recipient=hanna.contact,
        case=hanna.case,
    )
    assert begun.case == model.letter.case == hanna.case


def test_no_letter_reaches_the_outbox_with_a_stop_or_a_doubt_that_nobody_saw(
    session: Session,
) -> None:
    shared = session.shared
    files = EncodedFiles(shared.library.file_bytes)
    doubled = shared.library.people.people_page().rows[0]
    letter = Letter(
        "x",
        subject=("About",),
        recipient=replace(doubled, email="a@b.example"),
        cc=("a@b.example",),
    )
    engine = shared.stores.personal
    for letter_, sure in ((replace(letter, subject=()), {"anything"}), (letter, set[str]())):
        with pytest.raises(Kept, match="The letter was not sent"):
            put_out(
                engine, shared.catalogue, letter_, shared.writer(),
                due=0, token=counting(), files=files, acknowledged=sure,
            )  # fmt: skip
    assert outbox.queued(engine) == []
    found = examine(shared.catalogue, letter, shared.writer()).findings
    put_out(
        engine, shared.catalogue, letter, shared.writer(),
        due=9e9, token=counting(), files=files, acknowledged={f.key for f in found},
    )  # fmt: skip
    assert [entry.item.letter.id for entry in outbox.queued(engine)] == ["x"]
    assert letters.written(letter)


def test_only_one_place_puts_letters_into_the_outbox() -> None:
    """Whoever else would, could pass by what was found."""
    source = Path(nebbet.__file__).parent
    calling = [
        path.relative_to(source).as_posix()
        for path in source.rglob("*.py")
        if "outbox.enqueue(" in path.read_text("utf-8")
    ]
    assert calling == ["post/sending.py"]
