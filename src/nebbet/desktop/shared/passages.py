"""The page of passages: pieces of text that many templates include, mended once."""

import msgspec
from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from nebbet.core import letter as letters
from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.letter import Content, Passage
from nebbet.core.letter.signature import SIGNATURE, with_signature
from nebbet.core.placeholders import World
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pause import AUTOSAVE, after_pause
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.template.ledger import Ledger
from nebbet.desktop.template.manuscript import Manuscript
from nebbet.desktop.template.try_it import TryIt
from nebbet.library.examples import example_cases
from nebbet.library.holdings import Template
from nebbet.library.users import passage_users

_DRAFT = "passage:"


class SharedPassages(Place):
    """The list of passages, the one at hand, and the templates that a change reaches.

    left tells that the person goes back to where they came from, earlier that they want to see
    what the passage at hand said before.
    """

    title = "Passages"
    help = (
        "A passage is a piece of text that many templates include: mend it once, and it is mended "
        "everywhere. What you type is a draft until Ctrl+S puts it in use; the right column says "
        "which templates that reaches, and Return on one shows it with your change."
    )
    left = Signal()
    earlier = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._shown: Passage | None = None
        self._wanted = self._told = ""
        self._loading = True
        self.list = ChoiceList("Passages")
        self.title_field = QLineEdit()
        self.ledger = Ledger(lambda: shared.catalogue, self._world)
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
        self.back = pieces.button("Back (Esc)", self.leave)
        self.add = pieces.button("New passage", self.begin, "words", "Ctrl+Alt+A")
        self.for_leads = (self.keep_button, self.drop, self.add)
        self._timer = after_pause(self, AUTOSAVE, self.keep_draft)
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
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self.users.itemActivated.connect(lambda _item: self.preview())
        self.title_field.textEdited.connect(self._edited)
        self.manuscript.edited.connect(self._edited)
        self.ledger.changed.connect(self._declared)
        self.ledger.insert.connect(self._insert)
        self.body.opened.connect(self.ledger.declare)
        self.trial.left.connect(self._back_to_text)
        self.add_key("Put the passage in use", "Ctrl+S", self.keep)
        self.add_key("New passage", "Ctrl+Alt+A", self.begin)
        self.add_key("Next doubtful word", "F7", self.manuscript.next_doubt)
        self.add_key("Find and replace", "Ctrl+H", self.manuscript.find_and_replace)
        self.add_key("Show a template with it", "Ctrl+T", self.preview)
        self.add_key("Back", "Esc", self.leave)

    def _world(self) -> World:
        shared, catalogue = self._shared, self._shared.catalogue
        users = self._users()
        content = users[0].content if users else Content()
        case = catalogue.cases.get(next(iter(example_cases(catalogue, content, "")), ""))
        contact = catalogue.contacts.get(case.contact) if case else None
        language = self.manuscript.language or "en_GB"
        return catalogue.world(shared.now(), shared.me, language, contact, case)

    @property
    def shared(self) -> tuple[type[Passage], str, str]:
        """The passage at hand: what it is, its key, and what it is called."""
        found = self._shared.catalogue.passages.get(self.list.key)
        return Passage, self.list.key, found.title if found else ""

    def _users(self) -> list[Template]:
        return passage_users(self._shared.catalogue, self._shown.id) if self._shown else []

    # Showing

    def refresh(self, wanted: str = "") -> None:
        """Show the passages as they are now; the one at hand stays, with what is being typed."""
        catalogue = self._shared.catalogue
        choices = []
        for passage in sorted(
            catalogue.passages.values(), key=lambda p: (p.id == SIGNATURE, p.title.casefold())
        ):
            users = len(passage_users(catalogue, passage.id))
            draft = "draft" if _DRAFT + passage.id in self._shared.own.drafts else ""
            aside = draft or (f"in {users}" if users else "unused")
            title = "My signature" if passage.id == SIGNATURE else passage.title
            choices.append(Choice(passage.id, title, aside=aside))
        keep = wanted or self._wanted or self.list.key
        self._wanted = ""
        self.list.show_choices(choices, keep)
        if self.list.currentRow() < 0 and (self._shown is None or not self._is_new()):
            self.list.choose_first()
        if self._shown is None or self.list.key != self._shown.id:
            self._show()
        else:
            self._follow(self._shown)
        self._show_users()

    def _follow(self, shown: Passage) -> None:
        """Show what somebody else made of the passage at hand, unless it is being changed here."""
        now = self._shared.catalogue.passages.get(shown.id)
        unchanged = _DRAFT + shown.id not in self._shared.own.drafts and self.passage() == shown
        if now is not None and now != shown and unchanged:
            self._open(now)

    def _is_new(self) -> bool:
        return self._shown is not None and self._shown.id not in self._shared.catalogue.passages

    def _show(self) -> None:
        found = self._shared.catalogue.passages.get(self.list.key)
        if found is None or (self._shown is not None and found.id == self._shown.id):
            return
        self.keep_draft()
        self._open(found)

    def _open(self, passage: Passage) -> None:
        self._loading = True
        self._shown = passage
        kept = self._shared.own.drafts.get(_DRAFT + passage.id)
        shown = self._read(kept) or passage
        self.title_field.setText(shown.title)
        self.ledger.show_placeholders(shown.placeholders)
        content = Content(texts=shown.texts, placeholders=shown.placeholders)
        self.ledger.show_uses(letters.uses(content))
        self.manuscript.sheet.set_frame(self._frame())
        self.manuscript.show_content(content)
        self._loading = False
        own = passage.id == SIGNATURE
        leads = self._shared.leads
        self.title_field.setEnabled(not own)
        self.keep_button.setVisible(leads or own)
        self.drop.setVisible(leads and not own)
        self.earlier_button.setVisible(not own)
        self._show_users()
        self._back_to_text(focus=False)

    def _read(self, kept: bytes | None) -> Passage | None:
        try:
            return msgspec.json.decode(kept, type=Passage) if kept else None
        except UNREADABLE:
            self._shared.voice.say("An unfinished passage could not be read; it is as it was.")
            return None

    def _frame(self):  # type: ignore[no-untyped-def]
        """The look of the text, without the band and the foot that are not the passage's."""
        users = self._users()
        catalogue = self._shared.catalogue
        name = users[0].content.frame if users else next(iter(catalogue.frames), "")
        return replace(catalogue.frame(name), band="", logo="", foot=())

    def _show_users(self) -> None:
        users = self._users()
        self.users.show_choices([Choice(t.id, t.title, t.state) for t in users], self.users.key)
        if self.users.currentRow() < 0:
            self.users.choose_first()
        count = f"{len(users)} template{'' if len(users) == 1 else 's'}"
        said = f"A change reaches {count} at once." if users else "No template includes it yet."
        self.reach.setText(said)

    def begin(self) -> None:
        """Start a passage."""
        self.keep_draft()
        self.list.setCurrentRow(-1)
        self._open(Passage(self._shared.token(), ""))
        self.title_field.setFocus()

    # Following and keeping

    def _edited(self, *_args: object) -> None:
        if not self._loading:
            self._timer.start()

    def _declared(self) -> None:
        self.body.refresh()
        self._edited()

    def _insert(self, name: str) -> None:
        self.body.insert_placeholder(name)
        self.body.setFocus()

    def passage(self) -> Passage | None:
        """The passage as it stands on the page."""
        if self._shown is None:
            return None
        return replace(
            self._shown,
            title=self.title_field.text().strip(),
            texts=self.manuscript.content().texts,
            placeholders=tuple(self.ledger.placeholders),
        )

    def keep_draft(self) -> None:
        """Keep what is not in use yet, through a crash too."""
        self._timer.stop()
        made = self.passage()
        if made is None:
            return
        self.ledger.show_uses(letters.uses(Content(made.texts, made.placeholders)))
        key = _DRAFT + made.id
        same = made == self._shown
        if not same or key in self._shared.own.drafts:
            self._shared.own.keep_draft(key, None if same else msgspec.json.encode(made))

    def keep(self) -> None:
        """Put the passage in use: every template says it from now on."""
        made = self.passage()
        if made is None:
            return
        if not made.title:
            self._shared.voice.say("The passage has no title yet: give it one first.")
            self.title_field.setFocus()
            return
        library, voice, users = self._shared.library, self._shared.voice, len(self._users())

        def done(_result: object) -> None:
            self._shared.own.keep_draft(_DRAFT + made.id, None)
            if self._shown and self._shown.id == made.id:
                self._shown = made
            said = f"{users} template{'' if users == 1 else 's'} say it from now on"
            voice.say(f"“{made.title}” is in use" + (f"; {said}." if users else "."))

        def failed(error: NebbetError) -> None:
            self._told = made.id  # once told, who keeps it again means it
            voice.fail(error)
            self._shared.refresh()

        self._timer.stop()
        self._wanted = made.id
        me, now = self._shared.me, self._shared.now()
        if made.id != SIGNATURE:
            author = self._shared.my_id
            seen = None if self._told == made.id else self._shown
            self._told = ""
            self._shared.change(
                lambda: library.put(made, author=author, made=now, seen=seen), done, failed
            )
        elif me:
            own = with_signature(me, made)
            self._shared.change(lambda: library.put(own), done)
        else:
            voice.say("Say who you are first: click your name at the top.")

    def _remove(self) -> None:
        found, users = self._shown, self._users()
        if found is None or found.id == SIGNATURE:
            return
        if users:
            titles = ", ".join(t.title for t in users[:3])
            self._shared.voice.say(
                f"“{found.title}” stays: {len(users)} templates include it ({titles}). "
                "Take it out of them first."
            )
            return
        if self._shared.voice.ask(f"Remove “{found.title}”?", "No template includes it.", "Remove"):
            library = self._shared.library
            self._shared.own.keep_draft(_DRAFT + found.id, None)
            self._shown = None
            self._shared.change(lambda: library.remove_passage(found.id))

    # Seeing what it reaches

    def preview(self) -> None:
        """Show a template that includes the passage, with it as it stands here; or go back."""
        made, template = self.passage(), self._shared.catalogue.templates.get(self.users.key)
        if self._middle.currentWidget() is self.trial:
            self._back_to_text()
        elif made and template:
            catalogue = self._shared.catalogue
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
        if self.manuscript.find_bar.is_used:
            self.manuscript.close_find()
        elif self.manuscript.things.is_used:
            self.body.setFocus()
        elif self._middle.currentIndex() > 0:
            self._back_to_text()
        else:
            self.keep_draft()
            self.left.emit()
