"""Reading and writing files: what went wrong in plain words, and how large a file may be."""

from collections.abc import Iterator
from contextlib import contextmanager

from nebbet.core.errors import NebbetError

LARGEST_FILE = 20 * 2**20


@contextmanager
def disk_explained(what: str, kept: str = "Nothing was changed") -> Iterator[None]:
    """Turn an error of the disk into one clear sentence that begins with what could not be done."""
    try:
        yield
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise NebbetError(
            f"{what}: {reason}", kept=kept, advice="Check the folder and try again"
        ) from error


def refuse_large(name: str, size: int) -> None:
    """Raise NebbetError when a file of that many bytes is too large for the library."""
    if size > LARGEST_FILE:
        raise NebbetError(
            f"{name} has {size / 2**20:.0f} MB; a file may have at most {LARGEST_FILE // 2**20} MB",
            kept="It was not added",
            advice="Make it smaller, or put a link to it in the text",
        )
