"""Makes the pictures of docs/screenshots from the demo: .venv/bin/python scripts/screenshots.py"""

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from msgspec.structs import replace
from PySide6.QtCore import QEventLoop
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from nebbet.desktop import application
from nebbet.desktop.kit import theme
from nebbet.desktop.letters.side import UNREAD
from nebbet.desktop.window import Window
from nebbet.personal.home import home_in
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import write_settings
from nebbet.standin import demo
from nebbet.standin.passengers import TABLE, VOUCHERS
from nebbet.standin.team import PASSENGERS

_PASSENGERS = (
    "First name;Surname;E-mail;Company;Telephone;Season ticket\n"
    "Morag;Sinclair;morag.sinclair@post.example;;01632 960 114;Quillan\n"
    "Nkechi;Adeyinka;nkechi.adeyinka@post.example;Adeyinka Catering;01632 960 177;\n"
    "Lars;Haugland;lars.haugland@post.example;;;Stennick\n"
    "Morag;Sinclair;morag.sinclair@post.example;;;\n"
    "Petra;Zwingmann;petra at briefkasten;;;\n"
)
OUT = Path(__file__).parent.parent / "docs" / "screenshots"


class Camera:
    """A window on the demo, and what is done with it between pictures."""

    def __init__(self, folder: Path, look: str, size: tuple[int, int]) -> None:
        home = home_in(folder / "demo")
        self._service = demo.prepare_demo(home, application.local_now())
        settings = replace(demo.demo_settings(home), look=look, hold_seconds=600)
        write_settings(home.settings_file, settings)
        secrets = SessionSecrets(demo.passwords_of(settings))
        self.window = Window(application.make_parts(home, secrets))
        self.window.notices.ask = lambda *_words: True  # type: ignore[method-assign]
        self.window.resize(*size)
        self.window.show()
        loop = QEventLoop()
        self.window.session.shared.search.ready.connect(loop.quit)
        loop.exec()

    def until(self, true: Callable[[], object]) -> None:
        """Wait for something to happen."""
        for _ in range(400):
            if true():
                return
            QTest.qWait(25)
        sys.exit("the picture could not be made: something did not happen")

    def take(self, name: str) -> None:
        """Take a picture."""
        QTest.qWait(250)
        self.window.grab().save(str(OUT / f"{name}.png"))

    def write_letter(self) -> None:
        """Begin the letter that most pictures show."""
        window = self.window
        window.go(window.letters)
        window.letters.begin.take("sailing-cancelled")
        window.letters.model.set_recipient(window.session.shared.library.people.person("c01"))
        self.settle()
        window.letters.model.type_value("reason", "a strong northerly")
        window.letters.model.type_value("case.from", "Marrowby, pier 2")
        window.letters.paper.next_blank()

    def take_arrived(self) -> None:
        """A message that arrived, with the templates that may answer it."""
        window, mail = self.window, self.window.session.arrived
        window.go(window.letters)
        self.until(lambda: mail.heads)
        key = next(k for k, one in mail.heads.items() if one.fields.subject == "refund please")
        window.letters.open_key(f"arrived:{key}")
        window.letters.pile.choose(f"arrived:{key}")
        self.until(lambda: window.letters.arriving.view.opened)
        self.settle()
        self.take("arrived")

    def take_editor(self) -> None:
        """The editor with a sum and its steps, the year of a date rule, and the template tried."""
        editor = self.window.library.editor
        self.window.library.edit("refund-agreed")
        editor.ledger.list.setCurrentRow(0)
        self.take("editor")
        editor.ledger.list.setCurrentRow(4)
        editor.see_year()
        editor.year.chart.next_irregular()
        self.take("year")
        editor.leave()
        editor.try_it()
        editor.trial.step(1)
        self.take("try-it")
        editor.leave()
        editor.leave()
        self.window.library.edit("travel-details")
        editor.try_as_received()
        QTest.qWait(3000)  # the engine of the view starts
        self.take("as-received")
        editor.leave()
        editor.leave()

    def take_team(self) -> None:
        """The editions of a template, and what colleagues propose."""
        library = self.window.library
        library.show_editions("refund-agreed")
        self.until(lambda: library.history.editions)
        self.take("editions")
        library.show_proposals()
        library.proposals.list.setCurrentRow(0)
        self.take("proposals")
        library.proposals.left.emit()

    def take_people(self) -> None:
        """A person, and a file that is looked at."""
        people = self.window.people
        self.window.go(people)
        self.settle()
        people.view.found.find_field.setText("verrell")
        self.until(lambda: people.view.found.list.count() == 1)
        self.settle()
        self.take("people")
        with tempfile.TemporaryDirectory() as folder:
            table = Path(folder) / "New passengers.csv"
            table.write_text(_PASSENGERS, "utf-8")
            people.show_import()
            people.importing.take(table)
            self.until(lambda: people.importing.plan.rows)
            self.settle()
            self.take("import")
        people.importing.left.emit()

    def take_rounds(self) -> None:
        """A letter to each passenger of a table."""
        page, window = self.window.rounds, self.window
        folder = window.session.parts.home.data / PASSENGERS
        window.go(page)
        page.made_of.take_template("sailing-cancelled")
        page.made_of.take_table(folder / TABLE)
        self.until(lambda: page.table.rows.found and not page.side.is_looking)
        voucher = page.table.head.boxes["Voucher"]
        voucher.setCurrentIndex(voucher.findData("files"))
        page.made_of.take_folder(folder / VOUCHERS)
        self.until(lambda: page.made_of.files and not page.side.is_looking)
        page.table.selectRow(2)
        QTest.qWait(300)
        self.take("rounds")

    def settle(self) -> None:
        """Wait until what was asked for has come."""
        self.until(lambda: not self.window.session.shared.people.is_busy)

    def close(self) -> None:
        """Close the window and end the mail service."""
        self.window.close()
        self._service.stop()


