"""Taking files, pictures and pasted text into the library while somebody writes."""

import mimetypes
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtGui import QImage

from nebbet.core.body import Body, verbatim
from nebbet.core.letter import Enclosure
from nebbet.core.sentences import said
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.kit.pictures import png_of
from nebbet.desktop.session.own import Own
from nebbet.library.disk import read_file
from nebbet.library.holdings import LibraryFile

if TYPE_CHECKING:
    from nebbet.library.store import Library

LARGEST_PASTE = 2 * 2**20  # characters of markup


class Intake:
    """Does so in the background; what it is asked for with is told once it is there."""

    def __init__(
        self,
        library: "Callable[[], Library]",
        operations: Operations,
        voice: Voice,
        know_files: Callable[[Mapping[str, LibraryFile]], None],
        own: Own,
    ) -> None:
        self._library, self._operations, self._voice = library, operations, voice
        self._know_files, self._own = know_files, own

    def add_files(
        self,
        paths: list[str],
        done: Callable[[Enclosure], None],
        *,
        for_a_letter: bool = False,
    ) -> None:
        """Take files into the library, one by one; a bad one is told and the rest go on. What is
        for a letter alone is no file of the team's, unless it was before."""

        for path in map(Path, paths):
            self._take(partial(read_bytes, path), path.name, done, for_a_letter=for_a_letter)

    def add_made(self, data: bytes, name: str, done: Callable[[Enclosure], None]) -> None:
        """Take in a file that was made for a letter."""
        self._take(lambda: data, name, done, for_a_letter=True)

    def _take(
        self,
        read: Callable[[], bytes],
        name: str,
        done: Callable[[Enclosure], None],
        *,
        for_a_letter: bool,
    ) -> None:
        def put() -> tuple[Enclosure, bool]:
            """The file as it may be enclosed, and whether the library did not have it before."""
            known = self._library().files()
            data = read()
            media_type = mimetypes.guess_type(name)[0] or "application/octet-stream"
            file = self._library().put_file(data, name, media_type)
            return Enclosure(file, name, media_type, len(data)), file not in known

        def added(taken: tuple[Enclosure, bool]) -> None:
            enclosure, is_new = taken
            if is_new or not for_a_letter:
                self._own.note_letter_file(enclosure.file, only_in_letters=for_a_letter)
            self._added(enclosure, done)

        self._operations.run(put, added, self._voice.fail)

    def add_pictures(self, paths: list[str], done: Callable[[Enclosure], None]) -> None:
        """Take pictures that a text is to show into the library."""
        for path in map(Path, paths):
            self._take_picture(partial(read_bytes, path), path.name, done)

    def put_picture(self, image: QImage, name: str, done: Callable[[Enclosure], None]) -> None:
        """Take a picture that is in memory into the library."""
        self._take_picture(partial(png_of, image), name, done)

    def _take_picture(
        self, read: Callable[[], bytes], name: str, done: Callable[[Enclosure], None]
    ) -> None:
        def take() -> Enclosure:
            from nebbet.library.intake import put_picture

            data = read()
            media_type = mimetypes.guess_type(name)[0] or "image/png"
            return Enclosure(put_picture(self._library(), data, name), name, media_type, len(data))

        self._operations.run(take, lambda made: self._added(made, done), self._voice.fail)

    def read_pasted(self, markup: str, plain: str, done: Callable[[Body], None]) -> None:
        """Read pasted HTML in the background; of too much of it, only the words are taken."""
        if len(markup) > LARGEST_PASTE:
            self._voice.say(
                said(
                    "What was copied is {size:.0f} MB of HTML: only its words were pasted, up to "
                    "100,000 signs.",
                    size=len(markup) / 2**20,
                )
            )
            done(verbatim(plain[:100_000]))
            return

        def read() -> tuple[Body, dict[str, LibraryFile]]:
            from nebbet.library.intake import read_pasted

            return read_pasted(self._library(), markup), self._library().files()

        def came(found: tuple[Body, dict[str, LibraryFile]]) -> None:
            self._know_files(found[1])
            done(found[0])

        self._operations.run(read, came, self._voice.fail)

    def _added(self, enclosure: Enclosure, done: Callable[[Enclosure], None]) -> None:
        file = LibraryFile(enclosure.name, enclosure.media_type, enclosure.size)
        self._know_files({enclosure.file: file})
        done(enclosure)


def read_bytes(path: Path) -> bytes:
    """The content of a file on disk. Raises NebbetError, before a huge one fills the memory."""
    return read_file(path, path.name, "It was not added")
