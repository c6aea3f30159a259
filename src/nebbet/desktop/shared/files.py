"""The page of files: what is enclosed and shown, where, until when, and one in the place of
another."""

import mimetypes
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from nebbet.core.letter import Enclosure
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.drops import FileDrop
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.intake import read_bytes
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.session.valid_until import set_valid_until
from nebbet.library.changes import Change
from nebbet.library.disk import LARGEST_FILE
from nebbet.library.filing import FileUsers, remove_file, replace_file, uses_of_files

_LIMIT = f"A file may have at most {LARGEST_FILE // 2**20} MB; the same content is kept once."


class Files(Place):
    """The list of files, the one at hand, and what uses it. left tells that the person goes back,
    open_template that a template is to be shown."""

    title = "Files"
    help = (
        "Every file that templates enclose or show. Put another one in the place of the file at "
        "hand with Ctrl+Alt+R: every template, passage and frame that uses it has the new one from "
        "then on, as an edition of its own. Ctrl+S keeps the last day on which it should go out, "
        "Return on a template shows it, Esc goes back to the shelves."
    )
    open_template = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._uses: dict[str, FileUsers] = {}
        self._new: Path | None = None
        self.list = ChoiceList("Files")
        self.name, self.facts = pieces.label("", "title", wrap=True), pieces.label("", "note")
        self.picture = QLabel()
        self.until = QLineEdit()
        theme.named(self.until, "Valid until")
        self.until.setPlaceholderText("no end, or a day: 2027-03-31")
        self.until.setMinimumWidth(200)
        self.until.returnPressed.connect(self.keep_end)
        self.users = ChoiceList("Where it is used")
        self.users.itemActivated.connect(lambda _item: self._open())
        self.keep_button = pieces.button("Keep the day", self.keep_end, hint="Ctrl+S")
        self.replace_button = pieces.button("Replace everywhere…", self.ask_for_file, "primary")
        self.drop_button = pieces.button("Take out of the library", self.take_out, "words")
        self.add = pieces.button("Add a file…", self.ask_for_new, "words", "Ctrl+Alt+A")
        self.back = pieces.button("Back to the shelves (Esc)", self.leave)
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
        self.list.currentItemChanged.connect(lambda *_: self._show())
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
        left.setFixedWidth(340)
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
        right.setFixedWidth(340)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), right, spacing=0)

    def arrive(self) -> None:
        self.list.setFocus()

    def follow(self, change: Change) -> None:
        """The library has changed."""
        if change.touches("file", "template", "passage", "frame"):
            self.refresh()

    # Showing

    def refresh(self) -> None:
        """Show the files as they are now, once it is known where each is used."""
        shared = self._shared
        shared.operations.run(
            partial(uses_of_files, shared.catalogue), self._came, shared.voice.fail
        )

    def _came(self, uses: dict[str, FileUsers]) -> None:
        catalogue, self._uses = self._shared.catalogue, uses
        day = self._shared.now().date()
        choices = []
        for key, file in sorted(catalogue.files.items(), key=lambda p: p[1].name.casefold()):
            users = self._uses.get(key, FileUsers())
            count = len(users.templates) + len(users.passages) + len(users.frames)
            past = catalogue.expired(key, day)
            second = size_words(file.size)
            if file.valid_until:
                second += f", {'was' if past else 'is'} valid until {file.valid_until:%d %b %Y}"
            aside = f"in {count}" if count else "unused"
            tone = "brick" if past else ("" if count else "ochre_edge")
            choices.append(Choice(key, file.name, second, aside, tone=tone))
        self.list.show_choices(choices, self.list.key)
        if self.list.currentRow() < 0:
            self.list.choose_first()
        self._show()

    def _show(self) -> None:
        self._stay()
        file = self._shared.catalogue.files.get(self.list.key)
        users = self._uses.get(self.list.key, FileUsers())
        self.name.setText(file.name if file else "No files yet")
        self.facts.setText(f"{file.media_type}, {size_words(file.size)}" if file else "")
        self.until.setText(file.valid_until.isoformat() if file and file.valid_until else "")
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

    def _open(self) -> None:
        if self.users.key:
            self.open_template.emit(self.users.key)

    # Acts

    def keep_end(self) -> None:
        """Keep the last day on which the file should go out."""
        set_valid_until(self._shared, self.list.key, self.until.text())

    def ask_for_file(self) -> None:
        """Choose the file that is to take the place of the one at hand."""
        if self.list.key and self.replace_button.isVisible():
            path, _ = QFileDialog.getOpenFileName(self.window(), "In the place of this file")
            if path:
                self.ask(Path(path))

    def ask(self, path: Path) -> None:
        """List what would be changed, before it is."""
        file, users = self._shared.catalogue.files[self.list.key], self._uses.get(self.list.key)
        self._new = path
        titles = [t.title for t in users.templates] if users else []
        shown = "; ".join(titles[:12]) + (f" and {len(titles) - 12} more" if titles[12:] else "")
        also = []
        if users and users.passages:
            also.append(f"passages: {', '.join(p.title for p in users.passages)}")
        if users and users.frames:
            also.append(f"frames: {', '.join(map(self._frame, users.frames))}")
        count = f"{len(titles)} template{'' if len(titles) == 1 else 's'}"
        self.about.setText(
            f"{path.name} takes the place of {file.name} in {count}"
            + (f" ({shown})" if titles else "")
            + "".join(f"; {more}" for more in also)
            + ". Each template gets an edition that says so."
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
            where = f"{count} template{'' if count == 1 else 's'}"
            shared.voice.say(f"{path.name} stands in its place in {where} now.")

        self._stay()
        shared.change(act, done)  # type: ignore[arg-type]

    def _stay(self) -> None:
        self._new = None
        self.question.hide()

    def take_out(self) -> None:
        """Take the file at hand out of the library, if nothing needs it."""
        shared, file = self._shared, self.list.key
        held, library = shared.catalogue.files.get(file), shared.library
        if held and shared.voice.ask(
            f"Take “{held.name}” out of the library?",
            "It cannot be brought back from here.",
            "Take out",
        ):
            shared.change(
                partial(remove_file, library, file),
                lambda _done: shared.voice.say(f"{held.name} is out of the library."),
            )

    def ask_for_new(self) -> None:
        """Choose files to add."""
        if self.add.isVisible():
            paths, _ = QFileDialog.getOpenFileNames(self.window(), "Files for the library")
            self.take_paths(paths)

    def take_paths(self, paths: list[str]) -> None:
        """Take files into the library."""

        def added(enclosure: Enclosure) -> None:
            self._shared.voice.say(f"{enclosure.name} is in the library.")
            self._shared.refresh()

        self._shared.intake.add_files(paths, added)

    def leave(self) -> None:
        """Go back one step: from the question, then to the shelves."""
        if self.question.isVisible():
            self._stay()
        else:
            self.left.emit()
