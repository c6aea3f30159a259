"""The page of files: what is enclosed and shown, where, until when, and one in the place of
another."""

import mimetypes
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from nebbet.core.letter import Enclosure
from nebbet.core.records import fold
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.drops import FileDrop
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.session.intake import read_bytes
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.session.valid_until import last_day
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.unsaved import Form
from nebbet.library.disk import LARGEST_FILE
from nebbet.library.filing import FileUsers, remove_file, replace_file, uses_of_files
from nebbet.library.holdings import LibraryFile

_MOST_NAMED = 12  # places in the question
_LIMIT = f"A file may have at most {LARGEST_FILE // 2**20} MB; the same content is kept once."


class Files(ListPage[str]):
    """The list of files, the one at hand, and what uses it. open_template tells that a template is
    to be shown."""

    title = "Files"
    help = (
        "Every file that templates enclose or show. Put another one in the place of the file at "
        "hand with Ctrl+Alt+R: every template, passage and frame that uses it has the new one from "
        "then on, as an edition of its own. Ctrl+S keeps the last day on which it should go out, "
        "Return on a template shows it, Esc goes back to the shelves."
    )
    kinds = ("file", "template", "passage", "frame")
    open_template = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        self.until = QLineEdit()
        form = Form("file", str, self._show_day, self.until.setText, self.until.text)
        super().__init__(shared, "Files", form, LibraryFile)
        self._uses: dict[str, FileUsers] | None = None  # until it has been looked up
        self._new: Path | None = None
        self._asked = ""  # the file in whose place the new one is to come
        self.name, self.facts = pieces.label("", "title", wrap=True), pieces.label("", "note")
        self.picture = QLabel()
        theme.named(self.until, "Valid until")
        self.until.setPlaceholderText("no end, or 2027-03-31")
        self.until.setMinimumWidth(170)
        self.until.returnPressed.connect(self.keep_end)
        self.until.textEdited.connect(self.unsaved.edited)
        self.users = ChoiceList("Where it is used")
        self.users.itemActivated.connect(lambda _item: self._open_user())
        self.keep_button = pieces.button("Keep the day", self.keep_end, hint="Ctrl+S")
        self.replace_button = pieces.button("Replace everywhere…", self.ask_for_file, "primary")
        self.drop_button = pieces.button("Take out of the library", self.remove, "words")
        self.add = pieces.button("Add a file…", self.ask_for_new, "words", "Ctrl+Alt+A")
        self.about = pieces.label("", "doubt", wrap=True)
        self.go_button = pieces.button("Replace", self.go, "primary")
        self.stay_button = pieces.button("Leave it as it is (Esc)", self._stay)
        self.question = QWidget()
        self.for_leads = (
            self.keep_button,
            self.replace_button,
            self.drop_button,
            self.add,
            self.until,
        )
        self._lay_out()
        self.add_key("Back to the shelves", "Esc", self.leave)
        self.add_key("Keep the last day", "Ctrl+S", self.keep_end)
        self.add_key("Replace everywhere", "Ctrl+Alt+R", self.ask_for_file)
        self.add_key("Add a file", "Ctrl+Alt+A", self.ask_for_new)
        shared.pictures.loaded.connect(lambda _file: self._show_picture())

    def _lay_out(self) -> None:
        limit = pieces.label(_LIMIT, "note", wrap=True)
        files = FileDrop(self.take_paths)
        pieces.fill(QVBoxLayout(files), self.list)
        left = pieces.column(
            "left",
            pieces.row(self.back, None),
            files,
            pieces.row(self.add, None),
            limit,
            margin=8,
        )
        left.setFixedWidth(300)
        middle = QWidget()
        pieces.fill(
            QVBoxLayout(self.question),
            self.about,
            pieces.row(self.go_button, self.stay_button, None),
        )
        self.question.hide()
        end = pieces.row(pieces.label("Valid until", "faint"), self.until, self.keep_button, None)
        pieces.fill(
            QVBoxLayout(middle),
            self.name,
            self.facts,
            end,
            pieces.row(self.replace_button, self.drop_button, None),
            self.question,
            self.picture,
            None,
            margin=20,
            spacing=10,
        )
        right = pieces.column(
            "right", pieces.label("Where it is used", "heading"), pieces.rule(), self.users
        )
        right.setFixedWidth(300)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), right, spacing=0)

    # Showing

    def refresh(self, wanted: str = "") -> None:
        """Show the files as they are now, and where each is used as soon as that is known."""
        super().refresh(wanted)
        shared = self._shared
        shared.operations.run(
            partial(uses_of_files, shared.catalogue), self._came, shared.voice.fail
        )

    def _came(self, uses: dict[str, FileUsers]) -> None:
        self._uses = uses
        super().refresh()

    def choices(self) -> list[Choice]:
        known, mine = self._shared.catalogue.files, self._shared.own.letter_files
        used = self._uses or {}
        files = [(key, known[key]) for key in known if key not in mine or used.get(key)]
        return [self._row(key, file) for key, file in sorted(files, key=lambda p: fold(p[1].name))]

    def _row(self, key: str, file: LibraryFile) -> Choice:
        past = self._shared.catalogue.expired(key, self._shared.now().date())
        second = size_words(file.size)
        if file.valid_until:
            words = said("{size}, is valid until {day:%d %b %Y}", size=second, day=file.valid_until)
            if past:
                words = said(
                    "{size}, was valid until {day:%d %b %Y}", size=second, day=file.valid_until
                )
            second = words
        count = 0
        if self._uses is not None:
            users = self._uses.get(key, FileUsers())
            count = len(users.templates) + len(users.passages) + len(users.frames)
        aside = said("in {count}", count=count) if count else ""
        if self._uses is not None and not count:
            aside = said("unused")
        if self.unsaved.has_draft(key):
            aside = said("draft")
        tone = "brick" if past else ("" if count or self._uses is None else "ochre_edge")
        return Choice(key, file.name, second, aside, tone=tone)

    def record(self, key: str) -> LibraryFile | None:
        return self._shared.catalogue.files.get(key)

    def _show_day(self, file: object) -> None:
        day = file.valid_until if isinstance(file, LibraryFile) else None
        self.until.setText(day.isoformat() if day else "")

    def _users(self) -> FileUsers:
        return (self._uses or {}).get(self.list.key, FileUsers())

    def shown(self) -> None:
        if self._asked != self.list.key:
            self._stay()
        file, users = self.record(self.list.key), self._users()
        self.name.setText(file.name if file else said("No files yet"))
        self.facts.setText(f"{file.media_type}, {size_words(file.size)}" if file else "")
        for control in (self.until, self.keep_button, self.replace_button, self.drop_button):
            control.setEnabled(file is not None)
        self.users.show_choices(
            [
                *(Choice(t.id, t.title, f"edition {t.edition}", t.state) for t in users.templates),
                *(Choice("", p.title, "passage") for p in users.passages),
                *(Choice("", self._frame(name), "frame") for name in users.frames),
            ]
        )
        self._show_picture()

    def _frame(self, name: str) -> str:
        return self._shared.catalogue.frame(name).name or name

    def _show_picture(self) -> None:
        file = self._shared.catalogue.files.get(self.list.key)
        is_picture = file is not None and file.media_type.startswith("image/")
        image = self._shared.pictures.get(self.list.key) if is_picture else None
        self.picture.setVisible(image is not None)
        if image is not None:
            ways = (Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
            small = image.scaled(480, 320, *ways) if image.width() > 480 else image
            self.picture.setPixmap(QPixmap.fromImage(small))

    def _open_user(self) -> None:
        if self.users.key:
            self.open_template.emit(self.users.key)

    # Acts

    def keep_end(self) -> None:
        """Keep the last day on which the file should go out."""
        key, library = self.list.key, self._shared.library
        file, found = self.record(key), last_day(self._shared, key, self.until.text())
        if file and found:
            day, words = found
            changed = replace(file, valid_until=day)
            self.put(key, changed, lambda seen: library.set_valid_until(key, day, seen), words)

    def ask_for_file(self) -> None:
        """Choose the file that is to take the place of the one at hand."""
        if self.list.key and self.replace_button.isVisible():
            path, _ = QFileDialog.getOpenFileName(self.window(), "In the place of this file")
            if path:
                self.ask(Path(path))

    def ask(self, path: Path) -> None:
        """List what would be changed, before it is."""
        file = self.record(self.list.key)
        if file is None or self._uses is None:
            return
        self._new, self._asked = path, self.list.key
        users = self._users()
        where = [
            *(template.title for template in users.templates),
            *(said("the passage {name}", name=passage.title) for passage in users.passages),
            *(said("the frame {name}", name=self._frame(frame)) for frame in users.frames),
        ]
        shown = "; ".join(where[:_MOST_NAMED])
        if len(where) > _MOST_NAMED:
            shown = said("{places} and {count} more", places=shown, count=len(where) - _MOST_NAMED)
        self.about.setText(
            counted(
                "{new} takes the place of {old} in 1 place: {places}. Each template gets an "
                "edition that says so.",
                "{new} takes the place of {old} in {count} places: {places}. Each template gets an "
                "edition that says so.",
                count=len(where),
                new=path.name,
                old=file.name,
                places=shown,
            )
            if where
            else said(
                "{new} takes the place of {old}, which nothing uses.", new=path.name, old=file.name
            )
        )
        self.question.show()
        self.stay_button.setFocus()

    def go(self) -> None:
        """Put the new file in the place of the one at hand, everywhere."""
        shared, path, old = self._shared, self._new, self.list.key
        if path is None:
            return
        library, me, now = shared.library, shared.my_id, shared.now()
        media_type = mimetypes.guess_type(path.name)[0] or "application/octet-stream"

        def act() -> int:
            data = read_bytes(path)
            return replace_file(library, old, data, path.name, media_type, author=me, made=now)

        def done(count: int) -> None:
            shared.voice.say(
                counted(
                    "{name} stands in its place in 1 template now.",
                    "{name} stands in its place in {count} templates now.",
                    count=count,
                    name=path.name,
                )
            )

        self._stay()
        shared.change(act, done)  # type: ignore[arg-type]

    def _stay(self) -> None:
        self._new, self._asked = None, ""
        self.question.hide()

    def remove(self) -> None:
        """Take the file at hand out of the library, if nothing needs it."""
        shared, file = self._shared, self.list.key
        held, library = self.record(file), shared.library
        if held and shared.voice.ask(
            said("Take “{name}” out of the library?", name=held.name),
            said("It cannot be brought back from here."),
            said("Take out"),
        ):
            words = said("{name} is out of the library.", name=held.name)
            self.take_out(partial(remove_file, library, file), words)

    def ask_for_new(self) -> None:
        """Choose files to add."""
        if self.add.isVisible():
            paths, _ = QFileDialog.getOpenFileNames(self.window(), "Files for the library")
            self.take_paths(paths)

    def take_paths(self, paths: list[str]) -> None:
        """Take files into the library."""

        def added(enclosure: Enclosure) -> None:
            self._shared.voice.say(said("{name} is in the library.", name=enclosure.name))
            self._shared.refresh()

        self._shared.intake.add_files(paths, added)

    def leave(self) -> None:
        """Go back one step: from the question, then to the shelves."""
        if self.question.isVisible():
            self._stay()
        else:
            super().leave()
