"""Kinds of case, and the fields that cases of a kind, or people, have."""

from collections.abc import Iterable, Mapping
from typing import Literal

from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.core.records.names import fold, label_of
from nebbet.core.records.rows import Case, is_own
from nebbet.core.sentences import said

FieldKind = Literal["text", "number", "money", "date", "time", "yes/no", "choice", "list", "file"]
FIELD_KINDS: tuple[FieldKind, ...] = (
    "text", "number", "money", "date", "time", "yes/no", "choice", "list", "file",
)  # fmt: skip
PEOPLE = "@people"  # in the place of a kind of case: all people
STATE = "@state"  # in the place of a field: the state of a case


class RecordField(Struct, frozen=True, omit_defaults=True):
    """A field that records of a kind have: the name that templates know it by, its label, what it
    holds, of a choice what there is to choose from. first says that it is shown first."""

    name: str
    kind: FieldKind = "text"
    label: str = ""
    choices: tuple[str, ...] = ()
    first: bool = False

    @property
    def title(self) -> str:
        """The label, or one made of the name."""
        return self.label or label_of(self.name)


class Prompt(Struct, frozen=True, omit_defaults=True):
    """A letter that is offered when a field of a case becomes some value: the field (STATE for the
    case's state), the value as people write it, and the template."""

    field: str
    value: str
    template: str


class Kind(Struct, frozen=True, omit_defaults=True):
    """A kind of case, or of all people: its name, its fields, which of them names a case in the
    place of its title (empty for the title itself), and which letters are offered when a case of it
    changes."""

    id: str
    name: str
    fields: tuple[RecordField, ...] = ()
    naming: str = ""
    prompts: tuple[Prompt, ...] = ()

    @property
    def is_people(self) -> bool:
        """Whether it says which fields people have."""
        return self.id == PEOPLE

    def field(self, name: str) -> RecordField | None:
        """The field of a name, as names match."""
        wanted = fold(name)
        return next((one for one in self.fields if fold(one.name) == wanted), None)


def naming_of(case: Case, kind: Kind | None) -> str:
    """What a case is called beside its number: by the field that its kind names, or its title.

    >>> naming_of(Case("1", "LS-1", title="Lost bag", fields={"bag": "red"}), None)
    'Lost bag'
    """
    if kind and kind.naming:
        wanted = fold(kind.naming)
        for name, value in case.fields.items():
            if fold(name) == wanted and isinstance(value, str) and value:
                return value
    return case.title


def asked_for(kind: Kind, before: Case, after: Case) -> list[Prompt]:
    """The letters that a change of a case asks for: those of which the field has become what it is
    to become, by this change.

    >>> claim = Kind("claim", "claim", prompts=(Prompt(STATE, "settled", "paid"),))
    >>> [one.template for one in asked_for(claim, Case("1", "C-1"), Case("1", "C-1",
    ...                                                                   state="Settled"))]
    ['paid']
    """
    return [
        one for one in kind.prompts
        if _holds(after, one.field, one.value) and not _holds(before, one.field, one.value)
    ]  # fmt: skip


def _holds(case: Case, name: str, value: str) -> bool:
    if name == STATE:
        return fold(case.state) == fold(value)
    held = next((one for key, one in case.fields.items() if fold(key) == fold(name)), None)
    if isinstance(held, bool):
        return fold(value) in (("yes", "true") if held else ("no", "false"))
    return held is not None and fold(_shown(held)) == fold(value)


def _shown(raw: object) -> str:
    """A value in its JSON form as people write it."""
    if isinstance(raw, dict):
        return str(next(iter(raw.values()), ""))
    return str(raw)


def in_order(names: Iterable[str], kind: Kind | None) -> list[str]:
    """Names of fields as they are shown: those that come first, those of the kind, the others."""
    held = {fold(name): name for name in names}
    declared = sorted(kind.fields, key=lambda one: not one.first) if kind else []
    known = [held.pop(fold(one.name), one.name) for one in declared]
    return [*known, *held.values()]


def check_kind(kind: Kind, others: Mapping[str, Kind]) -> None:
    """Raise NebbetError where a kind cannot be kept: without a name, with one that another one has,
    with fields that nobody could tell from each other."""
    name = kind.name.strip()
    if not name:
        raise NebbetError(said("A kind of case needs a name"))
    for other in others.values():
        if other.id != kind.id and fold(other.name) == fold(name):
            raise NebbetError(said("There is a kind “{name}” already", name=other.name))
    seen: set[str] = set()
    of = "contact" if kind.is_people else "case"
    for one in kind.fields:
        key = fold(one.name)
        if not key.isidentifier():
            raise NebbetError(
                said("“{name}” is no name for a field", name=one.name),
                advice=said("Letters, digits and underscores make one: return_from"),
            )
        if is_own(of, one.name):
            raise NebbetError(said("Every one has a field “{name}” already", name=one.name))
        if key in seen:
            raise NebbetError(said("The field “{name}” is there twice", name=one.name))
        if one.kind == "choice" and len(one.choices) < 2:
            raise NebbetError(said("“{name}” has nothing to choose from", name=one.title))
        seen.add(key)
    if kind.naming and fold(kind.naming) not in seen:
        raise NebbetError(said("It has no field “{name}” that could name it", name=kind.naming))
