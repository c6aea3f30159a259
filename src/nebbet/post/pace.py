"""How many letters an account lets go in a minute, an hour, a day, as its provider has it."""

import re
from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import Engine, select

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.library.engine import explained
from nebbet.personal.settings import Account
from nebbet.personal.tables import passed_table

Limits = tuple[int, int, int]
_SECONDS = (60.0, 3600.0, 86400.0)
_NAMES = ("minute", "hour", "day")
_LIMIT = re.compile(r"(\d{1,6})\s*(?:an?|per|/|each)\s*(minute|hour|day)s?", re.IGNORECASE)


def read_limits(text: str) -> Limits:
    """Limits as somebody types them. Raises NebbetError where they cannot be read.

    >>> read_limits("10 a minute, 500 a day"), read_limits("")
    ((10, 0, 500), (0, 0, 0))
    """
    found = {name.casefold(): int(count) for count, name in _LIMIT.findall(text)}
    left = _LIMIT.sub("", text).replace("and", "").strip(" ,;.")
    if left:
        raise NebbetError(
            said("“{text}” is no limit", text=left),
            advice=said("Write it as: 10 a minute, 200 an hour, 1000 a day"),
        )
    minute, hour, day = (found.get(name, 0) for name in _NAMES)
    return minute, hour, day


def limits_in_words(limits: Sequence[int]) -> str:
    """Limits as they are typed.

    >>> limits_in_words((10, 0, 500))
    '10 a minute, 500 a day'
    """
    articles = {"minute": "a minute", "hour": "an hour", "day": "a day"}
    return ", ".join(
        f"{count} {articles[name]}" for count, name in zip(limits, _NAMES, strict=True) if count
    )


def free_at(engine: Engine, account: Account, now: float) -> float:
    """When the next letter of an account may go, in seconds since 1970: now, or when enough of
    those that went are long enough ago. What went is counted from the file: a restart changes
    nothing."""
    if not any(account.limits):
        return now
    went = _went(engine, account.user, now - _SECONDS[-1])
    moments = [now]
    for count, seconds in zip(account.limits, _SECONDS, strict=True):
        recent = [one for one in went if one > now - seconds]
        if count and len(recent) >= count:
            moments.append(recent[-count] + seconds)
    return max(moments)


def _went(engine: Engine, user: str, since: float) -> list[float]:
    """When letters of an account went since a moment, the oldest first."""
    table = passed_table.c
    statement = select(table.at).where(table.account == user, table.at > since).order_by(table.at)
    with explained("The outbox cannot be read"), engine.connect() as connection:
        return list(connection.scalars(statement))


def wait_words(until: float) -> str:
    """Why a letter waits, and until when."""
    moment = datetime.fromtimestamp(until)
    return said("Your account lets no more letters go just now: this one goes at {moment}.",
                moment=f"{moment:%d %b %H:%M:%S}")  # fmt: skip
