"""The letter on paper, edited in place."""

from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core import addresses, inline
from nebbet.core.addresses import Address
from nebbet.core.body import Body
from nebbet.core.records import Contact, Person, fold, unfiled_id
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Ask, Picker
from nebbet.desktop.letters.address_list import AddressList
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.letters.values_at_hand import ValuesAtHand
from nebbet.desktop.paper.body_tools import BodyTools
from nebbet.desktop.paper.sheet import Desk, Sheet
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.desktop.paper.spots import Spot
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary

LINES = {
    "mailbox": "From", "reply_to": "Reply-To", "to": "Also to", "cc": "Cc", "bcc": "Bcc",
    "subject": "Subject",
}  # fmt: skip
NOT_ON_FILE = "not on file"  # what was told of a recipient
_RARE = ("mailbox", "reply_to", "to", "cc", "bcc")


def _nobody(words: str) -> str:
    """What the field for the recipient says where nobody is found."""
    if addresses.read(words)[0]:
        return said("Return takes what is typed.")
    return said("Nobody is found: type a whole address, or other letters of a name.")


class LetterPaper(QWidget):
    """Address rows, subject and body of the letter that the model holds.

    completed says that Return was pressed in the last blank, addressed that an empty letter has got
    its recipient: what comes next is a template.
    """

    completed = Signal()
    addressed = Signal()

    def __init__(self, shared: SharedLibrary, model: LetterModel) -> None:
        super().__init__()
        self._shared, self._model = shared, model
        self._shape: tuple[tuple[bool, int], ...] = ()
        self._people: list[AddressList] = []
        self._offered: set[str] = set()  # addresses of people whom it was offered to keep
        self.to = Picker("To", prompt="Name, address or case number", ask=self._offer)
        self.to.nothing = _nobody
        self._at_hand = ValuesAtHand(shared, model)
        self.lines = {part: self._line(part, name) for part, name in LINES.items()}
        self.body = SlotEdit(shared.pictures, self._at_hand)
        theme.named(self.body, "Body of the letter")
        rows: list[tuple[str, QWidget]] = [("To", self.to)]
        rows += [(name, self.lines[part]) for part, name in LINES.items()]
        self.sheet = Sheet(rows, self.body)
        self.to.setPalette(theme.paper_palette())
        self.tools = BodyTools(self.body)
        # Its words have to fit beside the tools in the smallest window.
        self.more = pieces.button("Cc, Bcc, …", self.show_all_rows, "words")
        theme.named(self.more, "Cc, Bcc, From, Reply-To", "Show every row")
        self.tools.layout().addWidget(self.more)  # type: ignore[union-attr]
        pieces.fill(QVBoxLayout(self), self.tools, Desk(self.sheet), spacing=0)
        self._connect()

    def _line(self, part: str, name: str) -> SlotEdit:
        line = SlotEdit(at_hand=self._at_hand, single=True)
        theme.named(line, name)
        line.edited.connect(lambda: self._model.take_line(part, line.line()))
        if part == "mailbox":
            ask: Ask = partial(choices.own_addresses, self._shared)
            self._people.append(AddressList(line, ask, few=True))
        elif part != "subject":
            ask = partial(choices.people, self._shared, asker=name)
            self._people.append(AddressList(line, ask))
        return line

    def _connect(self) -> None:
        for editor in (self.lines["subject"], self.body):
            editor.spelling.word_taken.connect(self._shared.keep_word)
        self.body.part_wanted.connect(self._model.keep_part)
        self.body.edited.connect(lambda: self._model.take_body(self.body.body()))
        for editor in self.editors:
            editor.typed.connect(self._model.type_value)
            editor.undo_wanted.connect(self._model.undo)
            editor.redo_wanted.connect(self._model.redo)
            editor.next_wanted.connect(self.next_blank)
            editor.entered.connect(self.focusNextChild)
        self.to.picked.connect(self._pick)
        self.to.entered.connect(self._enter)
        self._model.replaced.connect(self._show)
        self._model.reverted.connect(self._revert)
        self._model.worked_out.connect(self._update)

    @property
    def editors(self) -> list[SlotEdit]:
        """Every editor in the order of reading."""
        return [*self.lines.values(), self.body]

    # Showing

    def _show(self) -> None:
        letter = self._model.letter
        if letter is None:
            return
        self.sheet.set_frame(self._shared.catalogue.frame(letter.frame))
        for part, line in self.lines.items():
            line.show_content(getattr(letter, part), self._model.values)
        for editor in (self.lines["subject"], self.body):
            editor.spelling.use(self._shared.speller, letter.language)
        self.body.show_content(letter.body, self._model.values)
        self._shape = _shape(letter.body)
        for part in _RARE:
            chosen_often = part == "mailbox" and len(self._shared.addresses) > 1
            self.sheet.show_row(LINES[part], chosen_often or bool(getattr(letter, part)))
        self.more.setVisible(not all(getattr(letter, part) for part in _RARE))
        self._show_recipient()

    def _revert(self) -> None:
        """Show an earlier or later state, with the cursor where it differs."""
        letter = self._model.letter
        if letter:
            for part, line in self.lines.items():
                line.show_other(getattr(letter, part), self._model.values)
            self.body.show_other(letter.body, self._model.values)
            self._shape = _shape(letter.body)
            self._show_recipient()

    def _update(self) -> None:
        for editor in self.editors:
            editor.show_values(self._model.values)
        letter = self._model.letter
        if letter and _shape(letter.body) != self._shape:
            # Not at once: the text may be in the middle of the change that brought this about.
            QTimer.singleShot(0, self, self._reshape)
        self._show_recipient()

    def _reshape(self) -> None:
        """Put parts in or leave them out, as their conditions hold now."""
        letter = self._model.letter
        if letter and _shape(letter.body) != self._shape:
            self._shape = _shape(letter.body)
            self.body.show_reshaped(letter.body, self._model.values)

    def _show_recipient(self) -> None:
        recipient = self._model.letter.recipient if self._model.letter else None
        text = ""
        if recipient:
            address = recipient.email or "no address on file"
            text = f"{recipient.name} <{address}>" if recipient.name else address
        if not (self.to.hasFocus() and self.to.isModified()):
            self.to.show_text(text)

    def offer_values(self) -> None:
        """Offer what is known for the letter, where the cursor is."""
        next((e for e in self.editors if e.hasFocus()), self.body).offer_values()

    def show_all_rows(self) -> None:
        """Show the copies rows and go to the first of them."""
        for part in _RARE:
            self.sheet.show_row(LINES[part], True)
        self.more.hide()
        self.lines["cc"].setFocus()

    # Choosing the recipient

    def _offer(self, words: str, show: choices.Show) -> None:
        choices.people(self._shared, words, show, "To")

    def _pick(self, key: str) -> None:
        self.to.setModified(False)
        person = self._shared.people.met[key]
        self._model.set_recipient(person)
        self._show_recipient()
        self._went_on()
        if not person.contact.email:
            self._offer_others(person.contact)

    def _enter(self, text: str) -> None:
        """An address that was typed in full; other words stay in the field and are told."""
        if not text:
            self.to.setModified(False)
            self._model.set_recipient(None)
            return
        first, others = _several(text)
        free = choices.free_contact(first, unfiled_id(self._shared.token()))
        if free is None:
            self._shared.voice.say(
                f"“{text}” is neither a known person nor a mail address. The letter is kept; "
                "type a few letters of a name, or a whole address."
            )
            return
        self.to.setModified(False)
        self._address(free)
        if others:
            self._add_others(others)
        self._show_recipient()
        if self.to.hasFocus():
            self._went_on()

    def _went_on(self) -> None:
        """The recipient is known: go to what is not."""
        letter = self._model.letter
        self.go_on()
        empty = letter is not None and not (letter.subject or letter.body or letter.template)
        if letter and empty and letter.recipient and letter.recipient.email:
            self.addressed.emit()

    def _add_others(self, others: list[Address]) -> None:
        """Further people go into the row for them: a letter is written to one."""
        letter = self._model.letter
        before = inline.source(letter.to) if letter else ""
        line = inline.parse(", ".join(filter(None, (before, addresses.write(others)))))
        self._model.take_line("to", line)
        self.lines["to"].show_content(line, self._model.values)
        self.sheet.show_row(LINES["to"], True)

    def _address(self, free: Contact) -> None:
        """Let the letter go to an address that was typed: at once, and to whoever has it once that
        is known. A bare address that nobody has, given to somebody who is chosen already, is
        another one of theirs."""
        letter = self._model.letter
        before, at = (letter.recipient, letter.id) if letter else (None, "")
        act = f"recipient {free.id}"
        self._model.set_recipient(Person(free), act)

        def done(found: Person | None) -> None:
            now = self._model.letter
            if now is None or now.id != at or now.recipient != free:
                return  # the person went on meanwhile
            if found is None and not before:
                self._offer_to_keep(free)
            if found is not None:
                # The address is as it was typed: it may be another one of theirs.
                contact = replace(found.contact, email=free.email)
                self._model.set_recipient(Person(contact, found.case), act)
            elif before and not free.name:
                self._model.set_recipient(Person(replace(before, email=free.email)), act)
                name = before.name or before.email
                self._shared.voice.say(
                    said("The letter to {name} goes to {address} now.", name=name,
                         address=free.email)
                )  # fmt: skip

        self._shared.people.ask(lambda people: people.addressed(free.email), done)

    def _offer_to_keep(self, free: Contact) -> None:
        """Offer, once, to keep somebody who is not on file."""
        if free.email.casefold() in self._offered:
            return
        self._offered.add(free.email.casefold())
        shared, name = self._shared, free.name or free.email
        made = replace(free, id=f"p-{shared.token()}")

        def keep() -> None:
            shared.change(lambda: shared.library.put(made, seen=None), done)

        def done(_result: object) -> None:
            letter = self._model.letter
            if letter and letter.recipient == free:
                self._model.set_recipient(Person(made))
            shared.voice.say(said("{name} is on file now.", name=name))

        shared.voice.say(
            said("{name} is not on file.", name=name), said("Keep them"), keep, about=NOT_ON_FILE
        )

    def _offer_others(self, contact: Contact) -> None:
        """Somebody without an address: offer the others of their household and organisation."""
        self._shared.people.ask(lambda people: people.beside(contact), self._show_others)

    def _show_others(self, others: list[Contact]) -> None:
        name = self._model.letter.recipient.name if (
            self._model.letter and self._model.letter.recipient) else ""  # fmt: skip
        self.to.setFocus(Qt.FocusReason.ShortcutFocusReason)
        words = said("No address of {name} is on file: type one.", name=name)
        if self._offer_people(others):
            words = said(
                "No address of {name} is on file: choose somebody of their household or "
                "organisation, or type one.",
                name=name,
            )
        self._shared.voice.say(words, about=NOT_ON_FILE)

    def _offer_people(self, others: list[Contact]) -> bool:
        """Offer people in the place of the recipient, those who have an address; says whether
        there are any."""
        with_address = [one for one in others if one.email]
        if with_address:
            self._shared.people.meet([Person(one) for one in with_address])
            self.to.offer_these([choices.person_choice(one) for one in with_address])
        return bool(with_address)

    # Blanks

    def places(self) -> list[tuple[SlotEdit, Spot]]:
        """Every blank on the paper, in the order of reading."""
        visible = [e for e in self.editors if not e.isHidden()]
        return [(editor, place) for editor in visible for place in editor.blanks()]

    def next_blank(self, step: int = 1) -> None:
        """Go to the next blank (or the previous one), each name once; after the last, tell."""
        places = _once(self.places())
        if not places:
            self.completed.emit()
            return
        order = {editor: index for index, editor in enumerate(self.editors)}
        here = next((e for e in self.editors if e.hasFocus()), None)
        at = (
            (order[here], here.textCursor().selectionStart())
            if here
            else (-1 if step > 0 else len(order), 0)
        )
        spots = [((order[editor], place.start), editor, place) for editor, place in places]
        if step < 0:
            spots.reverse()
        ahead = [s for s in spots if (s[0] > at if step > 0 else s[0] < at)]
        _, editor, place = (ahead or spots)[0]
        editor.select_place(place)

    def go_on(self) -> None:
        """Put the cursor on the first thing that is not known yet."""
        letter = self._model.letter
        if letter and letter.recipient is None:
            self.to.setFocus(Qt.FocusReason.ShortcutFocusReason)
            return
        places = _once(self.places())
        mark = self.body.shape.start_position()
        if mark is not None and letter and not letter.answers:
            cursor = self.body.textCursor()
            cursor.setPosition(mark)
            self.body.setTextCursor(cursor)
            self.body.setFocus(Qt.FocusReason.ShortcutFocusReason)
        elif places:
            editor, place = places[0]
            editor.select_place(place)
        else:
            self.body.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def show_place(self, part: str, span: str) -> None:
        """Go to where a finding is."""
        if part == "to" and not (span and span in self.lines["to"].toPlainText()):
            self.to.setFocus(Qt.FocusReason.ShortcutFocusReason)
            recipient = self._model.letter.recipient if self._model.letter else None
            if recipient and recipient.is_on_file and not recipient.email:
                self._shared.people.ask(lambda people: people.beside(recipient), self._offer_people)
        elif part in LINES:
            self.sheet.show_row(LINES[part], True)
            self.lines[part].setFocus(Qt.FocusReason.ShortcutFocusReason)
            self.lines[part].selectAll()
        elif part == "body":
            self.body.show_words(span)
        elif span:
            for editor in self.editors:
                if place := editor.place_of(span):
                    editor.select_place(place)
                    return


def _several(text: str) -> tuple[str, list[Address]]:
    """The first of several addresses as it was typed, and the others; one alone, or what is none,
    is all of the first."""
    found, problems = addresses.read(text)
    if problems or len(found) < 2:
        return text, []
    return found[0].header, [*found[1:]]


def _shape(body: Body) -> tuple[tuple[bool, int], ...]:
    """Which blocks of a body are left out, and for which members of a list the others stand."""
    return tuple((block.out, block.item) for block in body if block.when or block.each)


def _once(places: list[tuple[SlotEdit, Spot]]) -> list[tuple[SlotEdit, Spot]]:
    """The first place of each name; in the body rather than in the lines above it, where the
    words around say what is meant."""
    chosen: dict[str, tuple[SlotEdit, Spot]] = {}
    for editor, place in places:
        key = fold(place.name)
        if key not in chosen or (chosen[key][0].single and not editor.single):
            chosen[key] = (editor, place)
    return [pair for pair in places if pair in chosen.values()]
