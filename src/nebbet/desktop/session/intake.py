"""Taking files, pictures and pasted text into the library while somebody writes."""

import mimetypes
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from nebbet.core.body import Body, verbatim
from nebbet.core.letter import Enclosure
from nebbet.library.catalogue import LibraryFile
from nebbet.library.disk import read_file

if TYPE_CHECKING:
    from nebbet.desktop.session.session import Session

LARGEST_PASTE = 2 * 2**20  # characters of markup


class Intake:
    """Does so in the background; what it is asked for with is told once it is there."""

    def __init__(self, session: "Session") -> None:
        self._session = session

    def add_files(self, paths: list[str], done: Callable[[Enclosure], None]) -> None:
        """Take files into the library, one by one; a bad one is told and the rest go on."""
        for path in map(Path, paths):
            self._session.operations.run(
                partial(self._read_file, path),
                lambda enclosure: self._added(enclosure, done),
                self._session.voice.fail,
            )

    def _read_file(self, path: Path) -> Enclosure:
        data = read_bytes(path)
        media_type = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
        file = self._session.library.put_file(data, path.name, media_type)
        return Enclosure(file, path.name, media_type, len(data))

    def add_pictures(self, paths: list[str], done: Callable[[Enclosure], None]) -> None:
        """Take pictures that a text is to show into the library."""
        for path in map(Path, paths):
            self._take_picture(partial(read_bytes, path), path.name, done)

    def put_picture(self, data: bytes, name: str, done: Callable[[Enclosure], None]) -> None:
        """Take a picture that is in memory into the library."""
        self._take_picture(lambda: data, name, done)

    def _take_picture(
        self, read: Callable[[], bytes], name: str, done: Callable[[Enclosure], None]
    ) -> None:
        def take() -> Enclosure:
            from nebbet.library.intake import put_picture

            data = read()
            media_type = mimetypes.guess_type(name)[0] or "image/png"
            return Enclosure(
                put_picture(self._session.library, data, name), name, media_type, len(data)
            )

        self._session.operations.run(
            take, lambda made: self._added(made, done), self._session.voice.fail
        )

    def read_pasted(self, markup: str, plain: str, done: Callable[[Body], None]) -> None:
        """Read pasted HTML in the background; of too much of it, only the words are taken."""
        if len(markup) > LARGEST_PASTE:
            self._session.voice.say(
                f"What was copied is {len(markup) / 2**20:.0f} MB of HTML: only its words were "
                "pasted, up to 100,000 signs."
            )
            done(verbatim(plain[:100_000]))
            return

        def read() -> tuple[Body, dict[str, LibraryFile]]:
            from nebbet.library.intake import read_pasted

            return read_pasted(self._session.library, markup), self._session.library.files()

        def came(found: tuple[Body, dict[str, LibraryFile]]) -> None:
            self._session.know_files(found[1])
            done(found[0])

        self._session.operations.run(read, came, self._session.voice.fail)

    def _added(self, enclosure: Enclosure, done: Callable[[Enclosure], None]) -> None:
        self._session.know_file(enclosure)
        done(enclosure)


def read_bytes(path: Path) -> bytes:
    """The content of a file on disk. Raises NebbetError, before a huge one fills the memory."""
    return read_file(path, path.name, "It was not added")
