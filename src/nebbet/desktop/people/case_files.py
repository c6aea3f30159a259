"""The files of a case: letters about it attach them from a list."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout

from nebbet.core.letter import Enclosure
from nebbet.core.records import Case
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.drops import FileDrop
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.disk import write_file

_TOGETHER = 250  # milliseconds within which files that come in are one change


class CaseFiles(FileDrop):
    """Lists the files of a case; more are added by a button or dropped here. wanted tells a case,
    the files that it is to have, by SHA-256, and what to say then."""

    wanted = Signal(object, object, str)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__(self.take_paths)
        self._shared = shared
        self._case: Case | None = None
        self._coming: dict[str, str] = {}  # names of files that the case is to have, by SHA-256
        self._soon = after_pause(self, _TOGETHER, self._add)
        self._rows = QVBoxLayout()
        self.add = pieces.button(said("Add a file…"), self.ask_for_files, "words", "Ctrl+Alt+Y")
        head = pieces.row(pieces.label(said("Files"), "heading"), None, self.add)
        pieces.fill(QVBoxLayout(self), head, self._rows, spacing=2)
        pieces.keep_low(self)

    def show_case(self, case: Case) -> None:
        """Show the files of a case."""
        if self._case is not None and self._case.id != case.id:
            self._add()
            self._coming.clear()
        self._case = case
        for key in case.files:
            self._coming.pop(key, None)
        if self._coming:
            self._soon.start()
        pieces.clear(self._rows)
        for key in case.files:
            self._rows.addLayout(self._row(key))

    def _row(self, key: str) -> QHBoxLayout:
        held = self._shared.catalogue.files.get(key)
        name = held.name if held else said("a file that is not in the library any more")
        shown = pieces.label(name, wrap=True)
        size = pieces.label(size_words(held.size) if held else "", "note")
        save = pieces.button(said("save…"), partial(self.ask_where, key, name), "words")
        theme.named(save, said("Save {name}", name=name))
        save.setVisible(held is not None)
        drop = pieces.tool(
            "x", said("Take {name} out of the case", name=name), partial(self._drop, key, name)
        )
        made = QHBoxLayout()
        pieces.fill(made, pieces.grow(shown), size, save, drop)
        return made

    def take_paths(self, paths: list[str]) -> None:
        """Take files into the library and put them with the case."""
        of = self._case
        if of is None:
            return

        def added(enclosure: Enclosure) -> None:
            case = self._case
            if case is not None and case.id == of.id and enclosure.file not in case.files:
                self._coming[enclosure.file] = enclosure.name
                self._soon.start()

        self._shared.intake.add_files(paths, added, for_a_letter=True)

    def _add(self) -> None:
        """Let the case have what came in, several files at once."""
        self._soon.stop()
        case, names = self._case, list(self._coming.values())
        if case is None or not names:
            return
        words = said("{name} is with the case.", name=names[0])
        if len(names) > 1:
            words = said("{count} files are with the case.", count=len(names))
        self.wanted.emit(case, (*case.files, *self._coming), words)

    def _drop(self, key: str, name: str) -> None:
        if self._case is not None:
            left = tuple(one for one in self._case.files if one != key)
            words = said("{name} is not with the case any more.", name=name)
            self.wanted.emit(self._case, left, words)

    def ask_where(self, key: str, name: str) -> None:
        """Choose where a file is to lie."""
        safe = Path(name).name or "file"
        where, _ = QFileDialog.getSaveFileName(
            self.window(), said("Where is {name} to lie?", name=safe), safe
        )
        if where:
            self.save(key, Path(where))

    def save(self, key: str, path: Path) -> None:
        """Write a file of the case somewhere."""
        shared = self._shared
        shared.reads.run(
            lambda: write_file(path, shared.library.file_bytes(key), overwrite=True),
            lambda _done: shared.voice.say(said("{name} is there now.", name=path.name)),
            shared.voice.fail,
        )
