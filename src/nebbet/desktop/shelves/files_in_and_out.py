"""Templates come in from files, and go out into them."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.holdings import Template

if TYPE_CHECKING:
    from nebbet.library.intake import Taken

_ORDINARY = "Messages, pages and notes (*.eml *.html *.htm *.md *.txt)"
_FINISHED = "Messages and pages that keep their own look (*.eml *.html *.htm)"
_PACKS = "Packs of a library (*.zip)"
_MESSAGE, _PAGE = "Message (*.eml)", "Page (*.html)"
_WHOLE = "Pack of the whole library (*.zip)"
_UNNAMEABLE = '<>:"/\\|?*'


class FilesInAndOut(QObject):
    """Makes drafts of files, and files of templates.

    taken tells the id of a template that was made and what is to be said of it.
    """

    taken = Signal(str, str)

    def __init__(self, shared: SharedLibrary, window: QWidget) -> None:
        super().__init__(window)
        self._shared = shared

    # In

    def ask_for_files(self, shelf: str) -> None:
        """Choose files that are to become templates, and how."""
        paths, how = QFileDialog.getOpenFileNames(
            self._window(), "Import as templates", "", f"{_ORDINARY};;{_FINISHED};;{_PACKS}"
        )
        self.import_files(paths, shelf, finished=how == _FINISHED)

    def import_files(self, paths: list[str], shelf: str, *, finished: bool = False) -> None:
        """Make a draft of each file; the last one is told. A bad file is said, and the others go
        on."""
        shared = self._shared
        packs = [Path(path) for path in paths if path.casefold().endswith(".zip")]
        for path in packs:
            shared.change(partial(self._take_pack, path), partial(self._took_pack, path))
        paths = [path for path in paths if Path(path) not in packs]
        for number, path in enumerate(map(Path, paths), 1):
            token, last = shared.token(), number == len(paths)
            shared.operations.run(
                partial(self._take_in, path, shelf, token, finished),
                partial(self._took, last),
                shared.voice.fail,
            )

    def _take_in(self, path: Path, shelf: str, token: str, finished: bool) -> "Taken":
        from nebbet.library.intake import take_in

        return take_in(self._shared.library, path, shelf, token, finished=finished)

    def _took(self, last: bool, taken: "Taken") -> None:
        self._shared.own.keep_draft(taken.id, msgspec.json.encode(taken.draft))
        gone = f" Taken out: {', '.join(taken.removed)}." if taken.removed else ""
        if last:
            self.taken.emit(taken.id, f"“{taken.draft.title}” is a draft now.{gone}")

    def _take_pack(self, path: Path) -> list[str]:
        from nebbet.library.packs import read_pack, take_pack

        shared = self._shared
        author, now = shared.my_id, shared.now()
        return take_pack(shared.library, read_pack(path), author=author, made=now)

    def _took_pack(self, path: Path, done: object) -> None:
        said = ", ".join(done) if isinstance(done, list) else ""
        self._shared.voice.say(f"{path.name} is merged into the library: {said}.")

    # Out

    def ask_where(self, template: Template, language: str) -> None:
        """Choose a file and write a template into it, with its placeholders as written."""
        name = "".join(" " if sign in _UNNAMEABLE else sign for sign in template.title).strip()
        path, how = QFileDialog.getSaveFileName(
            self._window(), "Export the template", f"{name}.eml", f"{_MESSAGE};;{_PAGE};;{_WHOLE}"
        )
        if path:
            suffix = {_PAGE: ".html", _WHOLE: ".zip"}.get(how, Path(path).suffix or ".eml")
            chosen = Path(path)
            if not chosen.name.casefold().endswith(suffix):
                # The box asked about the name without the ending: this one must not be there.
                chosen = chosen.with_name(f"{chosen.stem}{suffix}")
            self.export(template, language, chosen, overwrite=chosen == Path(path))

    def export(
        self, template: Template, language: str, path: Path, *, overwrite: bool = False
    ) -> None:
        """Write a template as a page where the name says so, the whole library as a pack, else the
        template as a message. overwrite says that a file of that name may go."""
        shared = self._shared
        if path.suffix.casefold() == ".zip":
            self._write_pack(path, overwrite=overwrite)
            return
        catalogue = shared.catalogue
        content = catalogue.included(template.content)
        frame = catalogue.frame(content.frame)

        def write() -> None:
            from nebbet.core.message import exporting
            from nebbet.library.disk import write_file

            if path.suffix.casefold() in (".html", ".htm"):
                data = exporting.as_html(content, frame, shared.files, language).encode("utf-8")
            else:
                data = exporting.as_message(
                    content,
                    shared.me,
                    frame,
                    shared.files,
                    language,
                    now=shared.now(),
                    token=shared.token,
                )
            write_file(path, data, overwrite=overwrite, kept="The template is unchanged")

        shared.operations.run(
            write,
            lambda _result: shared.voice.say(f"“{template.title}” is in {path.name} now."),
            shared.voice.fail,
        )

    def _write_pack(self, path: Path, *, overwrite: bool) -> None:
        shared, catalogue = self._shared, self._shared.catalogue

        def write() -> int:
            from nebbet.library.packs import write_pack

            return write_pack(shared.library, catalogue, path, overwrite=overwrite)

        shared.operations.run(
            write,
            lambda count: shared.voice.say(f"The library is in {path.name}: {count} templates."),
            shared.voice.fail,
        )

    def _window(self) -> QWidget | None:
        parent = self.parent()
        return parent.window() if isinstance(parent, QWidget) else None
