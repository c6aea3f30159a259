"""Templates come in from files, and go out into them."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shelves.import_report import ImportReport, Outcome
from nebbet.desktop.shelves.packs import Packs
from nebbet.library.holdings import Shelf, Template

if TYPE_CHECKING:
    from nebbet.library.intake import Taken

_ORDINARY = "Messages, pages and notes (*.eml *.html *.htm *.md *.txt)"
_FINISHED = "Messages and pages that keep their own look (*.eml *.html *.htm)"
_MESSAGE, _PAGE = "Message (*.eml)", "Page (*.html)"
_UNNAMEABLE = '<>:"/\\|?*'


class FilesInAndOut(QObject):
    """Makes drafts of files, and files of templates.

    taken tells the id of a template to go on with, and what is to be said of it.
    """

    taken = Signal(str, str)

    def __init__(self, shared: SharedLibrary, window: QWidget) -> None:
        super().__init__(window)
        self._shared = shared
        self.packs = Packs(shared, window)
        self.report = ImportReport(window)
        self.report.opened.connect(lambda key: self.taken.emit(key, ""))

    # In

    def ask_for_files(self, shelf: Shelf) -> None:
        """Choose files that are to become templates on a shelf, and how."""
        paths, how = QFileDialog.getOpenFileNames(
            self._window(), "Import as templates", "", f"{_ORDINARY};;{_FINISHED}"
        )
        self.import_files(paths, shelf, finished=how == _FINISHED)

    def import_files(self, paths: list[str], shelf: Shelf, *, finished: bool = False) -> None:
        """Make a draft of each file. One alone is opened; of several, each has its line."""
        shared = self._shared
        outcomes: dict[int, Outcome] = {}

        def came(number: int, outcome: Outcome) -> None:
            outcomes[number] = outcome
            if len(outcomes) == len(paths) and len(paths) > 1:
                shared.refresh()
                self.report.show_outcomes([outcomes[n] for n in sorted(outcomes)])

        def took(number: int, taken: "Taken") -> None:
            shared.own.keep_draft(taken.id, msgspec.json.encode(taken.draft))
            named = {"title": taken.draft.title, "shelf": shelf.name}
            sentence = said("“{title}” is a draft on “{shelf}” now.", **named)
            if taken.removed:
                sentence = said(
                    "“{title}” is a draft on “{shelf}” now. Taken out: {gone}.",
                    gone=", ".join(taken.removed),
                    **named,
                )
            came(number, Outcome(sentence, taken.id))
            if len(paths) == 1:
                self.taken.emit(taken.id, sentence)

        def failed(number: int, error: NebbetError) -> None:
            came(number, Outcome(error.sentence))
            if len(paths) == 1:
                shared.voice.fail(error)

        for number, path in enumerate(map(Path, paths)):
            shared.operations.run(
                partial(self._take_in, path, shelf, shared.token(), finished),
                partial(took, number),
                partial(failed, number),
            )

    def _take_in(self, path: Path, shelf: Shelf, token: str, finished: bool) -> "Taken":
        from nebbet.library.intake import take_in

        self._shared.library.make_sure_of(shelf)
        return take_in(self._shared.library, path, shelf.id, token, finished=finished)

    # Out

    def ask_where(self, template: Template, language: str) -> None:
        """Choose a file and write a template into it, with its placeholders as written."""
        name = "".join(" " if sign in _UNNAMEABLE else sign for sign in template.title).strip()
        path, how = QFileDialog.getSaveFileName(
            self._window(), "Export the template", f"{name}.eml", f"{_MESSAGE};;{_PAGE}"
        )
        if path:
            suffix = ".html" if how == _PAGE else Path(path).suffix or ".eml"
            chosen = Path(path)
            if not chosen.name.casefold().endswith(suffix):
                # The box asked about the name without the ending: this one must not be there.
                chosen = chosen.with_name(f"{chosen.stem}{suffix}")
            self.export(template, language, chosen, overwrite=chosen == Path(path))

    def export(
        self, template: Template, language: str, path: Path, *, overwrite: bool = False
    ) -> None:
        """Write a template as a page where the name says so, else as a message. overwrite says that
        a file of that name may go."""
        shared = self._shared
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

    def _window(self) -> QWidget | None:
        parent = self.parent()
        return parent.window() if isinstance(parent, QWidget) else None
