"""What an edition of a template holds; two editions compare by value."""

import hashlib
import re
from functools import lru_cache
from typing import Literal

from msgspec import Struct, field

from nebbet.core import dates
from nebbet.core.body import Body, Markup, clean_markup, markup_line, read
from nebbet.core.placeholders import Placeholder


class Texts(Struct, frozen=True, omit_defaults=True):
    """Subject and body in one language; the body as source HTML, both with {{name}}.

    original is the fingerprint of the original text that this one was last written after; empty
    in the original itself, and where it is not known. finished says that the body is HTML that
    keeps its own markup.
    """

    subject: str = ""
    body: str = ""
    original: str = ""
    finished: bool = False

    @property
    def blocks(self) -> Body:
        """The body, read; finished HTML is cleaned, wherever it was kept."""
        if self.finished:
            return (Markup(markup_line(_clean(self.body))),)
        return read(self.body)

    @property
    def fingerprint(self) -> str:
        """A short mark of what the text says."""
        said = f"{self.subject}\n{self.body}".encode()
        return hashlib.sha256(said).hexdigest()[:16]


@lru_cache(maxsize=128)
def _clean(source: str) -> str:
    return clean_markup(source).source


class Copy(Struct, frozen=True, omit_defaults=True):
    """An address that is added only under a condition; part says where."""

    part: Literal["to", "cc", "bcc"]
    address: str
    when: str


class Copies(Struct, frozen=True, omit_defaults=True):
    """Address lists of a template, with {{name}} where an address depends on the letter.

    mailbox is the team mailbox that the letter comes from; empty for the sender's own address. to
    holds further recipients, beside the person one writes to.
    """

    cc: str = ""
    bcc: str = ""
    reply_to: str = ""
    conditional: tuple[Copy, ...] = ()
    mailbox: str = ""
    to: str = ""


class Enclosure(Struct, frozen=True, omit_defaults=True):
    """A library file attached by default: SHA-256, the name it gets (may hold {{name}}), bytes.

    when is the condition under which it is attached; empty for always.
    """

    file: str
    name: str
    media_type: str = "application/octet-stream"
    size: int = 0
    when: str = ""


class Content(Struct, frozen=True, omit_defaults=True):
    """The whole of an edition. texts are by language code, the original first.

    calendar is the code of the public holidays that its date rules count with, where those are
    not the team's own. kinds are the kinds of case it is for, keywords what else it is found by.
    """

    texts: dict[str, Texts] = field(default_factory=lambda: {"en_GB": Texts()})
    placeholders: tuple[Placeholder, ...] = ()
    copies: Copies = Copies()
    enclosures: tuple[Enclosure, ...] = ()
    frame: str = ""
    calendar: str = ""
    kinds: tuple[str, ...] = ()
    keywords: tuple[str, ...] = ()


# No team has more of anything, and what works it all out stays within bounds.
_MOST = {"languages": 60, "placeholders": 1000, "copies": 100, "enclosures": 200}
_LONGEST_NAME = 200


def unsound(content: Content) -> str:
    """Why a template from elsewhere cannot be used, as the end of a sentence; empty where it can.

    >>> unsound(Content({})), unsound(Content())
    ('has no text', '')
    """
    if not content.texts:
        return "has no text"
    counts = {
        "languages": len(content.texts),
        "placeholders": len(content.placeholders),
        "copies": len(content.copies.conditional),
        "enclosures": len(content.enclosures),
    }
    for what, count in counts.items():
        if count > _MOST[what]:
            return f"has more {what} than any can have"
    names = [*content.texts, *(p.name for p in content.placeholders)]
    if not all(0 < len(name) <= _LONGEST_NAME for name in names):
        return "names something with nothing, or with too much"
    if not dates.is_code(content.calendar):
        return "counts with a calendar that is none"
    if not all(re.fullmatch("[0-9a-f]{64}", enclosure.file) for enclosure in content.enclosures):
        return "encloses something that is no file of a library"
    return ""


class TemplateDraft(Struct, frozen=True):
    """A state of a template that is not in use yet; edition is the number of the one that it was
    written after."""

    title: str
    shelf: str
    content: Content
    edition: int = 0


ADDRESS_LINES = {
    "mailbox": "From",
    "reply_to": "Reply-To",
    "to": "To",
    "cc": "Cc",
    "bcc": "Bcc",
}


def older(content: Content) -> tuple[str, ...]:
    """The languages whose text is older than the original: that has changed since.

    >>> from msgspec.structs import replace
    >>> first = Texts("Hello")
    >>> content = Content({"en": first, "fr": Texts("Bonjour", "", first.fingerprint)})
    >>> older(content), older(replace(content, texts=content.texts | {"en": Texts("Hi")}))
    ((), ('fr',))
    """
    now = next(iter(content.texts.values())).fingerprint
    return tuple(code for code, texts in content.texts.items() if texts.original not in ("", now))


def text_for(content: Content, language: str) -> tuple[str, Texts]:
    """The text to use for a language: the same code, else the same language, else the original.

    >>> text_for(Content({"en_GB": Texts("a"), "fr": Texts("b")}), "fr_CA")[0]
    'fr'
    """
    if language in content.texts:
        return language, content.texts[language]
    stem = language.split("_", maxsplit=1)[0].split("-", maxsplit=1)[0]
    for code, texts in content.texts.items():
        if stem and code.split("_")[0] == stem:
            return code, texts
    return next(iter(content.texts.items()))
