"""A finished message."""

from msgspec import Struct


class Outgoing(Struct, frozen=True):
    """A finished message with its envelope (RFC 5321). data has no Bcc; bcc is that header."""

    data: bytes
    sender: str
    recipients: tuple[str, ...]
    message_id: str
    subject: str
    bcc: str = ""
