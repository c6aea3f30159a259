"""Which column of a table goes into which field: proposed by the columns' names and by what is in
them. The names are common ones, from memory, with no source."""

import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime, time
from decimal import Decimal

from msgspec import Struct
from rapidfuzz import fuzz

from nebbet.core.characters import folded
from nebbet.core.records.kinds import Kind
from nebbet.core.records.names import fold, label_of
from nebbet.core.records.tables import ReadTable
from nebbet.core.sentences import said

LEFT_OUT = ""  # the target of a column that is not taken
NEW = "+"  # begins the target of a column that becomes a field of its heading's name
_ENOUGH = 84  # of 100: how much a heading has to be like a known name
_SAMPLES = 200  # cells of a column that are looked at
_MOST = 0.7  # of the cells that have to be of a kind
_ADDRESS = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")
_PHONE = re.compile(r"\+?[\d\s()/.-]{6,20}")


def title_of(key: str) -> str:
    """What a field that every record has is called."""
    return _TITLES.get(key) or label_of(key)


class Target(Struct, frozen=True):
    """A field that a column can go into: its key, what it is called, and whether several columns
    may go there."""

    key: str
    title: str
    several: bool = False


_PEOPLE: dict[str, str] = {
    "email": "email,e mail,mail,email address,mail address,adresse mail,courriel,epost,e post",
    "first_name": "first name,firstname,given name,forename,vorname,prenom,fornavn,voornaam,"
                  "nombre,nome",
    "last_name": "last name,lastname,surname,family name,nachname,familienname,nom,etternavn,"
                 "achternaam,apellido,apellidos,cognome",
    "name": "name,full name,contact,customer,customer name,passenger,client,kunde,ganzer name,"
            "nom complet,navn,naam",
    "title": "title,salutation,mr ms,anrede,titel,civilite,tittel",
    "organisation": "organisation,organization,company,firm,employer,firma,unternehmen,societe,"
                    "entreprise,bedrift,bedrijf,empresa,azienda",
    "phone": "phone,telephone,phone number,tel,mobile,mobile number,cell,telefon,handy,portable,"
             "telefono,telefoon",
    "language": "language,lang,locale,sprache,langue,sprak,taal,idioma,lingua",
    "postal": "address,postal address,street,street address,anschrift,adresse,strasse,rue,postcode,"
              "zip,city,town,country,plz,ort,stadt,land,ville,pays,postnummer,poststed",
    "addresses": "other email,second email,email 2,further addresses,weitere email",
    "household": "household,family,haushalt,foyer,husstand",
    "greeting": "greeting,dear,briefanrede",
    "notes": "notes,note,remarks,comment,comments,bemerkung,bemerkungen,notizen,remarques,merknad",
}  # fmt: skip
_CASES: dict[str, str] = {
    "number": "number,case,case number,reference,ref,booking,booking number,booking reference,"
              "claim,claim number,ticket,order,order number,nummer,aktenzeichen,vorgang,numero,"
              "dossier,saksnummer,id",
    "kind": "kind,type,category,art,typ,kategorie,genre,slag",
    "title": "title,subject,matter,description,betreff,titel,objet,emne",
    "contact": "contact,customer,email,passenger,client,kunde,person,customer email,contact email,"
               "name,kunde email",
    "people": "people,others,companions,mitreisende,weitere personen",
    "state": "state,status,stage,zustand,etat,statut",
    "notes": "notes,note,remarks,comment,comments,bemerkung,bemerkungen,remarques",
}  # fmt: skip


def targets(kind: Kind | None, fields: Iterable[str], *, people: bool) -> list[Target]:
    """The fields that columns can go into: those that every record has, those of the kind, and
    those that other records have."""
    known = _PEOPLE if people else _CASES
    found = [Target(key, title_of(key), key in _SEVERAL) for key in known]
    seen = {fold(target.key) for target in found}
    declared = [(one.name, one.title) for one in kind.fields] if kind else []
    for name, title in (*declared, *((name, label_of(name)) for name in fields)):
        if fold(name) not in seen:
            seen.add(fold(name))
            found.append(Target(name, title))
    return found


_SEVERAL = frozenset({"postal", "addresses", "notes", "people"})
_TITLES = {
    "email": said("Mail address"),
    "addresses": said("Further mail addresses"),
    "name": said("Whole name"),
    "title": said("Title"),
    "postal": said("Postal address"),
    "contact": said("Contact: address, or name"),
    "people": said("Further people: addresses, or names"),
}


def propose(
    table: ReadTable,
    offered: Sequence[Target],
    remembered: Mapping[str, str] | None = None,
) -> dict[str, str]:
    """The target of each heading: as it was for the last table of this shape, else by name, else by
    what is in the column. What fits nothing becomes a field of its own name."""
    if remembered and set(remembered) == set(table.headings):
        return dict(remembered)
    people = any(target.key == "email" for target in offered)
    found: dict[str, str] = {}
    taken: set[str] = set()
    scored = sorted(
        (
            (score, -index, heading, target)
            for index, heading in enumerate(table.headings)
            for target in offered
            if (score := _likeness(heading, target, people=people)) >= _ENOUGH
        ),
        key=lambda one: one[:2],
        reverse=True,
    )
    for _score, _index, heading, target in scored:
        if heading not in found and (target.several or target.key not in taken):
            found[heading] = target.key
            taken.add(target.key)
    for index, heading in enumerate(table.headings):
        if heading not in found:
            by_content = _by_content(table, index, people=people)
            fits = by_content and by_content not in taken
            found[heading] = by_content if fits else NEW
            taken.add(found[heading])
    return {heading: found[heading] for heading in table.headings}


def _likeness(heading: str, target: Target, *, people: bool) -> float:
    """How much a heading is like the names of a field, of 100."""
    wanted = " ".join(re.findall(r"\w+", folded(heading.replace("_", " "))))
    names = (_PEOPLE if people else _CASES).get(target.key, "").split(",")
    own = [folded(target.title), folded(target.key.replace("_", " "))]
    return max((fuzz.ratio(wanted, name) for name in (*names, *own) if name), default=0.0)


def _by_content(table: ReadTable, index: int, *, people: bool) -> str:
    """The field that a column's cells speak for."""
    cells = [cell for cell, _ in zip(table.column(index), range(_SAMPLES), strict=False)]
    texts = [cell for cell in cells if isinstance(cell, str)]
    if not cells:
        return LEFT_OUT
    if sum(bool(_ADDRESS.fullmatch(text)) for text in texts) > len(cells) * _MOST:
        return "email" if people else "contact"
    phones = [t for t in texts if _PHONE.fullmatch(t) and sum(c.isdigit() for c in t) > 6]
    if (
        people
        and len(phones) > len(cells) * _MOST
        and any(t.startswith(("+", "0")) for t in phones)
    ):
        return "phone"
    return ""


def kind_of_column(table: ReadTable, index: int) -> str:
    """What a column holds, as the kinds of fields are called."""
    cells = [cell for cell, _ in zip(table.column(index), range(_SAMPLES), strict=False)]
    for kind, types in (("yes/no", bool), ("number", Decimal), ("date", date), ("time", time)):
        if cells and all(isinstance(cell, types) for cell in cells):
            return kind
    if cells and all(isinstance(cell, date | datetime) for cell in cells):
        return "date"
    return "text"
