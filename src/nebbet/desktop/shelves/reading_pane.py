"""The reading pane: a template as it is, with its placeholders and what its dates would be."""

from collections.abc import Callable

from PySide6.QtCore import Signal, SignalInstance
from PySide6.QtWidgets import QTabBar, QVBoxLayout, QWidget

from nebbet.core import inline, placeholders
from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import Particular
from nebbet.core.records import fold
from nebbet.core.sentences import said
from nebbet.desktop.editions.own_versions import OwnVersions
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.paper.fillings import Filling
from nebbet.desktop.paper.sheet import paper_box
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.drafting import as_begun
from nebbet.library.holdings import Template


class ReadingPane(QWidget):
    """Shows one template. take, edit, export and editions tell what to do with it."""

    take = Signal(str)
    edit = Signal(str)
    export = Signal(str)
    editions = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._template: Template | None = None
        self.title = pieces.label("", "title", wrap=True)
        self.state = pieces.label("", "note", wrap=True)
        self.take_button = pieces.button(
            "Write with it", self._telling(self.take), "primary", "Return"
        )
        self.edit_button = pieces.button("Edit", self._telling(self.edit), hint="Ctrl+E")
        self.own = OwnVersions(shared)
        self.editions_button = pieces.button(
            "Editions", self._telling(self.editions), "words", "Ctrl+Alt+H"
        )
        self.export_button = pieces.button("Export…", self._telling(self.export))
        self.languages = QTabBar()
        self.languages.setDrawBase(False)
        self.languages.setExpanding(False)
        theme.named(self.languages, "Language of the text")
        self.languages.currentChanged.connect(lambda _index: self._show_text())
        self.heads = pieces.label("", "", wrap=True)
        self._body = SlotEdit(shared.pictures)
        self._body.names_conditions = True
        theme.named(self._body, "Text of the template")
        self.dates = pieces.label("", "note", wrap=True)
        self._lay_out()

    def _lay_out(self) -> None:
        buttons = pieces.row(
            self.take_button,
            self.edit_button,
            self.own.make_button,
            self.own.offer_button,
            self.export_button,
            None,
        )
        self.content = QWidget()
        pieces.fill(
            QVBoxLayout(self.content),
            self.title,
            pieces.row(pieces.grow(self.state), self.editions_button),
            buttons,
            self.own,
            self.languages,
            self.heads,
            paper_box(self._body),
            self.dates,
            spacing=8,
        )
        pieces.fill(QVBoxLayout(self), self.content)
        self.content.hide()

    def show_template(self, template: Template | None) -> None:
        """Show a template, or nothing."""
        self.content.setVisible(template is not None)
        if template is not None:
            template = as_begun(template, self._shared.own.drafts.get(template.id))
        changed = template != self._template
        self._template = template
        self.own.show_template(template)
        if template is not None:
            self.state.setText(self._story(template))
        if template is None or not changed:
            return
        self.title.setText(template.title or said("Without a title yet"))
        self.take_button.setEnabled(template.state == "in use" and template.edition > 0)
        self.languages.blockSignals(True)
        while self.languages.count():
            self.languages.removeTab(0)
        for code in template.content.texts:
            self.languages.addTab(placeholders.language_name(code))
        self.languages.blockSignals(False)
        self.languages.setVisible(len(template.content.texts) > 1)
        self._show_text()

    def _story(self, template: Template) -> str:
        if not template.edition:
            return said("Draft: nothing of it is in use yet. Ctrl+E goes on with it.")
        author = self._shared.catalogue.members.get(template.author)
        parts = [f"{template.state}, edition {template.edition}"]
        if template.made:
            parts.append(f"{template.made.astimezone():%d %b %Y}")
        parts += [author.name] if author else []
        parts += [f"“{template.note}”"] if template.note else []
        parts += (
            ["your draft waits in the editor"] if template.id in self._shared.own.drafts else []
        )
        editing = self._shared.others_editing(template.id)
        return ", ".join(parts) + (f". {editing}" if editing else "")

    @property
    def language(self) -> str:
        """The language of the text that is shown."""
        codes = list(self._template.content.texts) if self._template else [""]
        return codes[max(self.languages.currentIndex(), 0)]

    def _show_text(self) -> None:
        template, code = self._template, self.language
        if template is None:
            return
        catalogue = self._shared.catalogue
        content = catalogue.included(template.content)
        letter = letters.start("", content, language=code)
        world = catalogue.world(self._shared.now(), self._shared.me, code, calendar=letter.calendar)
        values = placeholders.resolve(letters.names(letter), letter.placeholders, world, {})
        self.heads.setText(_heads(letter, values))
        self._body.set_frame(catalogue.frame(template.content.frame))
        self._body.show_content(letter.body, {fold(p.name): _named_value(p) for p in values})
        self.dates.setText(_dates(values))
        self.dates.setVisible(bool(self.dates.text()))

    def _telling(self, signal: SignalInstance) -> Callable[[], None]:
        """What a button does: tell the signal which template is shown."""

        def tell() -> None:
            if self._template:
                signal.emit(self._template.id)

        return tell


def _named_value(particular: Particular) -> Filling:
    """In the library a placeholder shows its name, not a value."""
    title = particular.placeholder.title
    if not particular.known:
        return Filling(particular.name, title, "unknown")
    own = particular.placeholder.source == "blank"
    return Filling(None if own else title, title, "value", with_modifiers=_forms_or(title))


def _forms_or(title: str) -> Callable[[str], str]:
    """In the library a place that counts shows its words: “place / places”."""

    def shown(written: str) -> str:
        try:
            return " / ".join(placeholders.modifiers.read(written).forms) or title
        except NebbetError:
            return title

    return shown


def _heads(letter: letters.Letter, values: tuple[Particular, ...]) -> str:
    titles = {fold(p.name): p.placeholder.title for p in values}

    def text(line: inline.Line) -> str:
        return inline.shown(line, lambda name: f"[{titles.get(fold(name), name)}]")

    lines = [f"Subject: {text(letter.subject)}"]
    for name, line in (("Cc", letter.cc), ("Bcc", letter.bcc), ("Reply-To", letter.reply_to)):
        lines += [f"{name}: {text(line)}"] if line else []
    files = [f"{text(a.name)} ({size_words(a.size)})" for a in letter.attachments]
    lines += [f"Enclosures: {', '.join(files)}"] if files else []
    return "\n".join(lines)


def _dates(values: tuple[Particular, ...]) -> str:
    lines = [
        f"{p.placeholder.title}: {p.text}. {p.note}"
        for p in values
        if p.placeholder.source == "date"
    ]
    return "\n".join(["Dates, if it went today:", *lines]) if lines else ""
