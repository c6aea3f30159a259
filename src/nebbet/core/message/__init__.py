"""Addresses, building and reading messages, and links that open one."""

from nebbet.core.message.compose import EncodedFiles, Outgoing, compose, with_bcc
from nebbet.core.message.links import mailto
from nebbet.core.message.reading import Received, open_message

__all__ = [
    "EncodedFiles",
    "Outgoing",
    "Received",
    "compose",
    "mailto",
    "open_message",
    "with_bcc",
]
