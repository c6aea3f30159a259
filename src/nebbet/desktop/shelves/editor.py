"""The template editor: subject and copies, the body on paper, the ledger beside it."""

from typing import cast

import msgspec
from msgspec import Struct
from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QTabBar, QVBoxLayout, QWidget

from nebbet.core import body as bodies
from nebbet.core import checks, inline
from nebbet.core.checks import Finding
from nebbet.core.letter import Content, Copies, Texts
from nebbet.core.placeholders import World, language_of
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.body_tools import BodyTools
from nebbet.desktop.kit.paper_edit import Kind
from nebbet.desktop.kit.place import Place
from nebbet.desktop.kit.sheet import Desk, Sheet
from nebbet.desktop.session import AUTOSAVE, Session
from nebbet.desktop.shelves.enclosures import Enclosures
from nebbet.desktop.shelves.ledger import Ledger
from nebbet.desktop.shelves.template_edit import TemplateEdit
from nebbet.library.catalogue import Template

LINES = {"subject": "Subject", "cc": "Cc", "bcc": "Bcc", "reply_to": "Reply-To"}
_COPIES = ("cc", "bcc", "reply_to")


class Draft(Struct, frozen=True):
    """An unsaved state of a template."""

    title: str
    shelf: str
    content: Content


class TemplateEditor(Place):
    """Edits one template; left tells that the person goes back to the shelves."""

    title = "Template editor"
    help = (
        "Write as on paper. Placeholders stand in the text as {{name}}: type them, or insert one "
        "from the list on the right (Ctrl+D). Declare there what each is: a blank that the writer "
        "completes, a field of the recipient, the sender or the case, a fact, or a date rule. "
        "Ctrl+S saves a new edition, which is in use at once; what you have not saved yet is kept "
        "when you leave the page."
    )
    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._id = ""
        self._base = Draft("", "", Content())
        self._edition = 0
        self._content = Content()
        self._texts: dict[str, Texts] = {}
        self._language = ""
        self._loading = True
        self._accepted: tuple[Finding, ...] = ()
        self.title_field, self.note = QLineEdit(), QLineEdit()
        self.shelf = QComboBox()
        self.languages = QTabBar()
        self.ledger = Ledger(lambda: session.catalogue, self._world)
        self.lines = {part: self._line(name) for part, name in LINES.items()}
        self.body = TemplateEdit(self._kind_of, session.pictures)
        theme.named(self.body, "Body of the template")
        self.enclosures = Enclosures(session.add_files)
        self.save_button = pieces.button("Save", self.save, "primary", "Ctrl+S")
        self.back = pieces.button("Back to the shelves (Esc)", self.leave)
        self._last = self.body
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AUTOSAVE)
        self._timer.timeout.connect(self.keep_draft)
        self._lay_out()
        self._connect()

    def _line(self, name: str) -> TemplateEdit:
        made = TemplateEdit(self._kind_of, single=True)
        theme.named(made, name)
        made.entered.connect(self.focusNextChild)
        return made

    # Layout

    def _lay_out(self) -> None:
        for field, name in ((self.title_field, "Title"), (self.note, "What changed")):
            theme.named(field, name)
        theme.named(self.shelf, "Shelf")
        theme.named(self.languages, "Language of the text")
        self.title_field.setPlaceholderText("Title in the library; it is never sent")
        self.note.setPlaceholderText("What changed, in one line")
        self.languages.setDrawBase(False)
        self.languages.setExpanding(False)
        self.sheet = Sheet([(LINES[part], self.lines[part]) for part in LINES], self.body)
        tools = BodyTools(self.body, self._session.add_files)
        head = QWidget()
        title = pieces.row(self.back, pieces.grow(self.title_field), self.shelf)
        pieces.fill(QVBoxLayout(head), title, self.languages, margin=8)
        middle = QWidget()
        pieces.fill(QVBoxLayout(middle), head, pieces.rule(), tools, Desk(self.sheet), spacing=0)
        inside = QWidget()
        pieces.fill(QVBoxLayout(inside), self.ledger, self.enclosures, None, spacing=14)
        inside.layout().setContentsMargins(0, 0, 8, 0)  # type: ignore[union-attr]
        side = pieces.column(
            "right", pieces.scrolled(inside), pieces.rule(), self.note, self.save_button
        )
        side.setFixedWidth(330)
        pieces.fill(QHBoxLayout(self), middle, side, spacing=0)

    def _connect(self) -> None:
        for editor in (*self.lines.values(), self.body):
            editor.edited.connect(self._edited)
            editor.cursorPositionChanged.connect(self._remember_editor)
        self.title_field.textEdited.connect(self._edited)
        self.shelf.currentIndexChanged.connect(self._edited)
        self.ledger.changed.connect(self._declared)
        self.ledger.insert.connect(self._insert)
        self.ledger.renamed.connect(self._renamed)
        self.enclosures.changed.connect(self._edited)
        self.languages.currentChanged.connect(self._switch)
        self.add_key("Save a new edition", "Ctrl+S", self.save)
        self.add_key("Insert a placeholder", "Ctrl+D", self.ledger.inserter.setFocus)
        self.add_key("Back to the shelves", "Esc", self.leave)

    # Opening

    def open(self, template: Template) -> None:
        """Take up a template, with what was not saved last time."""
        self._loading = True
        self._id, self._edition = template.id, template.edition
        self._accepted = ()
        frame = template.content.frame or next(iter(self._session.catalogue.frames), "")
        content = msgspec.structs.replace(template.content, frame=frame)
        self._base = Draft(template.title, template.shelf, content)
        draft = self._kept_draft(template)
        self.title_field.setText(draft.title)
        self.shelf.clear()
        for shelf in self._session.catalogue.shelves:
            self.shelf.addItem(shelf.name, shelf.id)
        self.shelf.setCurrentIndex(self.shelf.findData(draft.shelf))
        self.note.clear()
        self._content, self._texts = draft.content, dict(draft.content.texts)
        self.sheet.set_frame(self._session.catalogue.frame(draft.content.frame))
        self.ledger.show_placeholders(draft.content.placeholders)
        self.enclosures.show_enclosures(draft.content.enclosures)
        for part in _COPIES:
            self.lines[part].load(inline.parse(getattr(draft.content.copies, part)))
        self._show_languages()
        self.save_button.setText(f"Save as edition {template.edition + 1}")
        self._loading = False
        self.title_field.setFocus() if not draft.title else self.body.setFocus()

    def _kept_draft(self, template: Template) -> Draft:
        kept = self._session.drafts.get(template.id)
        if kept:
            try:
                draft = msgspec.json.decode(kept, type=Draft)
            except msgspec.MsgspecError:
                self._session.voice.say("An unsaved draft could not be read; the edition is shown.")
            else:
                self._session.voice.say(
                    "What you had not saved last time is back.",
                    "Show the edition instead",
                    lambda: self._drop_draft(template),
                )
                return draft
        return self._base

    def _drop_draft(self, template: Template) -> None:
        self._session.keep_draft(template.id, None)
        self.open(template)

    def _show_languages(self) -> None:
        self.languages.blockSignals(True)
        while self.languages.count():
            self.languages.removeTab(0)
        for code in self._texts:
            name = language_of(code).get_language_name("en") or code
            self.languages.setTabData(self.languages.addTab(str(name)), code)
        self.languages.blockSignals(False)
        self.languages.setVisible(len(self._texts) > 1)
        self._show_text(next(iter(self._texts)))

    def _show_text(self, code: str) -> None:
        self._language = code
        texts = self._texts[code]
        self.lines["subject"].load(inline.parse(texts.subject))
        self.body.load(bodies.read(texts.body))

    def _switch(self, index: int) -> None:
        self._take_text()
        self._loading = True
        self._show_text(str(self.languages.tabData(index)))
        self._loading = False

    def _take_text(self) -> None:
        subject = inline.source(self.lines["subject"].line()).strip()
        self._texts[self._language] = Texts(subject, bodies.write(self.body.body()))

    # Following

    def _world(self) -> World:
        session = self._session
        language = self._language or "en_GB"
        return session.catalogue.world(session.parts.now(), session.me, language)

    def _kind_of(self, name: str) -> Kind:
        return cast(Kind, self.ledger.kind_of(name))

    def _remember_editor(self) -> None:
        sender = self.sender()
        if isinstance(sender, TemplateEdit) and sender.hasFocus():
            self._last = sender

    def _edited(self, *_args: object) -> None:
        if not self._loading:
            self._accepted = ()
            self._timer.start()

    def _declared(self) -> None:
        for editor in (*self.lines.values(), self.body):
            editor.viewport().update()
        self._edited()

    def _insert(self, name: str) -> None:
        self._last.insert_placeholder(name)
        self._last.setFocus()

    def _renamed(self, old: str, new: str) -> None:
        """A renamed placeholder is renamed everywhere, in the other languages too."""
        for editor in (*self.lines.values(), self.body):
            editor.rename(old, new)
        for code, texts in self._texts.items():
            if code != self._language:
                self._texts[code] = Texts(
                    *(_renamed(t, old, new) for t in msgspec.structs.astuple(texts))
                )
        renamed = [
            msgspec.structs.replace(e, name=_renamed(e.name, old, new))
            for e in self.enclosures.enclosures
        ]
        self.enclosures.show_enclosures(tuple(renamed))

    # Keeping and saving

    def content(self) -> Content:
        """The template as it stands on the page."""
        self._take_text()
        cc, bcc, reply_to = (inline.source(self.lines[p].line()).strip() for p in _COPIES)
        return msgspec.structs.replace(
            self._content,
            texts=dict(self._texts),
            placeholders=tuple(self.ledger.placeholders),
            copies=Copies(cc, bcc, reply_to),
            enclosures=tuple(self.enclosures.enclosures),
        )

    def _draft(self) -> Draft:
        shelf = str(self.shelf.currentData() or "")
        return Draft(self.title_field.text().strip(), shelf, self.content())

    def keep_draft(self) -> None:
        """Keep what is not saved yet, through a crash too; nothing changed is nothing kept."""
        self._timer.stop()
        template = self._session.catalogue.templates.get(self._id)
        if template is None:
            return
        draft = self._draft()
        same = draft == self._base
        if not same or self._id in self._session.drafts:
            self._session.keep_draft(self._id, None if same else msgspec.json.encode(draft))

    def save(self) -> None:
        """Check the template and make a new edition."""
        draft = self._draft()
        if not draft.title:
            self._session.voice.say("The template has no title yet: give it one, then save.")
            self.title_field.setFocus()
            return
        found = checks.check_content(draft.content, self._world())
        grade = checks.worst(found)
        if grade == "stop" or (grade == "doubt" and found != self._accepted):
            self._accepted = found
            more = f" ({len(found) - 1} more)" if len(found) > 1 else ""
            advice = "Mend it, then save." if grade == "stop" else "Save again to keep it so."
            self._session.voice.say(f"Not saved yet. {found[0].sentence}{more}. {advice}")
            return
        self._save(draft)

    def _save(self, draft: Draft) -> None:
        session, template, note = self._session, self._id, self.note.text().strip()
        library, me, made = session.library, session.me, session.parts.now()

        def write() -> int:
            number = library.save_edition(
                template,
                draft.title,
                draft.content,
                author=me.id if me else "",
                note=note,
                made=made,
            )
            if draft.shelf:
                library.set_template(template, shelf=draft.shelf)
            return number

        def done(number: object) -> None:
            session.keep_draft(template, None)
            session.voice.say(f"Edition {number} of “{draft.title}” is in use.")
            if self._id == template:
                self._base = draft
                self._edition = cast(int, number)
                self.save_button.setText(f"Save as edition {self._edition + 1}")
                self.note.clear()

        self._timer.stop()
        session.change_library(write, done)

    def leave(self) -> None:
        """Go back; what is not saved is kept."""
        self.keep_draft()
        self.left.emit()


def _renamed(text: str, old: str, new: str) -> str:
    """Text with one placeholder's name changed."""
    parts = (
        inline.Slot(new) if isinstance(part, inline.Slot) and part.name == old else part
        for part in inline.parse(text)
    )
    return inline.source(parts)
