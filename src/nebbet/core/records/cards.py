"""Reading and writing cards of people: vCard 3.0 (RFC 2426) and 4.0 (RFC 6350), and what programs
write as 2.1.

What a contact has a field for goes there; every other line is kept as it is and written again.
"""

import io
import re
from collections.abc import Iterable, Iterator
from datetime import date, datetime

import vobject.base
from msgspec import Struct
from msgspec.structs import replace

from nebbet.core import values
from nebbet.core.characters import whole
from nebbet.core.errors import NebbetError
from nebbet.core.records.rows import Contact, parted
from nebbet.core.sentences import said

MOST_CARDS = 250_000
_LONGEST_LINE = 20_000  # signs of a line that is kept: a picture is longer
_LINE_OCTETS = 75  # RFC 6350 §3.2
_OURS = ("version", "prodid", "rev", "begin", "end")  # said anew whenever a card is written
_OWN = "x-nebbet-"  # begins the names of fields of the team's own
_SEXES = {"M": "male", "F": "female"}


class CardLine(Struct, frozen=True):
    """One property of a card: its name in small letters, its parameters, its raw value, and the
    line as it stood there."""

    name: str
    parameters: dict[str, list[str]]
    value: str
    line: str

    @property
    def types(self) -> set[str]:
        """What its types say, in small letters."""
        stated = [word for one in self.parameters.get("TYPE", []) for word in one.split(",")]
        bare = [name for name, held in self.parameters.items() if not held]  # as in 2.1
        return {word.casefold() for word in (*stated, *bare)}

    @property
    def rank(self) -> int:
        """How much it is preferred: 1 before 100 (RFC 6350 §5.3; in 3.0 by a type)."""
        (said_rank,) = self.parameters.get("PREF", [""])[:1] or [""]
        if said_rank.isdigit():
            return min(int(said_rank), 100)
        return 1 if "pref" in self.types else 101


class Card(Struct, frozen=True):
    """A card that was read: which one in its file (the first is 1), its contact without an id, or
    why there is none."""

    number: int
    contact: Contact | None
    refused: str = ""


def read_cards(text: str) -> list[Card]:
    """The cards of a text. One that cannot be read keeps no other from being read.

    Raises NebbetError where there is none, or where there are too many.

    >>> read_cards("BEGIN:VCARD\\nVERSION:4.0\\nFN:Ada Byron\\nEND:VCARD")[0].contact.last_name
    'Byron'
    """
    found: list[Card] = []
    for number, lines in enumerate(_cards(text), 1):
        if number > MOST_CARDS:
            raise NebbetError(
                said("There are more than {most} cards", most=MOST_CARDS),
                kept=said("Nothing was read"),
                advice=said("Split the file"),
            )
        contact = _contact(lines)
        refused = "" if contact.name or contact.email else said("it names nobody")
        found.append(Card(number, None if refused else contact, refused))
    if not found:
        raise NebbetError(
            said("There is no card in it"),
            kept=said("Nothing was read"),
            advice=said("Choose a vCard file, or a table"),
        )
    return found


def _cards(text: str) -> Iterator[list[CardLine]]:
    """The lines of each card; cards inside cards (2.1) belong to the outer one."""
    held: list[CardLine] = []
    depth = 0
    lines = vobject.base.getLogicalLines(io.StringIO(text), allowQP=True)
    for line, _number in lines:
        parsed = _parsed(line)
        if parsed is None:
            continue
        if parsed.name == "begin" and parsed.value.strip().casefold() == "vcard":
            depth += 1
        elif parsed.name == "end" and parsed.value.strip().casefold() == "vcard":
            depth -= 1
            if depth == 0:
                yield held
                held = []
            depth = max(depth, 0)
        elif depth == 1:
            held.append(parsed)
    if held:
        yield held  # a file that was cut off


def _parsed(line: str) -> CardLine | None:
    try:
        name, raw, value, _group = vobject.base.parseLine(line)
    except vobject.base.ParseError:
        return None
    parameters: dict[str, list[str]] = {}
    for pair in raw:
        parameters.setdefault(pair[0].upper(), []).extend(pair[1:])
    stated = {one.upper() for one in parameters.get("ENCODING", [])} | {*parameters}
    if "QUOTED-PRINTABLE" in stated:
        value = _unquoted(value, parameters.get("CHARSET", ["utf-8"])[0])
    return CardLine(name.casefold(), parameters, whole(value), whole(line))


