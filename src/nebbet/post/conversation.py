"""What was said on the last lines of an account, for whoever looks for what is wrong: commands and
answers, without passwords, tokens and messages. It is kept in memory alone."""

import re
import threading
from collections import deque
from typing import Literal

_MOST = 400  # lines
_LONGEST = 240  # characters of one
_HIDDEN = "•••"
Side = Literal["sending", "mailbox"]
_LOGIN = re.compile(r"^(\S+ )?(LOGIN) .*", re.IGNORECASE | re.DOTALL)
_AUTH = re.compile(r"^((?:\S+ )?AUTH(?:ENTICATE)? \S+).*", re.IGNORECASE | re.DOTALL)
_last: dict[tuple[str, Side], "Conversation"] = {}
_one_at_a_time = threading.Lock()


class Conversation:
    """One line's. What follows a question of the server while one logs in is hidden; so is what
    follows a word that says that so many bytes come."""

    def __init__(self) -> None:
        self._lines: deque[str] = deque(maxlen=_MOST)
        self._is_secret = self._asked = False

    def say(self, text: str) -> None:
        """Nebbet says a line."""
        for hidden in (_AUTH, _LOGIN):
            if found := hidden.match(text):
                more = len(text.strip()) > len(found[1] or "")
                shown = found[1] if hidden is _AUTH else f"{found[1] or ''}{found[2]}"
                self._add("→", f"{shown} {_HIDDEN}" if more else shown)
                self._is_secret, self._asked = True, False
                return
        if self._asked:
            self._asked = False
            self._add("→", _HIDDEN if self._is_secret else f"({len(text)} bytes)")
            return
        self._add("→", text)

    def send(self, size: int) -> None:
        """Nebbet sends a message, or a part of one."""
        self._asked = False
        self._add("→", f"({size:,} bytes)")

    def hear(self, text: str) -> None:
        """The server says a line."""
        self._asked = text.startswith(("+", "334", "354"))
        if self._is_secret and self._asked:
            self._add("←", f"{text.split(' ', 1)[0]} {_HIDDEN}")
            return
        if not text.startswith("*"):
            self._is_secret = False
        self._add("←", text)

    def _add(self, way: str, text: str) -> None:
        begins = text[: 4 * _LONGEST]  # a list of numbers can be a very long line
        bare = " ".join("".join(c if c.isprintable() else " " for c in begins).split())
        shown = bare if len(bare) <= _LONGEST else f"{bare[:_LONGEST]}…"
        self._lines.append(f"{way} {shown}")

    @property
    def text(self) -> str:
        """What was said, a line for each."""
        return "\n".join(self._lines)


def begin(user: str, side: Side) -> Conversation:
    """The conversation of a new line of an account; it is the last one from now on."""
    made = Conversation()
    with _one_at_a_time:
        _last[user, side] = made
    return made


def last(user: str, side: Side) -> str:
    """What was said on the last line of an account; empty where there was none since the start."""
    with _one_at_a_time:
        found = _last.get((user, side))
    return found.text if found else ""
