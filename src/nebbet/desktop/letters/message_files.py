"""What can be done with the files of an arrived message: opened outside, put with the case."""

import hashlib
from pathlib import Path, PurePath

from msgspec.structs import replace
from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices

from nebbet.core.letter import Enclosure
from nebbet.core.records import Case
from nebbet.core.sentences import said
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.disk import write_file
from nebbet.library.people_writing import Changed

# Endings of files that do something when they are opened; from memory, no source.
_ENDINGS = (
    ".sh .bash .desktop .appimage .run .py .pl .rb .js .jar .exe .bat .cmd .com .msi .ps1 .vbs "
    ".scr .deb .rpm .so .bin .html .htm .svg .xhtml"
)
_ACTS = frozenset(_ENDINGS.split())
_FOR_ME_ALONE = 0o600


def acts(name: str) -> bool:
    """Whether a file may do something when it is opened, by its ending.

    >>> acts("photo.png"), acts("Invoice.pdf.SH")
    (False, True)
    """
    return PurePath(name).suffix.casefold() in _ACTS


class MessageFiles:
    """Does so in the background; folder is where files lie that were opened."""

    def __init__(self, shared: SharedLibrary, folder: Path) -> None:
        self._shared, self._folder = shared, folder

    def open_outside(self, name: str, data: bytes) -> None:
        """Open a file with the desktop's program for it; what could act by itself is not opened."""
        voice = self._shared.voice
        if acts(name):
            voice.say(said("{name} could do something when it is opened: save it, if you know whom "
                           "it is from.", name=name))  # fmt: skip
            return
        # One folder for each content: two files of one name never stand for each other.
        place = self._folder / hashlib.sha256(data).hexdigest()[:16]
        path = place / (PurePath(name).name or "file")

        def write() -> Path:
            place.mkdir(mode=0o700, parents=True, exist_ok=True)
            write_file(path, data, overwrite=True)
            path.chmod(_FOR_ME_ALONE)
            return path

        self._shared.reads.run(write, self._show, voice.fail)

    def _show(self, path: Path) -> None:
        if not QDesktopServices.openUrl(QUrl.fromLocalFile(str(path))):
            self._shared.voice.say(
                said("No program opens {name} here; it lies at {path}.", name=path.name, path=path)
            )

    def put_with(self, case: Case, name: str, data: bytes) -> None:
        """Put a file with a case."""
        shared = self._shared

        def added(enclosure: Enclosure) -> None:
            shared.people.ask(
                lambda people: people.case(case.id),
                lambda now: self._put(now or case, enclosure),
            )

        shared.intake.add_made(data, name, added)

    def _put(self, case: Case, enclosure: Enclosure) -> None:
        shared = self._shared
        if enclosure.file in case.files:
            shared.voice.say(said("{name} is with the case already.", name=enclosure.name))
            return
        changed = Changed(case, replace(case, files=(*case.files, enclosure.file)))
        shared.change(
            lambda: shared.library.change_people([changed]),
            lambda _done: shared.voice.say(
                said("{name} is with {number} now.", name=enclosure.name, number=case.number)
            ),
        )
