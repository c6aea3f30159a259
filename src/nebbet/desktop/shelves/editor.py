"""The template editor: subject and copies, the body on paper, the ledger beside it."""

from typing import cast

import msgspec
from msgspec import Struct
from msgspec.structs import replace
from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import body as bodies
from nebbet.core import checks, dates, inline
from nebbet.core import letter as letters
from nebbet.core.checks import Finding
from nebbet.core.dates import calendar_for
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Copies, Texts
from nebbet.core.placeholders import World
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.body_tools import BodyTools
from nebbet.desktop.kit.place import Place
from nebbet.desktop.kit.sheet import Desk, Sheet
from nebbet.desktop.session import AUTOSAVE, Session
from nebbet.desktop.shelves.condition import ConditionField
from nebbet.desktop.shelves.copies import ConditionalCopies
from nebbet.desktop.shelves.enclosures import Enclosures
from nebbet.desktop.shelves.find_bar import FindBar
from nebbet.desktop.shelves.languages import Languages, name_of
from nebbet.desktop.shelves.ledger import Ledger
from nebbet.desktop.shelves.template_edit import TemplateEdit
from nebbet.desktop.shelves.try_it import TryIt
from nebbet.desktop.shelves.year_view import YearView
from nebbet.library.catalogue import Template, example_cases

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
        "Write as on paper. Type {{ for a placeholder, or insert one from the list on the right "
        "(Ctrl+D). Say there what each is: a blank that the writer completes, a field of the "
        "recipient, the sender or the case, a fact, a date rule, or a sum. Ctrl+T tries it. "
        "Ctrl+S saves a new edition, which is in use at once; what you have not saved yet is kept "
        "when you leave the page."
    )
    left = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._id = ""
        self._base = Draft("", "", Content())
        self._content = Content()
        self._texts: dict[str, Texts] = {}
        self._language = ""
        self._examples: list[str] = []
        self._loading = True
        self._accepted: tuple[Finding, ...] = ()
        self.title_field, self.note = QLineEdit(), QLineEdit()
        self.shelf = QComboBox()
        self.languages = Languages()
        self.ledger = Ledger(lambda: session.catalogue, self._world)
        self.lines = {part: self._line(name) for part, name in LINES.items()}
        self.body = TemplateEdit(self.ledger, session.pictures)
        theme.named(self.body, "Body of the template")
        self.enclosures = Enclosures(session.add_files, self.ledger.resolution)
        self.copies = ConditionalCopies(self.ledger.resolution)
        self.condition = ConditionField("Condition of the paragraphs", self.ledger.resolution)
        self.calendar = QLineEdit()
        self.year = YearView()
        self.trial = TryIt(session)
        self.find_bar = FindBar(lambda: [self.lines["subject"], self.body])
        self.find_bar.hide()
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
        made = TemplateEdit(self.ledger, single=True)
        theme.named(made, name)
        made.entered.connect(self.focusNextChild)
        return made

    # Layout

    def _lay_out(self) -> None:
        for field, name in ((self.title_field, "Title"), (self.note, "What changed")):
            theme.named(field, name)
        theme.named(self.shelf, "Shelf")
        self.title_field.setPlaceholderText("Title in the library; it is never sent")
        self.note.setPlaceholderText("What changed, in one line")
        self.sheet = Sheet([(LINES[part], self.lines[part]) for part in LINES], self.body)
        head = QWidget()
        trial = pieces.button("Try it (Ctrl+T)", self.try_it)
        title = pieces.row(self.back, pieces.grow(self.title_field), self.shelf, trial)
        pieces.fill(QVBoxLayout(head), title, self.languages, margin=8)
        writing = QWidget()
        pieces.fill(
            QVBoxLayout(writing), head, pieces.rule(), self._tools(), Desk(self.sheet), spacing=0
        )
        self._middle = QStackedWidget()
        self._middle.addWidget(writing)
        self._middle.addWidget(self.year)
        self._middle.addWidget(self.trial)
        inside = QWidget()
        pieces.fill(
            QVBoxLayout(inside),
            self.ledger,
            self.copies,
            self.enclosures,
            self._working_days(),
            None,
            spacing=14,
        )
        inside.layout().setContentsMargins(0, 0, 8, 0)  # type: ignore[union-attr]
        side = pieces.column(
            "right", pieces.scrolled(inside), pieces.rule(), self.note, self.save_button
        )
        side.setFixedWidth(330)
        pieces.fill(QHBoxLayout(self), self._middle, side, spacing=0)

    def _tools(self) -> QWidget:
        """The formats, and under which condition the paragraphs at the cursor belong."""
        made = QWidget()
        when = pieces.row(
            pieces.label("only if", "faint"), pieces.grow(self.condition), self.condition.note
        )
        when.setContentsMargins(8, 0, 8, 4)
        self.condition.note.setMinimumWidth(160)
        tools = BodyTools(self.body, self._session.add_files)
        pieces.fill(QVBoxLayout(made), tools, when, self.find_bar, spacing=0)
        return made

    def _working_days(self) -> QWidget:
        """The public holidays that the template's date rules count with."""
        made = QWidget()
        theme.named(self.calendar, "Public holidays")
        self.calendar.setPlaceholderText("the team's own; or a code: FR, DE-BY")
        self._calendar_note = pieces.label("", "note", wrap=True)
        head = pieces.label("Working days", "heading")
        line = pieces.row(pieces.label("Holidays of", "faint"), pieces.grow(self.calendar))
        pieces.fill(QVBoxLayout(made), head, pieces.rule(), line, self._calendar_note, spacing=3)
        return made

    def _connect(self) -> None:
        for editor in (*self.lines.values(), self.body):
            editor.edited.connect(self._edited)
            editor.opened.connect(self._open_entry)
            editor.prompts_pasted.connect(self._offer_blanks)
            editor.cursorPositionChanged.connect(self._remember_editor)
        self.title_field.textEdited.connect(self._edited)
        self.shelf.currentIndexChanged.connect(self._edited)
        self.ledger.changed.connect(self._declared)
        self.ledger.insert.connect(self._insert)
        self.ledger.renamed.connect(self._renamed)
        self.enclosures.changed.connect(self._edited)
        self.copies.changed.connect(self._edited)
        self.calendar.textEdited.connect(self._other_calendar)
        self.condition.editingFinished.connect(self._set_condition)
        self.body.cursorPositionChanged.connect(self._show_condition)
        self.ledger.form.year.connect(self.see_year)
        self.ledger.form.example.connect(self._other_example)
        self.year.left.connect(self._back_to_text)
        self.trial.left.connect(self._back_to_text)
        self.find_bar.closed.connect(self._close_find)
        self.languages.switched.connect(self._switch)
        self.languages.added.connect(self._add_language)
        self.languages.removed.connect(self._remove_language)
        self.languages.confirmed.connect(self._confirm_language)
        self.add_key("Save a new edition", "Ctrl+S", self.save)
        self.add_key("Find and replace", "Ctrl+H", self.find_and_replace)
        self.add_key("Try it, and back", "Ctrl+T", self.try_it)
        self.add_key("Insert a placeholder", "Ctrl+D", self.ledger.inserter.setFocus)
        self.add_key("Condition of the paragraphs", "Ctrl+Shift+I", self.condition.setFocus)
        self.add_key("Mend what is mistyped", "Shift+F8", self.mend)
        self.add_key("A year of the date rule", "Ctrl+Shift+Y", self.see_year)
        self.add_key("Back to the shelves", "Esc", self.leave)

    # Opening

    def open(self, template: Template) -> None:
        """Take up a template, with what was not saved last time."""
        self._loading = True
        self._id = template.id
        self._accepted = ()
        frame = template.content.frame or next(iter(self._session.catalogue.frames), "")
        content = replace(template.content, frame=frame)
        self._base = Draft(template.title, template.shelf, content)
        draft = self._kept_draft(template)
        self.title_field.setText(draft.title)
        self.title_field.setCursorPosition(0)
        self.shelf.clear()
        for shelf in self._session.catalogue.shelves:
            self.shelf.addItem(shelf.name, shelf.id)
        self.shelf.setCurrentIndex(self.shelf.findData(draft.shelf))
        self.note.clear()
        self.sheet.set_frame(self._session.catalogue.frame(draft.content.frame))
        self._show_content(draft.content)
        self._back_to_text()
        self.save_button.setText(f"Save as edition {template.edition + 1}")
        self._loading = False
        self.title_field.setFocus() if not draft.title else self.body.setFocus()

    def _show_content(self, content: Content, language: str = "") -> None:
        """Show all that an edition holds, in one of its languages."""
        self._content, self._texts = content, dict(content.texts)
        self._examples = []
        self.calendar.setText(content.calendar)
        self._calendar_note.clear()
        self.ledger.show_placeholders(content.placeholders)
        self.ledger.show_uses(letters.uses(content))
        self.enclosures.show_enclosures(content.enclosures)
        self.copies.show_copies(content.copies.conditional)
        for part in _COPIES:
            self.lines[part].load(inline.parse(getattr(content.copies, part)))
        self._show_languages(language)

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

    def _show_languages(self, language: str = "") -> None:
        chosen = language if language in self._texts else next(iter(self._texts))
        older = letters.older(self._content)
        self.languages.show_languages(list(self._texts), chosen, older)
        self._show_text(chosen)

    def _show_text(self, code: str) -> None:
        self._language = code
        texts = self._texts[code]
        self.lines["subject"].load(inline.parse(texts.subject))
        self.body.load(bodies.read(texts.body))
        self._show_figures()

    def _show_figures(self) -> None:
        found = bodies.figures(self.body.body(), self._language)
        self.languages.show_figures(found)

    def _switch(self, code: str) -> None:
        self._take_text()
        self._loading = True
        self._show_text(code)
        self._loading = False
        self.languages.show_older(letters.older(self.content()))

    def _add_language(self, code: str) -> None:
        """A new language begins with the text at hand, to be written over."""
        self._take_text()
        self._texts[code] = replace(self._texts[self._language], original="changed since")
        self._reopen(code)

    def _remove_language(self, code: str) -> None:
        if self._session.voice.ask(
            f"Remove the text in {name_of(code)}?",
            "Earlier editions keep it. Letters that are open keep it too.",
            "Remove",
        ):
            self._take_text()
            del self._texts[code]
            self._reopen(next(iter(self._texts)))

    def _confirm_language(self, code: str) -> None:
        """The text says the same as the original does now."""
        self._take_text()
        first = next(iter(self._texts.values()))
        self._texts[code] = replace(self._texts[code], original=first.fingerprint)
        self._reopen(code)

    def _reopen(self, code: str) -> None:
        self._loading = True
        self._content = replace(self._content, texts=dict(self._texts))
        self._show_languages(code)
        self._loading = False
        self._edited()

    def _take_text(self) -> None:
        subject = inline.source(self.lines["subject"].line()).strip()
        made, before = Texts(subject, bodies.write(self.body.body())), self._texts[self._language]
        code, first = next(iter(self._texts.items()))
        if (made.subject, made.body) == (before.subject, before.body):
            made = before
        elif self._language != code:
            made = replace(made, original=first.fingerprint)
        self._texts[self._language] = made

    # Following

    def _world(self) -> World:
        session, catalogue = self._session, self._session.catalogue
        language = self._language or "en_GB"
        calendar = self._calendar_code()
        if not self._examples:
            content = self._content
            about = f"{self.title_field.text()} {self.shelf.currentText()}"
            self._examples = example_cases(catalogue, content, about)
        case = catalogue.cases.get(next(iter(self._examples), ""))
        contact = catalogue.contacts.get(case.contact) if case else None
        return catalogue.world(session.parts.now(), session.me, language, contact, case, calendar)

    def _calendar_code(self) -> str:
        """The template's own holidays, as long as there are such."""
        code = self.calendar.text().strip()
        try:
            calendar_for(code)
        except NebbetError:
            return ""
        return code

    def _other_calendar(self, code: str) -> None:
        try:
            calendar_for(code.strip())
        except NebbetError as error:
            self._calendar_note.setText(error.sentence)
        else:
            self._calendar_note.clear()
        self.ledger.form.explain()
        self._edited()

    def _other_example(self) -> None:
        """Let another case that fits be the example."""
        self._examples = [*self._examples[1:], *self._examples[:1]]
        self.ledger.form.explain()
        self.condition.explain()

    # Conditions and the year

    def _show_condition(self) -> None:
        if not self.condition.hasFocus():
            self.condition.setText(self.body.condition())

    def _set_condition(self) -> None:
        """Let the paragraphs belong only under the condition that was written."""
        when = self.condition.text().strip()
        if when != self.body.condition():
            self.body.set_condition(when)
        if self.condition.hasFocus():
            self.body.setFocus()

    def see_year(self) -> None:
        """Show what the date rule at hand does over a year."""
        found, world = self.ledger.current, self._world()
        if found is None or found.source != "date":
            self._session.voice.say("Choose a date rule in the ledger first: it has a year to see.")
            return
        try:
            rule = dates.read(found.of)
        except NebbetError as error:
            self._session.voice.say(error.sentence)
            return
        self.year.show_rule(found.title, rule, world.today, world.calendar)
        self._middle.setCurrentWidget(self.year)
        self.year.chart.setFocus()

    def find_and_replace(self) -> None:
        """Find and replace in the subject and the text."""
        selected = self.body.textCursor().selectedText()
        self.find_bar.begin(selected if len(selected) < 60 and "\u2029" not in selected else "")

    def _close_find(self) -> None:
        self.find_bar.hide()
        self.body.setFocus()

    def try_it(self) -> None:
        """Show the letter that the template would be, or go back to the text."""
        if self._middle.currentWidget() is self.trial:
            self._back_to_text()
            return
        self._world()  # finds the cases that fit
        self.trial.show_content(self.content(), self._language, list(self._examples))
        self._middle.setCurrentWidget(self.trial)
        self.trial.case.setFocus()

    def _back_to_text(self) -> None:
        self._middle.setCurrentIndex(0)
        self.body.setFocus()

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
            editor.refresh()
        self._edited()

    def _insert(self, name: str) -> None:
        self._last.insert_placeholder(name)
        self._last.setFocus()

    def _offer_blanks(self, found: list[str]) -> None:
        """Prompts in pasted text are blanks that somebody wrote by hand: offer to make them so."""
        named = checks.blank_names(found, [p.name for p in self.ledger.placeholders])
        listed = ", ".join(found[:6]) + (f" and {len(found) - 6} more" if len(found) > 6 else "")
        self._session.voice.say(
            f"The pasted text has prompts: {listed}.",
            "Make them blanks",
            lambda: self._make_blanks(named),
        )

    def _make_blanks(self, named: dict[str, str]) -> None:
        for name in named.values():
            self.ledger.declare(name)
        for editor in (*self.lines.values(), self.body):
            editor.make_slots(named)
        self.body.setFocus()

    def _open_entry(self, name: str) -> None:
        """Go to a placeholder's entry; one that declares itself gets one."""
        self.ledger.declare(name)
        self.ledger.form.label.setFocus()

    def _renamed(self, old: str, new: str) -> None:
        """A renamed placeholder is renamed everywhere: in all languages, sums and conditions."""
        self._rewrite(letters.renamed(self.content(), old, new))
        self.ledger.go_to(new)

    def _rewrite(self, content: Content) -> None:
        """Show content that was changed on the person's behalf, and keep it like an edit."""
        self._loading = True
        self._show_content(content, self._language)
        self._loading = False
        self._edited()

    # Keeping and saving

    def content(self) -> Content:
        """The template as it stands on the page."""
        self._take_text()
        cc, bcc, reply_to = (inline.source(self.lines[p].line()).strip() for p in _COPIES)
        return replace(
            self._content,
            texts=dict(self._texts),
            placeholders=tuple(self.ledger.placeholders),
            copies=Copies(cc, bcc, reply_to, tuple(self.copies.copies)),
            enclosures=tuple(self.enclosures.enclosures),
            calendar=self.calendar.text().strip(),
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
        self.ledger.show_uses(letters.uses(draft.content))
        self._show_figures()
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
            remedy = found[0].remedy
            said = found[0].sentence
            end = "" if said.endswith("?") and not more else "."
            self._session.voice.say(
                f"Not saved yet. {said}{more}{end} {advice}",
                f"{remedy.words} (Shift+F8)" if remedy else "",
                self.mend,
            )
            return
        self._save(draft)

    def mend(self) -> None:
        """Mend the first thing that is wrong and can be mended: a mistyped name, braces."""
        content = self.content()
        found = checks.check_content(content, self._world())
        remedy = next((f.remedy for f in found if f.remedy), None)
        if remedy is None:
            self._session.voice.say("There is nothing here that can be mended by itself.")
            return
        self._rewrite(checks.mend_content(content, remedy))

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
                self.save_button.setText(f"Save as edition {cast(int, number) + 1}")
                self.note.clear()

        self._timer.stop()
        session.change_library(write, done)

    def leave(self) -> None:
        """Go back one step: from finding, a year or a trial to the text, from the text to the
        shelves; what is not saved is kept."""
        if self.find_bar.is_used:
            self._close_find()
            return
        if self._middle.currentIndex() > 0:
            self._back_to_text()
            return
        self.keep_draft()
        self.left.emit()
