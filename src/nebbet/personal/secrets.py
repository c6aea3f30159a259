"""Passwords: in the desktop's keyring, from the environment, or for this session only."""

import os
from typing import Protocol

SERVICE = "nebbet"
VARIABLE = "NEBBET_PASSWORD"


class Secrets(Protocol):
    """Where passwords come from."""

    def get(self, user: str) -> str | None:
        """The password of a mailbox, or None."""

    def keep(self, user: str, password: str) -> bool:
        """Keep a password; False when it lasts for this session only."""


class SessionSecrets:
    """Passwords that are forgotten when the program ends; never shown by repr."""

    def __init__(self, known: dict[str, str] | None = None) -> None:
        self._known = dict(known or {})

    def __repr__(self) -> str:
        return f"SessionSecrets({', '.join(self._known)}: redacted)"

    def get(self, user: str) -> str | None:
        """The password of a mailbox, or None."""
        return self._known.get(user)

    def keep(self, user: str, password: str) -> bool:
        """Keep a password for this session."""
        self._known[user] = password
        return False


class KeyringSecrets:
    """The desktop's keyring; NEBBET_PASSWORD goes first, for scripts on a machine without one."""

    def __init__(self) -> None:
        self._session = SessionSecrets()

    def get(self, user: str) -> str | None:
        """The password of a mailbox, or None when neither place has it."""
        import keyring
        from keyring.errors import KeyringError

        of_mailbox = "://" not in user  # a library's server goes by its URL
        given = os.environ.get(VARIABLE) if of_mailbox else None
        if password := given or self._session.get(user):
            return password
        try:
            return keyring.get_password(SERVICE, user)
        except KeyringError:
            return None

    def keep(self, user: str, password: str) -> bool:
        """Keep a password in the keyring; without one, for this session."""
        import keyring
        from keyring.errors import KeyringError

        self._session.keep(user, password)
        try:
            keyring.set_password(SERVICE, user, password)
        except KeyringError:
            return False
        return True