def _unquoted(value: str, charset: str) -> str:
    import quopri

    data = quopri.decodestring(value.encode("utf-8", "replace"))
    try:
        return data.decode(charset, "replace")
    except LookupError:
        return data.decode("utf-8", "replace")


def _contact(lines: list[CardLine]) -> Contact:
    """The contact of a card."""
    by_name: dict[str, list[CardLine]] = {}
    for line in lines:
        by_name.setdefault(line.name, []).append(line)
    for held in by_name.values():
        held.sort(key=lambda line: line.rank)
    more: dict[str, object] = {}
    used: set[str] = set(_OURS)
    made = _named(by_name, used)
    emails = [_text(line.value).removeprefix("mailto:") for line in by_name.get("email", [])]
    emails = list(dict.fromkeys(filter(None, map(str.strip, emails))))
    used |= {"email", "adr", "label", "note"}
    postal = [address for line in by_name.get("adr", []) if (address := _postal(line))]
    postal += [_text(line.value) for line in by_name.get("label", []) if not postal]
    kept = [*_phones(by_name.get("tel", []), more)]
    _take_more(by_name, more, used)
    kept += [line.line for line in lines if line.name not in {*used, "tel"}]
    languages = by_name.get("lang", [])
    return replace(
        made,
        email=emails[0] if emails else "",
        addresses=tuple(emails[1:]),
        phone=str(more.pop("phone", "")),
        language=_text(languages[0].value).replace("-", "_") if languages else "",
        postal=tuple(postal),
        notes="\n\n".join(_text(line.value) for line in by_name.get("note", [])),
        more=more,
        kept=tuple(line for line in kept if len(line) <= _LONGEST_LINE),
    )


def _named(by_name: dict[str, list[CardLine]], used: set[str]) -> Contact:
    """The names of a card: its parts (N), or its name as it is written (FN)."""
    used |= {"n", "fn", "org"}
    parts = _structured(by_name["n"][0].value) if "n" in by_name else []
    last, first, middle, prefix = (*(part.replace(",", " ") for part in parts), "", "", "", "")[:4]
    written = _text(by_name["fn"][0].value) if "fn" in by_name else ""
    organisation = ""
    if "org" in by_name:
        organisation = ", ".join(filter(None, _structured(by_name["org"][0].value)))
    first = " ".join(filter(None, (first, middle)))
    if not first and not last and written and written != organisation:
        first, last = parted(written)
    return Contact(
        "",
        title=prefix.strip(),
        first_name=first.strip(),
        last_name=last.strip(),
        organisation=organisation.strip(),
    )


def _phones(lines: list[CardLine], more: dict[str, object]) -> Iterator[str]:
    """Take up the first telephone number, and the first of a mobile one; the others stay lines."""
    for line in lines:
        number = _text(line.value).removeprefix("tel:").strip()
        if not number or "fax" in line.types:
            yield line.line
        elif "phone" not in more:
            more["phone"] = number
        elif line.types & {"cell", "mobile"} and "mobile" not in more:
            more["mobile"] = number
        else:
            yield line.line


def _take_more(by_name: dict[str, list[CardLine]], more: dict[str, object], used: set[str]) -> None:
    """Take up what has no field that everybody has, and is of use in a letter."""
    for name, field in (("title", "job"), ("url", "website")):
        if name in by_name and len(by_name[name]) == 1 and (text := _text(by_name[name][0].value)):
            more[field] = text
            used.add(name)
    if "gender" in by_name:
        stated = by_name["gender"][0].value.partition(";")[0].strip().upper()
        if stated in _SEXES:
            more["gender"] = _SEXES[stated]
            used.add("gender")
    if "bday" in by_name and (day := _day(by_name["bday"][0].value)):
        more["birthday"] = values.to_json(day)
        used.add("bday")
    if len(by_name.get("lang", [])) == 1:
        used.add("lang")
    for name in [name for name in by_name if name.startswith(_OWN)]:
        more[name.removeprefix(_OWN).replace("-", "_")] = _text(by_name[name][0].value)
        used.add(name)


