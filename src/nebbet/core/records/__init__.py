"""Contacts, cases, members and facts as typed rows."""

import re
import unicodedata
from collections.abc import Mapping
from functools import lru_cache

from msgspec import Struct, field

from nebbet.core import values
from nebbet.core.values import Value


class Contact(Struct, frozen=True, omit_defaults=True):
    """A person one writes to. more holds free fields in their JSON form."""

    id: str
    email: str = ""
    title: str = ""
    first_name: str = ""
    last_name: str = ""
    organisation: str = ""
    phone: str = ""
    language: str = ""
    more: dict[str, object] = field(default_factory=dict)

    @property
    def name(self) -> str:
        """First and last name, or the organisation where there is neither."""
        return " ".join(filter(None, (self.first_name, self.last_name))) or self.organisation


class Case(Struct, frozen=True, omit_defaults=True):
    """The matter one writes about. fields holds its values in their JSON form."""

    id: str
    number: str
    kind: str = ""
    title: str = ""
    contact: str = ""
    fields: dict[str, object] = field(default_factory=dict)


class Member(Struct, frozen=True, omit_defaults=True):
    """A person of the team who writes letters. signatures are bodies by language, with {{name}};
    more holds free fields in their JSON form. left says that they left the team."""

    id: str
    first_name: str
    last_name: str
    email: str
    role: str = "colleague"
    job: str = ""
    phone: str = ""
    language: str = "en_GB"
    signatures: dict[str, str] = field(default_factory=dict)
    more: dict[str, object] = field(default_factory=dict)
    left: bool = False

    @property
    def name(self) -> str:
        """First and last name."""
        return " ".join(filter(None, (self.first_name, self.last_name)))


class Fact(Struct, frozen=True, omit_defaults=True):
    """A value that the whole team shares, kept in one place, in its JSON form."""

    name: str
    value: object
    label: str = ""


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


def contact_for(contact_id: str, name: str, email: str) -> Contact:
    """Somebody who is not on file, by the name and address that were typed.

    >>> contact_for("x", "Ada King Byron", "ada@engine.example").last_name
    'Byron'
    """
    first, _, last = name.rpartition(" ")
    if not first:
        first, last = last, ""
    return Contact(contact_id, email=email, first_name=first, last_name=last)


def contact_fields(contact: Contact) -> dict[str, Value]:
    """Every field of a contact that holds something."""
    own: Mapping[str, Value] = {
        "title": contact.title,
        "first_name": contact.first_name,
        "last_name": contact.last_name,
        "name": contact.name,
        "email": contact.email,
        "organisation": contact.organisation,
        "phone": contact.phone,
    }
    return _filled(own) | _filled(values.mapping_from_json(contact.more))


def case_fields(case: Case) -> dict[str, Value]:
    """Every field of a case that holds something."""
    own: Mapping[str, Value] = {"number": case.number, "kind": case.kind, "title": case.title}
    return _filled(own) | _filled(values.mapping_from_json(case.fields))


def member_fields(member: Member) -> dict[str, Value]:
    """Every field of a member that holds something."""
    own: Mapping[str, Value] = {
        "first_name": member.first_name,
        "last_name": member.last_name,
        "name": member.name,
        "email": member.email,
        "phone": member.phone,
        "job": member.job,
    }
    return _filled(own) | _filled(values.mapping_from_json(member.more))


def _filled(fields: Mapping[str, Value]) -> dict[str, Value]:
    return {name: value for name, value in fields.items() if value != ""}


CONTACT_FIELDS = ("title", "first_name", "last_name", "name", "email", "organisation", "phone")
CASE_FIELDS = ("number", "kind", "title")
MEMBER_FIELDS = ("first_name", "last_name", "name", "email", "phone", "job")
