"""Where Nebbet keeps its files: the XDG base directories, or one folder by NEBBET_HOME."""

import fcntl
from collections.abc import Mapping
from pathlib import Path
from typing import IO

import platformdirs
from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.library.disk import close_to_others, disk_explained

LETTERS_LOG = "nebbet.letters"  # the log of what becomes of letters: never what they say


class Home(Struct, frozen=True):
    """The folders of one person. state is for what may be thrown away; where none is named, it is
    with the data."""

    config: Path
    data: Path
    state: Path | None = None

    @property
    def log_file(self) -> Path:
        """What went wrong, and which letter went when."""
        return (self.state or self.data) / "nebbet.log"

    @property
    def settings_file(self) -> Path:
        """The person's settings."""
        return self.config / "config.toml"

    @property
    def personal_file(self) -> Path:
        """Open letters and the outbox."""
        return self.data / "personal.sqlite"

    @property
    def library_file(self) -> Path:
        """The library, unless the settings name another."""
        return self.data / "library.sqlite"

    @property
    def window_file(self) -> Path:
        """Where the window was, and how large, when it was closed."""
        return self.data / "window"

    @property
    def copy_folder(self) -> Path:
        """The copy of a server's library."""
        return self.data / "library-copy"

    @property
    def mail_folder(self) -> Path:
        """The mailboxes of the stand-in mail service."""
        return self.data / "mail"


def find_home(environment: Mapping[str, str]) -> Home:
    """The home that the environment asks for; nothing is made yet."""
    if folder := environment.get("NEBBET_HOME"):
        return home_in(Path(folder).expanduser())
    return Home(
        Path(platformdirs.user_config_path("nebbet")),
        Path(platformdirs.user_data_path("nebbet")),
        Path(platformdirs.user_state_path("nebbet")),
    )


def home_in(folder: Path) -> Home:
    """A home that lies in one folder."""
    return Home(folder, folder)


class HomeTaken(NebbetError):
    """Another Nebbet has the home."""


def take_home(home: Home) -> IO[str]:
    """Make a home one's own as long as the returned file is open.

    Raises HomeTaken when another Nebbet has it: two would each send what waits there.
    """
    make_home(home)
    with disk_explained(f"The folder {home.data} cannot be used", "Nothing was written"):
        taken = (home.data / "in use").open("w", encoding="utf-8")
    try:
        fcntl.flock(taken, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        taken.close()
        raise HomeTaken(
            f"Nebbet is already open in the folder {home.data}",
            kept="Nothing was changed",
            advice="Go to its window, or set NEBBET_HOME to another folder",
        ) from None
    return taken


def make_home(home: Home) -> None:
    """Make the folders, which nobody else may look into; what is there and more open is closed.
    Raises NebbetError when that is not allowed."""
    with disk_explained(f"The folder {home.data} cannot be used", "Nothing was written"):
        for folder in filter(None, (home.config, home.data, home.state)):
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            close_to_others(folder)
        for file in (home.settings_file, home.personal_file, home.library_file):
            if file.exists():
                close_to_others(file)
