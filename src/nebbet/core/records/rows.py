"""Contacts, cases, members and facts as typed rows."""

from collections.abc import Mapping

from msgspec import Struct, field

from nebbet.core import values
from nebbet.core.records.names import fold
from nebbet.core.values import Value

_UNFILED = "new-"  # the ids of people who are in a letter and not on file begin with this


class Contact(Struct, frozen=True, omit_defaults=True):
    """A person one writes to. more holds free fields in their JSON form.

    addresses are further mail addresses, postal where they live, a text of several lines each.
    greeting is how a letter to them begins where that is special. People of one household have
    the same word there, as those of one organisation have its name. filed says that they are filed
    away, same_as whose other record this is, once the ids of records that became this one,
    apart those of people who were taken for them and are not; source names the linked table that
    they come from, gone that they are not in it any more. kept holds, as it was, what a card said
    of them that has no field here.
    """

    id: str
    email: str = ""
    title: str = ""
    first_name: str = ""
    last_name: str = ""
    organisation: str = ""
    phone: str = ""
    language: str = ""
    more: dict[str, object] = field(default_factory=dict)
    addresses: tuple[str, ...] = ()
    postal: tuple[str, ...] = ()
    greeting: str = ""
    household: str = ""
    notes: str = ""
    filed: bool = False
    same_as: str = ""
    once: tuple[str, ...] = ()
    apart: tuple[str, ...] = ()
    source: str = ""
    gone: bool = False
    kept: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """First and last name, or the organisation where there is neither."""
        return " ".join(filter(None, (self.first_name, self.last_name))) or self.organisation

    @property
    def every_address(self) -> tuple[str, ...]:
        """Their mail addresses, the one that letters go to first."""
        return tuple(filter(None, (self.email, *self.addresses)))

    @property
    def is_on_file(self) -> bool:
        """Whether it is somebody of the library, and not only of one letter."""
        return bool(self.id) and not self.id.startswith(_UNFILED)


class Case(Struct, frozen=True, omit_defaults=True):
    """The matter one writes about. fields holds its values in their JSON form.

    people are further people in it beside its contact, files are files of the library by SHA-256.
    state is a word of the team's, such as open; filed, source and gone are as a contact's.
    """

    id: str
    number: str
    kind: str = ""
    title: str = ""
    contact: str = ""
    fields: dict[str, object] = field(default_factory=dict)
    people: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    state: str = ""
    notes: str = ""
    filed: bool = False
    source: str = ""
    gone: bool = False

    def is_about(self, contact: Contact) -> bool:
        """Whether a letter about it may go to somebody: it is theirs, nobody's, or they are in
        it."""
        return self.contact in ("", contact.id) or contact.id in self.people


class Person(Struct, frozen=True):
    """Somebody on file, and their case where they have only one."""

    contact: Contact
    case: Case | None = None


class Matter(Struct, frozen=True):
    """A case and its contact, where that is on file."""

    case: Case
    contact: Contact | None = None


class Member(Struct, frozen=True, omit_defaults=True):
    """A person of the team who writes letters. signatures are bodies by language, with {{name}};
    more holds free fields in their JSON form. left says that they left the team. mailboxes are the
    addresses of the team's mailboxes that they may send from."""

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
    mailboxes: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """First and last name."""
        return " ".join(filter(None, (self.first_name, self.last_name)))

    def may_send_from(self, spec: str) -> bool:
        """Whether one of the team's mailboxes, by its address, is theirs to send from."""
        return any(one.casefold() == spec.casefold() for one in self.mailboxes)


class Fact(Struct, frozen=True, omit_defaults=True):
    """A value that the whole team shares, kept in one place, in its JSON form."""

    name: str
    value: object
    label: str = ""


def contact_for(contact_id: str, name: str, email: str) -> Contact:
    """Somebody who is not on file, by the name and address that were typed.

    >>> contact_for("x", "Ada King Byron", "ada@engine.example").last_name
    'Byron'
    """
    first, last = parted(name)
    return Contact(contact_id, email=email, first_name=first, last_name=last)


def unfiled_id(token: str) -> str:
    """The id of somebody who is in a letter and not on file.

    >>> Contact(unfiled_id("a1")).is_on_file
    False
    """
    return f"{_UNFILED}{token}"


def parted(name: str) -> tuple[str, str]:
    """The first and the last name of a whole one; "Byron, Ada" is read as well.

    >>> parted("Ada King Byron"), parted("Byron, Ada"), parted("Ada")
    (('Ada King', 'Byron'), ('Ada', 'Byron'), ('Ada', ''))
    """
    last, comma, first = name.partition(",")
    if comma and first.strip():
        return first.strip(), last.strip()
    first, _, last = name.strip().rpartition(" ")
    return (first.strip(), last) if first else (last, "")


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
        "postal_address": contact.postal[0] if contact.postal else "",
    }
    return _filled(own) | _filled(values.mapping_from_json(contact.more))


def case_fields(case: Case) -> dict[str, Value]:
    """Every field of a case that holds something."""
    own: Mapping[str, Value] = {
        "number": case.number,
        "kind": case.kind,
        "title": case.title,
        "state": case.state,
    }
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


CONTACT_FIELDS = ("title", "first_name", "last_name", "name", "email", "organisation", "phone",
                  "postal_address")  # fmt: skip
CASE_FIELDS = ("number", "kind", "title", "state")
MEMBER_FIELDS = ("first_name", "last_name", "name", "email", "phone", "job")
_OWN_NAMES = {
    "contact": frozenset(map(fold, (*CONTACT_FIELDS, *Contact.__struct_fields__))),
    "case": frozenset(map(fold, (*CASE_FIELDS, *Case.__struct_fields__))),
}


def is_own(of: str, name: str) -> bool:
    """Whether a name means one of the fields that every contact (or case) has.

    >>> is_own("contact", "First name"), is_own("contact", "season")
    (True, False)
    """
    return fold(name) in _OWN_NAMES[of]