def _day(text: str) -> date | None:
    """A whole day; one without a year (RFC 6350 §4.3.1) stays a line."""
    plain = text.strip()[:10].replace("-", "")[:8]
    try:
        return datetime.strptime(plain, "%Y%m%d").date()
    except ValueError:
        return None


def _postal(line: CardLine) -> str:
    """A postal address as lines, in the order in which its parts come; the code before the place
    only where a label says so."""
    if label := line.parameters.get("LABEL"):
        return _text(label[0])
    parts = (*_structured(line.value), *[""] * 7)[:7]
    box, further, street, place, region, code, country = parts
    lines = (further, street, box, " ".join(filter(None, (place, code))), region, country)
    return "\n".join(filter(None, (part.strip() for part in lines)))


def _structured(value: str) -> list[str]:
    """The parts of a value between semicolons, each without its escapes."""
    return [_text(part) for part in re.split(r"(?<!\\);", value)]


def _text(value: str) -> str:
    """A text without its escapes (RFC 6350 §3.4)."""
    return re.sub(r"\\(.)", lambda m: "\n" if m[1] in "nN" else m[1], value, flags=re.DOTALL)


# Writing


def write_card(contact: Contact) -> str:
    """A contact as a card, vCard 4.0, with the lines that were kept.

    >>> print(write_card(Contact("1", "ada@engine.example", first_name="Ada", last_name="Byron")))
    BEGIN:VCARD
    VERSION:4.0
    FN:Ada Byron
    N:Byron;Ada;;;
    EMAIL;PREF=1:ada@engine.example
    END:VCARD
    """
    names = (contact.last_name, contact.first_name, "", contact.title, "")
    lines = ["BEGIN:VCARD", "VERSION:4.0", f"FN:{_escaped(contact.name or contact.email)}"]
    lines.append(f"N:{';'.join(map(_escaped, names))}")
    if contact.email:
        lines.append(f"EMAIL;PREF=1:{_escaped(contact.email)}")
    lines += [f"EMAIL:{_escaped(one)}" for one in contact.addresses]
    if contact.organisation:
        lines.append(f"ORG:{_escaped(contact.organisation)}")
    if contact.phone:
        lines.append(f"TEL;PREF=1:{_escaped(contact.phone)}")
    lines += [_postal_line(one) for one in contact.postal]
    if contact.language:
        lines.append(f"LANG:{contact.language.replace('_', '-')}")
    if contact.notes:
        lines.append(f"NOTE:{_escaped(contact.notes)}")
    lines += _more_lines(contact)
    lines += [*contact.kept, "END:VCARD"]
    return "\n".join(map(folded_line, lines))


def _postal_line(text: str) -> str:
    """An address whose parts are not known: as its label, and as its street."""
    label = text.replace('"', "”").replace("\n", "\\n")
    return f'ADR;LABEL="{label}":;;{_escaped(text)};;;;'


def _more_lines(contact: Contact) -> Iterator[str]:
    for name, value in contact.more.items():
        known = {"job": "TITLE", "website": "URL"}.get(name)
        if name == "mobile":
            yield f"TEL;TYPE=cell:{_escaped(str(value))}"
        elif known:
            yield f"{known}:{_escaped(str(value))}"
        elif name == "gender" and str(value) in _SEXES.values():
            yield f"GENDER:{'M' if value == 'male' else 'F'}"
        else:
            read = values.from_json(value)
            if name == "birthday" and isinstance(read, date):
                yield f"BDAY:{read:%Y%m%d}"
            else:
                field = re.sub("[^A-Za-z0-9]", "-", name).upper()
                yield f"{_OWN.upper()}{field}:{_escaped(str(read))}"


def _escaped(text: str) -> str:
    return re.sub(r"([\\;,])", r"\\\1", text).replace("\r", "").replace("\n", "\\n")


def folded_line(line: str) -> str:
    """A line folded so that none is longer than 75 octets, between characters (RFC 6350 §3.2)."""
    pieces, piece, size = [], "", 0
    for sign in line:
        width = len(sign.encode("utf-8", "replace"))
        if size + width > _LINE_OCTETS:
            pieces.append(piece)
            piece, size = " ", 1
        piece, size = piece + sign, size + width
    return "\n".join([*pieces, piece])


def write_cards(contacts: Iterable[Contact]) -> str:
    """Several contacts as one file of cards."""
    return "".join(f"{write_card(contact)}\n" for contact in contacts)
