"""What is written in a template: its texts by language, on paper, with the tools for that."""

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from nebbet.core import body as bodies
from nebbet.core import inline
from nebbet.core import letter as letters
from nebbet.core.letter import ADDRESS_LINES, Content, Texts
from nebbet.core.placeholders import language_name
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.paper.body_tools import BodyTools
from nebbet.desktop.paper.sheet import Desk, Sheet
from nebbet.desktop.paper.template_edit import TemplateEdit
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.template.condition import ConditionField
from nebbet.desktop.template.find_bar import FindBar
from nebbet.desktop.template.languages import Languages
from nebbet.desktop.template.ledger import Ledger
from nebbet.desktop.template.part_tools import PartTools
from nebbet.desktop.template.source_view import SourceView
from nebbet.desktop.template.thing_bar import ThingBar

LINES = {**ADDRESS_LINES, "to": "Also to", "subject": "Subject"}
_RARE = ("mailbox", "to", "bcc", "reply_to")  # rows that are shown where something stands in them


class Manuscript(QWidget):
    """Holds the texts of a template and its address lines; edited says that something changed.

    languages_changed says that a language came, went or was confirmed; undo_wanted and redo_wanted
    that more is to be taken back, or done again, than a text itself remembers.
    """

    edited = Signal()
    languages_changed = Signal()
    undo_wanted = Signal()
    redo_wanted = Signal()

    def __init__(self, shared: SharedLibrary, ledger: Ledger, *, addressed: bool = True) -> None:
        super().__init__()
        self._shared, self._ledger = shared, ledger
        self._addressed = addressed  # a passage has neither addresses nor a subject
        self._content = Content()
        self._texts: dict[str, Texts] = {}
        self.language = ""
        self._loading = True
        self.languages = Languages()
        self.lines = {part: self._line(name) for part, name in LINES.items()}
        self.body = TemplateEdit(ledger, shared.pictures, shared.intake)
        theme.named(self.body, "Body of the template")
        self.condition = ConditionField("Condition of the paragraphs", ledger)
        self.each = Picker("Repeated for each member of", ledger.lists, "once, or a list")
        self.find_bar = FindBar(lambda: [self.lines["subject"], self.body])
        self.find_bar.hide()
        self.last = self.body
        self._lay_out()
        self._connect()

    def _line(self, name: str) -> TemplateEdit:
        made = TemplateEdit(self._ledger, single=True)
        theme.named(made, name)
        made.entered.connect(self.focusNextChild)
        return made

    def _lay_out(self) -> None:
        self.sheet = Sheet([(LINES[part], self.lines[part]) for part in LINES], self.body)
        self.tools = BodyTools(self.body, self._shared.intake.add_files)
        self.parts = PartTools(
            self.body, lambda: self._shared.catalogue.passages if self._addressed else {}
        )
        self.more = pieces.button("From, Reply-To, Also to, Bcc", self.show_all_rows, "words")
        self.things = ThingBar(self.body, self._ledger)
        self.each.setMaximumWidth(200)
        when = pieces.row(
            pieces.label("only if", "faint"),
            pieces.grow(self.condition),
            self.condition.note,
            pieces.label("for each of", "faint"),
            self.each,
            self.more,
        )
        when.setContentsMargins(8, 0, 8, 4)
        self.condition.note.setMinimumWidth(120)
        self.no_dictionary = pieces.label("", "note")
        self.no_dictionary.setContentsMargins(8, 0, 8, 4)
        self.no_dictionary.hide()
        # A passage has no link to more rows, and its page is narrower.
        roomy = self.tools.layout() if self._addressed else when
        roomy.addWidget(self.parts)  # type: ignore[union-attr]
        self._when = QWidget()
        self._when.setLayout(when)
        self.source = SourceView(self._shared, self._ledger)
        self._pages = QStackedWidget()
        self._pages.addWidget(Desk(self.sheet))
        self._pages.addWidget(self.source)
        pieces.fill(
            QVBoxLayout(self),
            self.tools,
            self._when,
            self.no_dictionary,
            self.things,
            self.find_bar,
            self._pages,
            spacing=0,
        )

    def _connect(self) -> None:
        for editor in self.editors:
            editor.edited.connect(self._edited)
            editor.cursorPositionChanged.connect(self._remember)
            editor.undo_wanted.connect(self.undo_wanted)
            editor.redo_wanted.connect(self.redo_wanted)
        self.condition.editingFinished.connect(self._set_condition)
        self.each.picked.connect(self._set_each)
        self.each.entered.connect(self._set_each)
        self.body.cursorPositionChanged.connect(self._show_hanging)
        self.source.edited.connect(self._edited)
        self._shared.speller.ready.connect(self._tell_dictionary)
        for editor in (self.lines["subject"], self.body):
            editor.spelling.word_taken.connect(self._shared.keep_word)
        self.source.plain_wanted.connect(self._make_ordinary)
        self.find_bar.closed.connect(self.close_find)
        self.languages.switched.connect(self._switch)
        self.languages.added.connect(self.add_language)
        self.languages.removed.connect(self._remove_language)
        self.languages.confirmed.connect(self._confirm_language)

    @property
    def editors(self) -> list[TemplateEdit]:
        """Every editor, in the order of reading."""
        return [*self.lines.values(), self.body]

    def _edited(self) -> None:
        if not self._loading:
            self.edited.emit()

    def _remember(self) -> None:
        sender = self.sender()
        if isinstance(sender, TemplateEdit) and sender.hasFocus():
            self.last = sender

    # Showing and taking

    def show_content(self, content: Content, language: str = "") -> None:
        """Show what an edition says, in one of its languages."""
        self._loading = True
        self._content, self._texts = content, dict(content.texts)
        for part in ADDRESS_LINES:
            self.lines[part].load(inline.parse(getattr(content.copies, part)))
        self._show_rows(content)
        self._show_languages(language)
        self._loading = False

    def _show_rows(self, content: Content) -> None:
        if not self._addressed:
            self.sheet.show_rows(False)
            self.more.hide()
            return
        for part in _RARE:
            self.sheet.show_row(LINES[part], bool(getattr(content.copies, part)))
        self.more.setVisible(not all(getattr(content.copies, part) for part in _RARE))

    def show_all_rows(self) -> None:
        """Show the address rows that are seldom needed, and go to the first of them."""
        for part in _RARE:
            self.sheet.show_row(LINES[part], True)
        self.more.hide()
        self.lines["mailbox"].setFocus()

    def content(self) -> Content:
        """The texts and address lines as they stand here, in the content that was shown."""
        self._take_text()
        written = {p: inline.source(self.lines[p].line()).strip() for p in ADDRESS_LINES}
        copies = replace(self._content.copies, **written)
        return replace(self._content, texts=dict(self._texts), copies=copies)

    def _show_languages(self, language: str = "") -> None:
        chosen = language if language in self._texts else next(iter(self._texts))
        older = letters.older(self._content)
        self.languages.show_languages(list(self._texts), chosen, older)
        self._show_text(chosen)

    def _show_text(self, code: str) -> None:
        self.language = self._ledger.language = code
        for editor in (self.lines["subject"], self.body):
            editor.spelling.use(self._shared.speller, code)
        self._tell_dictionary(code)
        texts = self._texts[code]
        self.lines["subject"].load(inline.parse(texts.subject))
        self._show_kind(texts)
        self.show_figures()

    def _show_kind(self, texts: Texts) -> None:
        """An ordinary text is written on paper, finished HTML as its source."""
        self.body.load(() if texts.finished else texts.blocks)
        if texts.finished:
            self.source.load(texts.body)
        self._pages.setCurrentIndex(int(texts.finished))
        for tools in (self.tools, self._when):
            tools.setVisible(not texts.finished)

    @property
    def is_source(self) -> bool:
        """Whether the text at hand is finished HTML."""
        return self._pages.currentIndex() == 1

    def _make_ordinary(self) -> None:
        """Keep what finished HTML says, and let go of its look."""
        made = bodies.write(bodies.read_foreign(self.source.text(), {}))
        self._texts[self.language] = replace(self._texts[self.language], body=made, finished=False)
        self._reopen(self.language)

    def insert(self, name: str) -> None:
        """Put a placeholder where somebody wrote last."""
        if self.is_source and self.last is self.body:
            self.source.source.write_name(name)
            self.source.source.setFocus()
        else:
            self.last.insert_placeholder(name)
            self.last.setFocus()

    def focus_text(self) -> None:
        """Go to the text."""
        (self.source.source if self.is_source else self.body).setFocus()

    def show_figures(self) -> None:
        """Say how long the text is, and how easily it reads."""
        text = bodies.read(self.source.text()) if self.is_source else self.body.body()
        self.languages.show_figures(bodies.figures(text, self.language))

    def _take_text(self) -> None:
        subject = inline.source(self.lines["subject"].line()).strip()
        before = self._texts[self.language]
        source = self.source.text() if before.finished else bodies.write(self.body.body())
        made = replace(before, subject=subject, body=source)
        code, first = next(iter(self._texts.items()))
        if made != before and self.language != code:
            made = replace(made, original=first.fingerprint)
        self._texts[self.language] = made

    # Languages

    def _switch(self, code: str) -> None:
        self._take_text()
        self._loading = True
        self._show_text(code)
        self._loading = False
        self.languages.show_older(letters.older(self.content()))

    def add_language(self, code: str) -> None:
        """A new language begins with the text at hand, to be written over."""
        self._take_text()
        self._texts[code] = replace(self._texts[self.language], original="changed since")
        self._reopen(code)

    def _remove_language(self, code: str) -> None:
        if self._shared.voice.ask(
            f"Remove the text in {language_name(code)}?",
            "Earlier editions keep it. Letters that are open keep it too.",
            "Remove",
        ):
            self._take_text()
            del self._texts[code]
            self._reopen(next(iter(self._texts)))

    def show_language(self, code: str) -> None:
        """Go to the text in a language."""
        if code in self._texts and code != self.language:
            self._take_text()
            self._loading = True
            self._show_languages(code)
            self._loading = False

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
        self.edited.emit()

    # What parts hang on

    def _show_hanging(self) -> None:
        if not self.condition.hasFocus():
            self.condition.setText(self.body.parts.condition())
        if not self.each.hasFocus():
            self.each.show_text(self.body.parts.list_over())

    def _set_condition(self) -> None:
        """Let the paragraphs belong only under the condition that was written."""
        when = self.condition.text().strip()
        if when != self.body.parts.condition():
            self.body.parts.set_condition(when, alone=not when)
        if self.condition.hasFocus():
            self.body.setFocus()

    def _set_each(self, name: str) -> None:
        """Repeat the paragraphs for each member of the list that was chosen."""
        self.each.show_text(name)
        if name != self.body.parts.list_over():
            self.body.parts.set_list_over(name)
        if self.each.hasFocus():
            self.body.setFocus()

    # Spelling

    def _tell_dictionary(self, language: str) -> None:
        """Say quietly where a dictionary is missing, and what brings it."""
        if language == self.language:
            package = self._shared.speller.missing(language)
            said = (
                f"No spelling in {language_name(language)}: the package {package} brings a "
                "dictionary."
            )
            self.no_dictionary.setText(said if package else "")
            self.no_dictionary.setVisible(bool(package))

    def next_doubt(self) -> None:
        """Go to the next doubtful word in the text, or in the subject."""
        if not (self.body.spelling.next_doubt() or self.lines["subject"].spelling.next_doubt()):
            self._shared.voice.say("Every word is known.")

    # Finding

    def find_and_replace(self) -> None:
        """Find and replace in the subject and the text."""
        selected = self.body.textCursor().selectedText()
        self.find_bar.begin(selected if len(selected) < 60 and "\u2029" not in selected else "")

    def close_find(self) -> None:
        """Put the row away."""
        self.find_bar.hide()
        self.body.setFocus()
