"""What a session is made of; everything that differs between real life and tests."""

from collections.abc import Callable
from datetime import datetime
from secrets import token_hex
from typing import Literal

from msgspec import Struct

from nebbet.personal.home import Home
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import Settings


class Parts(Struct, frozen=True):
    """The home, the settings, the clock and chance. role is what one may do in the library; the
    library says, if none is given."""

    home: Home
    settings: Settings
    secrets: Secrets
    now: Callable[[], datetime]
    token: Callable[[], str] = lambda: token_hex(12)
    role: Literal["lead", "colleague", "reader"] | None = None
