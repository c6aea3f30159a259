"""The ways out of a letter beside sending it now: later, into one's drafts, to another program, as
text, as a link, as a file, on paper."""

from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct
from PySide6.QtCore import QMimeData, QPoint, QUrl
from PySide6.QtGui import QDesktopServices, QGuiApplication
from PySide6.QtWidgets import QFileDialog, QMenu

from nebbet.core import inline
from nebbet.core.dates.later import moment_of, next_morning
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.message.letter_link import link_of
from nebbet.core.sentences import said
from nebbet.desktop.kit import theme
from nebbet.desktop.kit.asking import ask_line
from nebbet.desktop.kit.pdf import ask_printer, pdf_of, print_on
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.letters.side import SendControl
from nebbet.desktop.session.session import Session

if TYPE_CHECKING:
    from PySide6.QtPrintSupport import QPrinter

_SHORTEST_LINK = 2000  # signs from which on some programs cut a link (common practice, no source)


class Finished(Struct, frozen=True):
    """A letter as it would go: its message with every recipient, its HTML and its plain text."""

    data: bytes
    html: str
    plain: str


class WaysOut:
    """The menu beside *Send*."""

    def __init__(self, session: Session, model: LetterModel, control: SendControl) -> None:
        self._session, self._model, self._control = session, model, control
        self._later: tuple[str, datetime] | None = None  # a letter that is to go at a moment
        self._menu = QMenu(control)
        theme.named(self._menu, said("Other ways out"))
        control.ways.clicked.connect(lambda _checked=False: self.offer())

    def moment_for(self, letter: str) -> datetime | None:
        """When a letter is to go, if that was chosen for it and is still to come."""
        if self._later and self._later[0] == letter:
            return max(self._later[1], self._session.shared.now())
        return None

    def _send_at(self, moment: datetime) -> None:
        """Send the letter at hand at a moment; after a doubt, sending again still means then."""
        if self._model.letter:
            self._later = (self._model.letter.id, moment)
            self._control.try_to_send()

    def offer(self) -> None:
        """Show the ways out of the letter at hand."""
        if self._model.letter is None:
            return
        menu, now = self._menu, self._session.shared.now()
        menu.clear()
        morning = next_morning(now, self._session.shared.catalogue.calendar)
        ways: tuple[tuple[str, Callable[[], object]], ...] = (
            (said("Send in an hour"), lambda: self._send_at(now + timedelta(hours=1))),
            (
                said("Send next working morning ({day})", day=f"{morning:%a %d %b %H:%M}"),
                lambda: self._send_at(morning),
            ),
            (said("Send at another time…"), self.ask_when),
            (said("Put it into my mailbox's drafts"), self.to_drafts),
            (said("Hand it to my mail program"), self.to_program),
            (said("Copy it for pasting"), self.copy),
            (said("Copy a link that opens it"), self.copy_link),
            (said("Save it as a message (.eml)…"), self.ask_where),
            (said("Save it as a PDF…"), self.ask_where_pdf),
            (said("Print it…"), self.ask_printer),
        )
        for words, act in ways:
            menu.addAction(words).triggered.connect(lambda _checked=False, act=act: act())
        button = self._control.ways
        menu.popup(button.mapToGlobal(QPoint(0, -menu.sizeHint().height())))
        menu.setActiveAction(menu.actions()[0])

    def ask_when(self) -> None:
        """Ask for the moment at which the letter is to go."""
        words = said("A day, or a rule: tomorrow at 8:30, today + 2 working days at 14:00")
        shared = self._session.shared
        text = ask_line(self._control, said("Send later"), words, said("Send then"))
        if not text:
            return
        try:
            moment = moment_of(text, shared.now(), shared.catalogue.calendar)
        except NebbetError as error:
            shared.voice.say(said("Not sent: {why}.", why=error.sentence.rstrip(".")))
            return
        self._send_at(moment)

    # What the letter is as it would go

    def _finished(self, done: Callable[[Letter, Finished], None]) -> None:
        """Finish the letter at hand in the background; what stops it stops this as well."""
        letter, session = self._model.letter, self._session
        if letter is None:
            return
        shared, token = session.shared, session.parts.token
        catalogue, writer = shared.catalogue, shared.writer()
        html, plain = shared.received(letter)

        def finish() -> Finished:
            from nebbet.core.message.compose import with_bcc
            from nebbet.library.writing import examine
            from nebbet.post.sending import finish

            examined = examine(catalogue, letter, writer)
            doubts = {one.key for one in examined.findings}
            item = finish(
                catalogue, examined, writer, token=token, files=shared.files, acknowledged=doubts
            )
            data = with_bcc(item.outgoing.data, item.outgoing.bcc)
            return Finished(data, html, plain)

        shared.reads.run(finish, lambda found: done(letter, found), shared.voice.fail)

    def _say(self, words: str) -> None:
        self._session.voice.say(said("{what} The letter stays on your pile.", what=words))

    # The ways

    def to_drafts(self) -> None:
        """Put the letter into the drafts of one's own mailbox."""
        sending, session = self._session.sending, self._session

        def put(letter: Letter, found: Finished) -> None:
            account, moment = sending.account_of(letter), session.shared.now()
            secrets = session.parts.secrets

            def file() -> str:
                from nebbet.post.imap import file_drafts
                from nebbet.post.secret import secret_of

                return file_drafts(account, secret_of(account, secrets), [found.data], moment)

            session.network.run(
                file,
                lambda folder: self._say(
                    said("It is in the folder {folder} of your mailbox.", folder=folder)
                ),
                session.voice.fail,
            )

        self._finished(put)

    def to_program(self) -> None:
        """Hand the letter to the desktop's mail program, as a message that was not sent."""

        def hand(letter: Letter, found: Finished) -> None:
            folder = self._session.parts.home.data / "handed-over"
            path = folder / f"{letter.id}.eml"

            def write() -> Path:
                from nebbet.library.disk import write_file

                folder.mkdir(mode=0o700, parents=True, exist_ok=True)
                # Common practice, no source: programs open such a message to be completed.
                write_file(path, b"X-Unsent: 1\r\n" + found.data, overwrite=True)
                path.chmod(0o600)
                return path

            self._session.shared.reads.run(write, self._open, self._session.voice.fail)

        self._finished(hand)

    def _open(self, path: Path) -> None:
        if QDesktopServices.openUrl(QUrl.fromLocalFile(str(path))):
            self._say(said("Your mail program has it."))
        else:
            self._session.voice.say(
                said("No program opens messages here; it lies at {path}", path=path)
            )

    def copy(self) -> None:
        """Put the letter on the clipboard, formatted and plain."""

        def put(_letter: Letter, found: Finished) -> None:
            data = QMimeData()
            data.setHtml(found.html)
            data.setText(found.plain)
            QGuiApplication.clipboard().setMimeData(data)
            self._say(said("Its text is on the clipboard, formatted and plain."))

        self._finished(put)

    def copy_link(self) -> None:
        """Put a link that opens the letter on the clipboard, and say what does not fit into it."""

        def put(letter: Letter, found: Finished) -> None:
            link = link_of(letter, found.plain)
            QGuiApplication.clipboard().setText(link)
            lost = [said("its look")]
            if letter.attached:
                lost.append(said("its attachments"))
            words = said("A link of {length} signs is on the clipboard; it lacks {lost}.",
                         length=f"{len(link):,}", lost=", ".join(lost))  # fmt: skip
            if len(link) > _SHORTEST_LINK:
                words = said("{words} Some programs cut links after {most} signs.", words=words,
                             most=f"{_SHORTEST_LINK:,}")  # fmt: skip
            self._say(words)

        self._finished(put)

    def ask_where(self) -> None:
        """Choose where the message is to lie."""
        where = self._ask_file(".eml")
        if where:
            self.save(Path(where))

    def ask_where_pdf(self) -> None:
        """Choose where the PDF is to lie."""
        where = self._ask_file(".pdf")
        if where:
            self.save_pdf(Path(where))

    def _ask_file(self, ending: str) -> str:
        subject = inline.shown(self._model.letter.subject) if self._model.letter else ""
        stem = "".join(c if c.isalnum() or c in " -_" else "_" for c in subject)[:60].strip()
        where, _ = QFileDialog.getSaveFileName(
            self._control.window(), said("Where is it to lie?"), f"{stem or 'letter'}{ending}",
            f"*{ending}",
        )  # fmt: skip
        return where

    def save(self, path: Path) -> None:
        """Write the message into a file."""

        self._finished(lambda _letter, found: self._write(path, found.data))

    def save_pdf(self, path: Path) -> None:
        """Write the letter as its recipient sees it into a PDF."""

        shared = self._session.shared

        def put(letter: Letter, _found: Finished) -> None:
            self._write(path, pdf_of(shared.printed(letter, letter.whole), path.stem))

        self._finished(put)

    def ask_printer(self) -> None:
        """Choose a printer for the letter."""
        ask_printer(self._control, self.print_on)

    def print_on(self, printer: "QPrinter") -> None:
        """Print the letter as its recipient sees it."""
        shared = self._session.shared

        def put(letter: Letter, _found: Finished) -> None:
            print_on(printer, shared.printed(letter, letter.whole))
            if printer.printerState() == printer.PrinterState.Error:
                shared.voice.say(said("The printer does not take it: look at the printer."))
            else:
                self._say(said("It is on its way to the printer."))

        self._finished(put)

    def _write(self, path: Path, data: bytes) -> None:
        def write() -> None:
            from nebbet.library.disk import write_file

            write_file(path, data, overwrite=True)

        self._session.shared.reads.run(
            write, lambda _done: self._say(said("{name} is written.", name=path.name)),
            self._session.voice.fail,
        )  # fmt: skip
