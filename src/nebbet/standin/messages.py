"""The demo's arrived messages."""

import tomllib
from importlib.resources import files

from msgspec import Struct


class DemoMessage(Struct, frozen=True):
    """A message: who wrote it (the id of somebody on file, or an address), how many hours ago, what
    it says, and the template that a colleague would answer with, empty for none."""

    sender: str
    hours: int
    subject: str
    words: str
    answer: str = ""

    @property
    def text(self) -> str:
        """All that it says."""
        return f"{self.subject}\n{self.words}"


def read_messages() -> list[DemoMessage]:
    """The messages as they are written, the last one anywhere."""
    source = (files("nebbet.standin") / "world" / "arrived.toml").read_text("utf-8")
    return [
        DemoMessage(one["from"], one["hours"], one["subject"], one["text"].strip(), one["answer"])
        for one in tomllib.loads(source)["message"]
    ]
