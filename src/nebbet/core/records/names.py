"""Names of fields: how they match, and how they are read out."""

import re
import unicodedata
from functools import lru_cache

_SEPARATORS = re.compile(r"[\s_\-]+")


@lru_cache(maxsize=8192)
def fold(name: str) -> str:
    """The form in which names match: no case, spaces, hyphens or underscores.

    >>> fold("Booking-Ref") == fold("booking ref") == fold("booking_REF")
    True
    """
    return _SEPARATORS.sub("", unicodedata.normalize("NFKC", name)).casefold()


def label_of(name: str) -> str:
    """A readable label for a field name.

    >>> label_of("first_name")
    'First name'
    """
    words = _SEPARATORS.sub(" ", name.rpartition(".")[2]).strip()
    return words[:1].upper() + words[1:]


def field_name(heading: str) -> str:
    """The name of a field for a heading that somebody gave it.

    >>> field_name("  Sailing – date (local) "), field_name("Überfahrt")
    ('sailing_date_local', 'überfahrt')
    """
    return "_".join(re.findall(r"\w+", unicodedata.normalize("NFC", heading).casefold()))
