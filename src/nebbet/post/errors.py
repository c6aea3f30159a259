"""What can go wrong on a letter's way out."""

from typing import Literal

from nebbet.core.errors import NebbetError
from nebbet.personal.settings import Account

Kind = Literal["refused", "busy", "unreachable", "uncertain", "account", "login"]


class DeliveryError(NebbetError):
    """A letter did not go, or may not have gone.

    kind is refused (for good), busy or unreachable (try again later), account (its name, its
    servers or a certificate), login (its password), uncertain (the line was cut before the
    server's answer came).
    """

    def __init__(self, kind: Kind, what: str, advice: str) -> None:
        super().__init__(what, kept="The letter is in your outbox", advice=advice)
        self.kind = kind


def no_password(account: Account) -> DeliveryError:
    """What to say when no password is at hand."""
    return DeliveryError(
        "account", f"The password for {account.user} is not known", "Give it in your profile"
    )
