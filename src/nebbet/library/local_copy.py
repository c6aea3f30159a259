"""A copy of a team's library on this machine, for when its server does not answer."""

import hashlib
from collections.abc import Iterable
from datetime import datetime
from pathlib import Path

import msgspec
from msgspec import Struct

from nebbet.core.errors import UNREADABLE
from nebbet.library.catalogue import Catalogue
from nebbet.library.disk import disk_explained
from nebbet.library.holdings import Role

_CANNOT = "The copy of the library on this computer cannot be kept"


class Kept(Struct, frozen=True):
    """The library as it was at a moment, and what the person may do in it. place is the library's,
    without a password; beside is what others keep with it."""

    place: str
    moment: datetime
    role: Role
    catalogue: Catalogue
    beside: bytes = b""


class LocalCopy:
    """A folder with the catalogue and the files' contents. It is only ever read when the server is
    away, and written whole or not at all."""

    def __init__(self, folder: Path, place: str) -> None:
        self._folder, self._place = folder, place
        self._files = folder / "files"

    def read(self) -> Kept | None:
        """What was kept last of this library; nothing where that is not there or damaged."""
        try:
            kept = msgspec.msgpack.decode((self._folder / "library").read_bytes(), type=Kept)
        except (OSError, *UNREADABLE):
            return None
        return kept if kept.place == self._place else None

    def keep(self, moment: datetime, role: Role, catalogue: Catalogue, beside: bytes) -> None:
        """Keep the library as it is now, in the place of what was kept before."""
        data = msgspec.msgpack.encode(Kept(self._place, moment, role, catalogue, beside))
        with disk_explained(_CANNOT):
            self._folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            _write(self._folder / "library", data)

    def missing(self, files: Iterable[str]) -> list[str]:
        """Those of the files, by SHA-256, whose contents are not kept."""
        return [file for file in files if not (self._files / file).exists()]

    def keep_file(self, data: bytes) -> str:
        """Keep the content of a file and return its SHA-256."""
        sha256 = hashlib.sha256(data).hexdigest()
        with disk_explained(_CANNOT):
            self._files.mkdir(mode=0o700, parents=True, exist_ok=True)
            _write(self._files / sha256, data)
        return sha256

    def file(self, sha256: str) -> bytes | None:
        """The content of a file, if it is kept whole."""
        try:
            data = (self._files / sha256).read_bytes()
        except OSError:
            return None
        return data if hashlib.sha256(data).hexdigest() == sha256 else None

    def forget_files(self, needed: Iterable[str]) -> None:
        """Let go of all files but those that are needed."""
        kept = set(needed)
        with disk_explained(_CANNOT):
            for path in self._files.iterdir() if self._files.exists() else ():
                if path.name not in kept:
                    path.unlink()


def _write(path: Path, data: bytes) -> None:
    part = path.with_name(f"{path.name}.part")
    part.write_bytes(data)
    part.replace(path)
