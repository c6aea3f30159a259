"""Reading lists of mail addresses as people type them (RFC 5322 §3.4), and writing them."""

import re
from collections.abc import Callable, Iterable
from functools import lru_cache

from msgspec import Struct

from nebbet.core.inline import ESCAPED, Slot

_PARTS = re.compile(r'(?:"(?:\\.|[^"\\])*"|<[^<>]*>|[^,;"<])+|["<]')
_NAMED = re.compile(r"(?P<name>.*?)\s*<\s*(?P<spec>[^<>]*?)\s*>\s*", re.DOTALL)
_SPECIALS = re.compile(r'[()<>\[\]:;@\\,."]')
_QUOTED = re.compile(r'"((?:\\.|[^"\\])*)"')
_LONGEST = 1000  # characters of one address with its name (RFC 5321 §4.5.3.1: 254 of the address)
_CONTROL = re.compile(r"[\x00-\x1f\x7f\u2028\u2029]")


class Address(Struct, frozen=True):
    """A display name, possibly empty, and an address such as "ana@host.example"."""

    name: str
    spec: str

    @property
    def header(self) -> str:
        """The form that stands in a header, not yet encoded."""
        return f"{self.phrase} <{self.spec}>" if self.name else self.spec

    @property
    def phrase(self) -> str:
        """The name as it stands in a header, in quotes where its signs ask for them."""
        return _quoted(self.name) if _SPECIALS.search(self.name) else self.name

    @property
    def key(self) -> str:
        """What two addresses of one mailbox have in common, as practice has it."""
        return self.spec.casefold()


def _quoted(name: str) -> str:
    """A quoted string (RFC 5322 §3.2.4)."""
    return '"' + re.sub(r'(["\\])', r"\\\1", name) + '"'


def shown(line: Iterable[str | Slot], blank: Callable[[str], str] = "[{}]".format) -> str:
    """A line of addresses with its values in it; a value that is somebody's name stays one name,
    whatever signs it has.

    >>> shown((Slot("name", "Roy, Ana"), " <", Slot("email", "ana@host.example"), ">"))
    '"Roy, Ana" <ana@host.example>'
    """
    written = ""
    for part in line:
        if isinstance(part, str):
            written += part.replace(ESCAPED, "{{")
        elif part.text is None:
            written += blank(part.name)
        elif "@" in part.text or not _SPECIALS.search(part.text):
            written += part.text
        else:
            quoted = _quoted(part.text)
            written += quoted[1:-1] if _is_inside_quotes(written) else quoted
    return written


def _is_inside_quotes(text: str) -> bool:
    return '"' in _QUOTED.sub("", text)


class Problem(Struct, frozen=True):
    """A part of an address list that is not an address, and why."""

    text: str
    reason: str


def read(text: str) -> tuple[tuple[Address, ...], tuple[Problem, ...]]:
    """Read addresses separated by commas or semicolons.

    The mail goes out 7-bit clean, so that a domain is turned into its ASCII form and a local
    part outside ASCII is a problem.

    >>> read('"Roy, Ana" <ana@host.example>; bo@host.example')[0][0].name
    'Roy, Ana'
    """
    found: list[Address] = []
    problems: list[Problem] = []
    for part in (part.strip() for part in _PARTS.findall(text)):
        if not part:
            continue
        address = one(part)
        if isinstance(address, Address):
            found.append(address)
        else:
            problems.append(address)
    return tuple(found), tuple(problems)


@lru_cache(maxsize=4096)
def one(text: str) -> Address | Problem:
    """Read a single address, with or without a name."""
    from email_validator import EmailNotValidError, validate_email

    if _CONTROL.search(text.strip()):
        shown = _CONTROL.sub("␊", text.strip())
        return Problem(shown, "there is a line break or control character in it")
    text = " ".join(text.split())
    if len(text) > _LONGEST:
        return Problem(f"{text[:40]}…", "it is too long for an address")
    match = _NAMED.fullmatch(text)
    name, spec = (match["name"], match["spec"]) if match else ("", text)
    name = _QUOTED.sub(lambda match: re.sub(r"\\(.)", r"\1", match[1]), name)
    try:
        valid = validate_email(spec, check_deliverability=False, allow_smtputf8=False, strict=True)
    except EmailNotValidError as error:
        return Problem(text, _reason(spec, str(error)))
    return Address(name.strip(), valid.ascii_email or valid.normalized)


def _reason(spec: str, found: str) -> str:
    if "@" not in spec:
        return "there is no @ in it"
    return found.rstrip(".")[:1].lower() + found.rstrip(".")[1:]


def write(addresses: Iterable[Address]) -> str:
    """Write addresses as one list."""
    return ", ".join(address.header for address in addresses)


def shortened(spec: str) -> str:
    """An address by which only those who know it recognise it.

    >>> shortened("hanna.verrell@post.example"), shortened("nobody")
    ('h…l@post.example', 'n…y')
    """
    local, at, domain = spec.rpartition("@") if "@" in spec else (spec, "", "")
    return f"{local[:1]}…{local[-1:]}{at}{domain}"
