"""The person's settings, in config.toml; the file keeps its comments when it is written."""

import tomllib
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from msgspec import Struct, convert
from msgspec.structs import asdict, fields

from nebbet.core.addresses import Address, read
from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.library.disk import disk_explained

if TYPE_CHECKING:
    import tomlkit


Tls = Literal["", "at once", "starttls"]  # how a line is encrypted; "" goes by its port


class SignIn(Struct, frozen=True, omit_defaults=True):
    """The service at which one signs in with a code (RFC 8628): where codes and tokens are asked
    for, as whom, and what for."""

    device_url: str = ""
    token_url: str = ""
    client: str = ""
    scope: str = ""


class Account(Struct, frozen=True, omit_defaults=True):
    """How to reach a mailbox. certificate is a file to trust beside the system's own; folders
    are those whose messages are shown as arrived; token_command is what gives a token in the place
    of a password (OAuth). limits are how many letters may go in a minute, an hour, a day; 0 is
    any number. froms are the addresses that letters go from, with their names; empty where that is
    its user alone."""

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
    froms: tuple[str, ...] = ()
    sign_in: SignIn = SignIn()

    @property
    def takes_token(self) -> bool:
        """Whether a token is shown in the place of a password."""
        return bool(self.token_command or self.sign_in.token_url)

    @property
    def addresses(self) -> tuple[Address, ...]:
        """The addresses that letters go from; the first one is its own."""
        found, _problems = read(", ".join(self.froms) or self.user)
        return found

    def sends_from(self, spec: str) -> bool:
        """Whether letters from an address go by this account."""
        return any(one.spec.casefold() == spec.casefold() for one in self.addresses)

    @property
    def smtp_at_once(self) -> bool:
        """Whether the line for sending is encrypted from its first byte (RFC 8314 §3)."""
        return self.smtp_tls == "at once" or (not self.smtp_tls and self.smtp_port == 465)

    @property
    def imap_at_once(self) -> bool:
        """Whether the line to the mailbox is encrypted from its first byte (RFC 8314 §3)."""
        return self.imap_tls == "at once" or (not self.imap_tls and self.imap_port == 993)


class Settings(Struct, frozen=True, omit_defaults=True):
    """What one person has set. more are further mailboxes beside that of the account. look is
    light, dark, or empty for the desktop's own; record_as is how the record of a case goes into a
    letter: as rows of its text, or as a sheet."""

    member: str = ""
    library: str = ""
    hold_seconds: int = 10
    look: str = ""
    record_as: str = "rows"
    account: Account = Account()
    more: tuple[Account, ...] = ()

    @property
    def accounts(self) -> tuple[Account, ...]:
        """All mailboxes; the first one is that of letters which name no other."""
        return (self.account, *self.more)


def account_for(accounts: Sequence[Account], spec: str) -> Account:
    """The account by which a letter from an address goes; the first one, where none is its own."""
    return next((one for one in accounts if spec and one.sends_from(spec)), accounts[0])


def own_addresses(accounts: Iterable[Account]) -> dict[str, Address]:
    """All addresses from which one's letters go, by the address in small letters."""
    return {one.spec.casefold(): one for account in accounts for one in account.addresses}


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


def _all_anew(values: Iterable[Struct]) -> "tomlkit.items.AoT":
    import tomlkit

    tables = tomlkit.aot()
    for value in values:
        table = tomlkit.table()
        _update(table, value)
        tables.append(table)
    return tables


def _update(table: "tomlkit.TOMLDocument | tomlkit.items.Table", values: Struct) -> None:
    import tomlkit

    defaults = {field.name: field.default for field in fields(values)}
    for name, value in asdict(values).items():
        if isinstance(value, Struct):
            inner = table.setdefault(name, tomlkit.table())
            _update(inner, value)
        elif isinstance(value, tuple) and isinstance(next(iter(value), None), Struct):
            table[name] = _all_anew(value)
        elif name in table or value != defaults[name]:
            table[name] = list(value) if isinstance(value, tuple) else value
