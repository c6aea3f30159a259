"""What a letter takes from its case: files, and the record of the case itself."""

from functools import partial

from msgspec.structs import replace
from PySide6.QtGui import QTextCursor
from PySide6.QtWidgets import QMenu, QPushButton

from nebbet.core.letter import Enclosure, Letter, record_rows, record_sheet
from nebbet.core.records import Case
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.kit.pdf import pdf_of
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.desktop.session.session import Session
from nebbet.library.writing import world_for


class FromCase:
    """A button with the menu of it. The record goes as rows into the text, or as a sheet to the
    attachments, and the way that was chosen last is the usual one."""

    def __init__(self, session: Session, model: LetterModel, body: SlotEdit) -> None:
        self._session, self._model, self._body = session, model, body
        self.button: QPushButton = pieces.button(
            said("From the case…"), self.offer, "words", "Ctrl+Alt+Y"
        )
        self.menu = QMenu(self.button)
        for changed in (model.worked_out, model.replaced, model.reverted):
            changed.connect(self._show)

    def _show(self) -> None:
        letter = self._model.letter
        self.button.setVisible(bool(letter and letter.case))

    def _at_hand(self) -> tuple[Letter, Case] | None:
        """The letter and its case; where there is none, that is told."""
        letter = self._model.letter
        if letter and letter.case:
            return letter, letter.case
        self._session.voice.say(said("Choose a case first: Ctrl+G goes to it."))
        return None

    def offer(self) -> None:
        """Offer the record of the case and its files; what is chosen goes into the letter."""
        found = self._at_hand()
        if found is None:
            return
        menu, offered = self.menu, self._files(*found)
        menu.clear()
        ways = {
            "rows": (said("The record of the case, in the text"), self.put_rows),
            "sheet": (said("The record of the case, as a PDF sheet"), self.attach_sheet),
        }
        for way in sorted(ways, key=lambda way: way != self._session.settings.record_as):
            words, act = ways[way]
            menu.addAction(words, act)
        if offered:
            menu.addSeparator()
        for enclosure in offered:
            words = f"{enclosure.name} ({size_words(enclosure.size)})".replace("&", "&&")
            menu.addAction(words, partial(self._model.attach, enclosure))
        if len(offered) > 1:
            menu.addAction(said("All of these files"), partial(self._attach_all, offered))
        menu.popup(self.button.mapToGlobal(self.button.rect().bottomLeft()))
        menu.setActiveAction(menu.actions()[0])

    def _files(self, letter: Letter, case: Case) -> list[Enclosure]:
        """The files of the case that the letter does not carry yet."""
        carried = {one.file for one in letter.attached}
        held = self._session.shared.catalogue.files
        return [
            Enclosure(key, held[key].name, held[key].media_type, held[key].size)
            for key in case.files
            if key in held and key not in carried
        ]

    def _attach_all(self, offered: list[Enclosure]) -> None:
        for enclosure in offered:
            self._model.attach(enclosure)

    # The record of the case

    def put_record(self) -> None:
        """Put the record of the case in, the usual way."""
        if self._session.settings.record_as == "sheet":
            self.attach_sheet()
        else:
            self.put_rows()

    def put_rows(self) -> None:
        """Put the record of the case in as rows, after the paragraph at the cursor."""
        if found := self._at_hand():
            kind = self._session.shared.catalogue.kind_of(found[1])
            cursor = self._body.textCursor()
            cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock)
            self._body.setTextCursor(cursor)
            self._body.insert_body(record_rows(found[1], kind))
            self._body.setFocus()
            self._keep_way("rows")

    def attach_sheet(self) -> None:
        """Attach the record of the case as it is now as a PDF, in the look of the letter's
        frame."""
        if (found := self._at_hand()) is None:
            return
        letter, case = found
        shared = self._session.shared
        world = world_for(shared.catalogue, letter, shared.writer())
        sheet = record_sheet(case, shared.catalogue.kind_of(case), world)
        called = " ".join(filter(None, (case.kind.capitalize(), case.number)))

        def attach(enclosure: Enclosure) -> None:
            now = self._model.letter
            if now and now.id == letter.id:
                self._model.attach(enclosure)

        data = pdf_of(shared.printed(letter, sheet), called)
        shared.intake.add_made(data, f"{called.replace('/', '-')}.pdf", attach)
        self._keep_way("sheet")

    def _keep_way(self, way: str) -> None:
        settings = self._session.settings
        if settings.record_as != way:
            self._session.keep_choice(replace(settings, record_as=way))
