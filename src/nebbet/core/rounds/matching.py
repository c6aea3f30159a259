"""Which column of a table is for what in a round: an address, a copy, a file, a value.

The names by which columns are known are common ones, from memory, with no source.
"""

import re
from collections.abc import Iterable, Mapping

from msgspec import Struct, field
from rapidfuzz import fuzz

from nebbet.core.characters import folded
from nebbet.core.records import fold
from nebbet.core.records.names import label_of
from nebbet.core.records.tables import ReadTable
from nebbet.core.sentences import said

VALUE = "value:"  # begins the role of a column that is for a placeholder
UNUSED = ""
# Those that several columns may have: their cells are put together.
SEVERAL = frozenset({"to", "also", "cc", "bcc", "files"})
ROLES: dict[str, str] = {
    "to": said("Address"),
    "name": said("Whole name"),
    "title": said("Title"),
    "first_name": said("First name"),
    "last_name": said("Last name"),
    "also": said("Also to"),
    "cc": said("Cc"),
    "bcc": said("Bcc"),
    "from": said("From"),
    "language": said("Language"),
    "case": said("Case number"),
    "files": said("Files"),
}
_KNOWN: dict[str, str] = {
    "to": "email,e mail,mail,email address,mail address,adresse mail,courriel,epost,e post,to,"
          "address,an,a",
    "name": "name,full name,customer,customer name,passenger,client,kunde,navn,nom complet",
    "title": "title,salutation,anrede,civilite,tittel",
    "first_name": "first name,firstname,given name,forename,vorname,prenom,fornavn",
    "last_name": "last name,lastname,surname,family name,nachname,nom,etternavn",
    "also": "also to,second address,weitere adresse",
    "cc": "cc,copy,copy to,kopie,copie,kopi",
    "bcc": "bcc,blind copy,hidden copy,blindkopie",
    "from": "sender,from address,account,absender,expediteur,avsender",
    "language": "language,lang,sprache,langue,sprak",
    "case": "number,case,case number,case no,reference,ref,booking,booking number,booking no,"
            "booking ref,booking reference,claim,claim number,claim no,ticket,ticket number,"
            "vorgang,nummer,buchungsnummer,numero,dossier,saksnummer",
    "files": "file,files,attachment,attachments,enclosure,enclosures,document,datei,dateien,"
             "anhang,fichier,piece jointe,vedlegg",
}  # fmt: skip
_ENOUGH = 82  # of 100: how much a heading has to be like a name
_SAMPLES, _MOST = 200, 0.6  # cells that are looked at; the part of them that have to be of a kind
_ADDRESS = re.compile(r"[^@\s,;<>]+@[^@\s,;<>]+\.[^@\s,;<>]+")


class Matches(Struct, frozen=True, omit_defaults=True):
    """What the columns are for: the role of each heading (VALUE and a name for a placeholder),
    which headings write days with the day first, and how an address is put together from several,
    as `{{User}}@firm.example` over headings; empty where columns have whole ones. every is what
    holds for every row whose columns do not say it, by the names of placeholders, as it was typed.
    """

    roles: dict[str, str] = field(default_factory=dict)
    day_first: dict[str, bool] = field(default_factory=dict)
    address: str = ""
    every: dict[str, str] = field(default_factory=dict)

    def headings(self, role: str) -> list[str]:
        """The headings that have a role, in their order."""
        return [heading for heading, one in self.roles.items() if one == role]

    @property
    def values(self) -> dict[str, str]:
        """The headings that are for placeholders, with their names."""
        found = ((h, role) for h, role in self.roles.items() if role.startswith(VALUE))
        return {heading: role.removeprefix(VALUE) for heading, role in found}


def role_title(role: str) -> str:
    """What a role is called."""
    if role.startswith(VALUE):
        return label_of(role.removeprefix(VALUE))
    return ROLES.get(role, said("not used"))


def propose(table: ReadTable, names: Iterable[str], kept: Mapping[str, str] = {}) -> dict[str, str]:
    """The role of each heading: as it was kept for a table of the same headings; else the
    placeholder of that name, whatever its case, spaces and signs; a role that is called so; what is
    nearly called so; what the cells speak for. names are the placeholders that the template uses.
    """
    if kept and set(kept) == set(table.headings):
        return dict(kept)
    wanted = list(dict.fromkeys(names))
    scored = sorted(
        (
            (score, -index, heading, role)
            for index, heading in enumerate(table.headings)
            for role, score in _scores(heading, wanted)
            if score >= _ENOUGH
        ),
        key=lambda one: one[:2],
        reverse=True,
    )
    found: dict[str, str] = {}
    taken: set[str] = set()
    for _score, _index, heading, role in scored:
        if heading not in found and (role in SEVERAL or role not in taken):
            found[heading] = role
            taken.add(role)
    for index, heading in enumerate(table.headings):
        if heading not in found and "to" not in taken and _has_addresses(table, index):
            found[heading] = "to"
            taken.add("to")
    return {heading: found.get(heading, UNUSED) for heading in table.headings}


def _scores(heading: str, names: Iterable[str]) -> Iterable[tuple[str, float]]:
    """How much a heading is like each role, of 100; the very name of a placeholder wins over the
    name of a role, and that over what is near."""
    plain = _plain(heading)
    if not plain:
        return
    for name in names:
        alone = name.rpartition(".")[2]
        if fold(heading) == fold(name):
            yield VALUE + name, 103
        elif fold(heading) == fold(alone):
            yield VALUE + name, 101.5
        else:
            yield (
                VALUE + name,
                max(fuzz.ratio(plain, _plain(name)), fuzz.ratio(plain, _plain(alone))),
            )
    for role, known in _KNOWN.items():
        forms = known.split(",")
        near = max(fuzz.ratio(plain, form) for form in forms)
        yield role, 102 if plain in forms else near


def _plain(text: str) -> str:
    return " ".join(re.findall(r"\w+", folded(text.replace("_", " ").replace(".", " "))))


def _has_addresses(table: ReadTable, index: int) -> bool:
    cells = [cell for cell, _ in zip(table.column(index), range(_SAMPLES), strict=False)]
    texts = [cell for cell in cells if isinstance(cell, str) and _ADDRESS.search(cell)]
    return bool(texts) and len(texts) >= len(cells) * _MOST
