"""The person's settings, in config.toml; the file keeps its comments when it is written."""

import tomllib
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from msgspec import Struct, convert
from msgspec.structs import asdict, fields

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.library.disk import disk_explained

if TYPE_CHECKING:
    import tomlkit


Tls = Literal["", "at once", "starttls"]  # how a line is encrypted; "" goes by its port


class Account(Struct, frozen=True, omit_defaults=True):
    """How to reach one's mailbox. certificate is a file to trust beside the system's own; folders
    are those whose messages are shown as arrived; token_command is what gives a token in the place
    of a password (OAuth). limits are how many letters may go in a minute, an hour, a day; 0 is
    any number."""

    user: str = ""
    smtp_host: str = ""
    smtp_port: int = 587
    imap_host: str = ""
    imap_port: int = 143
    sent_folder: str = "Sent"
    folders: tuple[str, ...] = ("INBOX",)
    smtp_tls: Tls = ""
    imap_tls: Tls = ""
    token_command: str = ""
    limits: tuple[int, int, int] = (0, 0, 0)
    certificate: str = ""

    @property
    def smtp_at_once(self) -> bool:
        """Whether the line for sending is encrypted from its first byte (RFC 8314 §3)."""
        return self.smtp_tls == "at once" or (not self.smtp_tls and self.smtp_port == 465)

    @property
    def imap_at_once(self) -> bool:
        """Whether the line to the mailbox is encrypted from its first byte (RFC 8314 §3)."""
        return self.imap_tls == "at once" or (not self.imap_tls and self.imap_port == 993)


class Settings(Struct, frozen=True, omit_defaults=True):
    """What one person has set. look is light, dark, or empty for the desktop's own; record_as is
    how the record of a case goes into a letter: as rows of its text, or as a sheet."""

    member: str = ""
    library: str = ""
    hold_seconds: int = 10
    look: str = ""
    record_as: str = "rows"
    account: Account = Account()


def read_settings(path: Path) -> Settings:
    """Read the settings; none yet is the default. Raises NebbetError when they make no sense."""
    if not path.exists():
        return Settings()
    with disk_explained("The settings cannot be read"):
        text = path.read_bytes().decode("utf-8", "replace")
    try:
        return convert(tomllib.loads(text), Settings)
    except UNREADABLE as error:
        raise NebbetError(
            f"The settings in {path.name} cannot be read: {error}",
            kept="The file was not touched",
            advice="Mend it in a text editor, or move it away to start anew",
        ) from None


def write_settings(path: Path, settings: Settings) -> None:
    """Write the settings whole or not at all, leaving what a person wrote beside them."""
    import tomlkit

    with disk_explained("The settings cannot be kept"):
        document = tomlkit.parse(path.read_text("utf-8")) if path.exists() else tomlkit.document()
        _update(document, settings)
        part = path.with_suffix(".part")
        part.unlink(missing_ok=True)
        part.touch(mode=0o600)
        part.write_text(tomlkit.dumps(document), "utf-8")
        part.replace(path)


def _update(table: "tomlkit.TOMLDocument | tomlkit.items.Table", values: Struct) -> None:
    import tomlkit

    defaults = {field.name: field.default for field in fields(values)}
    for name, value in asdict(values).items():
        if isinstance(value, Struct):
            inner = table.setdefault(name, tomlkit.table())
            _update(inner, value)
        elif name in table or value != defaults[name]:
            table[name] = list(value) if isinstance(value, tuple) else value
