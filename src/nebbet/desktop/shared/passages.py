"""The page of passages: pieces of text that many templates include, mended once."""

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from nebbet.core import letter as letters
from nebbet.core.body import Frame
from nebbet.core.letter import Content, Passage
from nebbet.core.letter.signature import SIGNATURE, with_signature
from nebbet.core.placeholders import World
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.unsaved import Form
from nebbet.desktop.template.ledger import Ledger
from nebbet.desktop.template.manuscript import Manuscript
from nebbet.desktop.template.try_it import TryIt
from nebbet.library.examples import example_cases, example_world
from nebbet.library.holdings import Template


class SharedPassages(ListPage[Passage]):
    """The list of passages, the one at hand, and the templates that a change reaches."""

    title = "Passages"
    help = (
        "A passage is a piece of text that many templates include: mend it once, and it is mended "
        "everywhere. What you type is a draft until Ctrl+S puts it in use; the right column says "
        "which templates that reaches, and Return on one shows it with your change."
    )
    kinds = ("passage", "template", "member")

    def __init__(self, shared: SharedLibrary) -> None:
        form = Form("passage", Passage, self._show_passage, self._write, self.passage)
        super().__init__(shared, "Passages", form, Passage)
        self._held = Passage("", "")
        self.title_field = QLineEdit()
        self.ledger = Ledger(shared, self._world)
        self.manuscript = Manuscript(shared, self.ledger, addressed=False)
        self.body = self.manuscript.body
        self.users = ChoiceList("Templates that include it")
        self.trial = TryIt(shared)
        self.reach = pieces.label("", "note", wrap=True)
        self.keep_button = pieces.button("Put in use (Ctrl+S)", self.keep, "primary")
        self.drop = pieces.button("Remove", self._remove, "words")
        self.earlier_button = pieces.button(
            "Earlier states", self.earlier.emit, "words", "Ctrl+Alt+H"
        )
        self.add = pieces.button("New passage", self._new, "words", "Ctrl+Alt+A")
        self.for_leads = (self.keep_button, self.drop, self.add)
        self.typed_into = (self.title_field, self.body)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        theme.named(self.title_field, "Title of the passage")
        self.title_field.setPlaceholderText("What it is called in the library; never sent")
        left = pieces.column(
            "left", pieces.row(self.back, None), self.list, pieces.row(self.add, None), margin=8
        )
        left.setFixedWidth(230)
        head = QWidget()
        pieces.fill(QVBoxLayout(head), self.title_field, self.manuscript.languages, margin=8)
        writing = QWidget()
        pieces.fill(QVBoxLayout(writing), head, pieces.rule(), self.manuscript, spacing=0)
        self._middle = QStackedWidget()
        self._middle.addWidget(writing)
        self._middle.addWidget(self.trial)
        self.users.setFixedHeight(150)
        inside = QWidget()
        pieces.fill(QVBoxLayout(inside), self.ledger, None)
        ledger = pieces.scrolled(inside)
        right = pieces.column(
            "right",
            pieces.label("Templates that include it", "heading"),
            pieces.rule(),
            self.reach,
            self.users,
            ledger,
            pieces.row(self.earlier_button, None, self.drop),
            self.keep_button,
        )
        right.setFixedWidth(310)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(self._middle), right, spacing=0)

    def _connect(self) -> None:
        self.users.itemActivated.connect(lambda _item: self.preview())
        self.title_field.textEdited.connect(self.unsaved.edited)
        self.manuscript.edited.connect(self.unsaved.edited)
        self.ledger.changed.connect(self._declared)
        self.ledger.insert.connect(self._insert)
        self.body.opened.connect(self.ledger.declare)
        self.trial.left.connect(self._back_to_text)
        self.add_key("Put the passage in use", "Ctrl+S", self.keep)
        self.add_key("New passage", "Ctrl+Alt+A", self._new)
        self.add_key("Next doubtful word", "F7", self.manuscript.next_doubt)
        self.add_key("Find and replace", "Ctrl+H", self.manuscript.find_and_replace)
        self.add_key("Show a template with it", "Ctrl+T", self.preview)
        self.add_key("Back", "Esc", self.leave)

    def _world(self) -> World:
        shared, users = self._shared, self._users()
        template = users[0] if users else Template("", "", "", "draft", False, 0, Content())
        language = self.manuscript.language or "en_GB"
        return example_world(shared.catalogue, template, shared.writer(), language=language)

    @property
    def shared(self) -> tuple[type[Passage], str, str]:
        """The passage at hand: what it is, its key, and what it is called."""
        found = self.record(self.list.key)
        return Passage, self.list.key, found.title if found else ""

    def _users(self) -> list[Template]:
        templates = self._shared.catalogue.templates
        found = self._shared.search.users.of_passage(self.unsaved.key or "")
        return [templates[key] for key in found if key in templates]

    # Showing

    def choices(self) -> list[Choice]:
        found = []
        passages = self._shared.catalogue.passages.values()
        for passage in sorted(passages, key=lambda p: (p.id == SIGNATURE, p.title.casefold())):
            users = len(self._shared.search.users.of_passage(passage.id))
            draft = "draft" if self.unsaved.has_draft(passage.id) else ""
            aside = draft or (said("in {users}", users=users) if users else said("unused"))
            title = "My signature" if passage.id == SIGNATURE else passage.title
            found.append(Choice(passage.id, title, aside=aside))
        return found

    def record(self, key: str) -> Passage | None:
        return self._shared.catalogue.passages.get(key)

    def _show_passage(self, passage: object) -> None:
        """Take up a passage as the library has it, or a new one."""
        new = Passage(self._shared.token(), "")
        self._held = passage if isinstance(passage, Passage) else new
        self._write(self._held)
        self._back_to_text(focus=False)

    def _write(self, passage: Passage) -> None:
        self._held = replace(self._held, id=passage.id)
        self.title_field.setText(passage.title)
        self.ledger.show_placeholders(passage.placeholders)
        content = Content(texts=passage.texts, placeholders=passage.placeholders)
        self.ledger.show_uses(letters.uses(content))
        self.manuscript.sheet.set_frame(self._frame())
        self.manuscript.show_content(content)

    def passage(self) -> Passage:
        """The passage as it stands on the page."""
        return replace(
            self._held,
            title=self.title_field.text().strip(),
            texts=self.manuscript.content().texts,
            placeholders=tuple(self.ledger.placeholders),
        )

    def _frame(self) -> Frame:
        """The look of the text, without the band and the foot that are not the passage's."""
        users, catalogue = self._users(), self._shared.catalogue
        name = users[0].content.frame if users else next(iter(catalogue.frames), "")
        return replace(catalogue.frame(name), band="", logo="", foot=())

    def may_type(self) -> bool:
        return super().may_type() or self.unsaved.key == SIGNATURE

    def shown(self) -> None:
        own = self.unsaved.key == SIGNATURE
        leads = self._shared.leads
        self.title_field.setEnabled(not own)
        self.keep_button.setVisible(leads or own)
        self.drop.setVisible(leads and not own)
        self.earlier_button.setVisible(not own)
        users = self._users()
        self.users.show_choices([Choice(t.id, t.title, t.state) for t in users], self.users.key)
        if self.users.currentRow() < 0:
            self.users.choose_first()
        words = said("No template includes it yet.")
        if users:
            words = counted(
                "A change reaches 1 template at once.",
                "A change reaches {count} templates at once.",
                count=len(users),
            )
        self.reach.setText(words)

    def _new(self) -> None:
        self.begin()
        self.title_field.setFocus()

    # Following and keeping

    def _declared(self) -> None:
        self.body.refresh()
        self.unsaved.edited()

    def _insert(self, name: str) -> None:
        self.body.insert_placeholder(name)
        self.body.setFocus()

    def keep_draft(self) -> None:
        super().keep_draft()
        if self.unsaved.key is not None:
            made = self.passage()
            self.ledger.show_uses(letters.uses(Content(made.texts, made.placeholders)))

    def keep(self) -> None:
        """Put the passage in use: every template says it from now on."""
        shared, made, users = self._shared, self.passage(), len(self._users())
        if self.unsaved.key is None:
            return
        if not made.title:
            shared.voice.say(said("The passage has no title yet: give it one first."))
            self.title_field.setFocus()
            return
        library, author, now, me = shared.library, shared.my_id, shared.now(), shared.me
        words = said("“{title}” is in use.", title=made.title)
        if users:
            words = counted(
                "“{title}” is in use; 1 template says it from now on.",
                "“{title}” is in use; {count} templates say it from now on.",
                title=made.title,
                count=users,
            )
        if made.id != SIGNATURE:
            self.put(
                made.id,
                made,
                lambda seen: library.put(made, author=author, made=now, seen=seen),
                words,
            )
        elif me:
            own = with_signature(me, made)
            self.put(made.id, made, lambda _seen: library.put(own, seen=me), words)
        else:
            shared.voice.say(said("Say who you are first: click your name at the top."))

    def _remove(self) -> None:
        found, users, voice = self._held, self._users(), self._shared.voice
        if self.unsaved.key in (None, SIGNATURE):
            return
        if self.is_begun():
            self.drop_begun()
            return
        if users:
            titles = ", ".join(t.title for t in users[:3])
            voice.say(
                said(
                    "“{title}” stays: {count} templates include it ({titles}). Take it out of them "
                    "first.",
                    title=found.title,
                    count=len(users),
                    titles=titles,
                )
            )
            return
        if voice.ask(
            said("Remove “{title}”?", title=found.title),
            said("No template includes it."),
            said("Remove"),
        ):
            library = self._shared.library
            self.take_out(lambda: library.remove_passage(found.id, found))

    # Seeing what it reaches

    def preview(self) -> None:
        """Show a template that includes the passage, with it as it stands here; or go back."""
        template = self._shared.catalogue.templates.get(self.users.key)
        if self._middle.currentWidget() is self.trial:
            self._back_to_text()
        elif template:
            catalogue, made = self._shared.catalogue, self.passage()
            content = letters.included(template.content, {**catalogue.passages, made.id: made})
            cases = example_cases(catalogue, content, template.title)
            self.trial.show_content(content, self.manuscript.language, cases)
            self._middle.setCurrentWidget(self.trial)
            self.trial.case.setFocus()

    def _back_to_text(self, *, focus: bool = True) -> None:
        self._middle.setCurrentIndex(0)
        if focus:
            self.body.setFocus()

    def leave(self) -> None:
        """Go back one step; what is not in use yet is kept."""
        if self.manuscript.find_bar.isVisible():
            self.manuscript.close_find()
        elif self.manuscript.things.is_used:
            self.body.setFocus()
        elif self._middle.currentIndex() > 0:
            self._back_to_text()
        else:
            super().leave()
