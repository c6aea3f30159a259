"""Where a link in a message may lead, and where a picture in it may come from."""

import re

LINKS = frozenset({"http", "https", "mailto", "tel"})
PICTURES = frozenset({"http", "https", "cid"})
_IGNORED = re.compile(r"[\x00-\x20\x7f]+")  # programs read an address as if these were not there
_SCHEME = re.compile(r"([a-z][a-z0-9+.-]*):", re.IGNORECASE)


def scheme_of(address: str) -> str:
    """The scheme of an address as the most forgiving program reads it; "" where there is none.

    >>> scheme_of(" java\\tscript:alert(1)"), scheme_of("www.host.example/a:b")
    ('javascript', '')
    """
    found = _SCHEME.match(_IGNORED.sub("", address[:400]))
    return found[1].lower() if found else ""


def may_lead(address: str) -> bool:
    """Whether a link may lead to an address: a page, a mailbox, a telephone, or nowhere else.

    >>> may_lead("https://host.example"), may_lead("javascript:x()"), may_lead("#terms")
    (True, False, True)
    """
    return scheme_of(address) in (*LINKS, "")