def light(camera: Camera) -> None:
    """Every main view."""
    window = camera.window
    window.go(window.library)
    window.session.shared.own.pin(["claim-received", "lost-property"], True)
    window.library.table.choose("boarding-help")
    camera.take("library")
    window.session.shared.own.pin(["claim-received", "lost-property"], False)
    camera.take_arrived()
    camera.write_letter()
    camera.take("letters")
    window.letters.pull()
    camera.take("pull")
    window.letters.pull_box.hide()
    window.letters.model.type_value("other sailing", "Friday at 08:15, the Merrin")
    for _ in range(5):  # a doubt is asked once, and stands for a moment before it is passed
        if not window.session.sending.outbox:
            window.letters._send_key()
            QTest.qWait(UNREAD + 100)
    camera.until(lambda: window.session.sending.outbox)
    window.notices.hide()
    window.letters.pile.refresh()
    window.letters.open_key(f"outbox:{window.session.sending.outbox[0].item.id}")
    window.letters.pile.choose(f"outbox:{window.session.sending.outbox[0].item.id}")
    camera.take("outbox")
    window.go(window.library)
    camera.take_editor()
    window.library.show_facts()
    camera.take("facts")
    window.library.facts.left.emit()
    window.library.show_passages()
    camera.take("passages")
    window.library.passages.left.emit()
    camera.take_team()
    camera.take_people()
    camera.take_rounds()
    window.go(window.register)
    mine = [e for e in window.session.shared.entries if e.sender == demo.ME]
    window.register.show_entry(mine[0].message_id)
    camera.until(window.register.view.isVisible)
    camera.take("register")
    window.go(window.profile)
    camera.take("profile")


def dark(camera: Camera) -> None:
    """The same letter in the dark, in a small window."""
    camera.write_letter()
    camera.take("letters-dark")


def main() -> None:
    instance = QApplication([])
    theme.apply(instance)
    OUT.mkdir(parents=True, exist_ok=True)
    for look, size, pictures in (("light", (1280, 800), light), ("dark", (1024, 700), dark)):
        with tempfile.TemporaryDirectory() as folder:
            camera = Camera(Path(folder), look, size)
            pictures(camera)
            camera.close()


if __name__ == "__main__":
    main()
