"""One process at a time delivers from an outbox: the window, or the command for a timer."""

import fcntl
import logging
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Engine

_PATIENCE = 1.0  # seconds
_EVERY = 0.05
_log = logging.getLogger(__name__)


@contextmanager
def alone(personal: Engine, patience: float = _PATIENCE) -> Iterator[bool]:
    """Whether no other process delivers from this outbox, nor will until the end of the block; for
    a moment it is waited for. Whoever was killed is not in the way.

    Where the folder knows no locks, everybody counts as alone: each letter is still claimed by one.
    """
    try:
        file = Path(f"{personal.url.database}.delivering").open("ab")  # noqa: SIM115
    except OSError as error:
        _log.warning("the outbox cannot be kept for one process: %s", error)
        yield True
        return
    with file:
        end = time.monotonic() + patience
        while not (free := _taken(file.fileno())) and time.monotonic() < end:
            time.sleep(_EVERY)
        yield free


def _taken(number: int) -> bool:
    try:
        fcntl.flock(number, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    except OSError as error:
        _log.warning("the outbox cannot be locked: %s", error)
    return True
