"""Cards of people. Sources: RFC 6350 (vCard 4.0) §3.2, §3.4, §5.3, §8; RFC 2426 (3.0) §7; the
sample of vobject's own documentation, from memory."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core.errors import NebbetError
from nebbet.core.records import Contact
from nebbet.core.records.cards import folded_line, read_cards, write_card, write_cards

# RFC 6350 §8, "Example: Author's vCard", shortened by its KEY and its PHOTO.
PERREAULT = """BEGIN:VCARD
VERSION:4.0
FN:Simon Perreault
N:Perreault;Simon;;;ing. jr,M.Sc.
BDAY:--0203
GENDER:M
LANG;PREF=1:fr
LANG;PREF=2:en
ORG;TYPE=work:Viagenie
ADR;TYPE=work:;Suite D2-630;2875 Laurier;
 Quebec;QC;G1V 2M2;Canada
TEL;VALUE=uri;TYPE="work,voice";PREF=1:tel:+1-418-656-9254;ext=102
TEL;VALUE=uri;TYPE="work,cell,voice,video,text":tel:+1-418-262-6501
EMAIL;TYPE=work:simon.perreault@viagenie.ca
GEO;TYPE=work:geo:46.772673,-71.282945
TZ:-0500
URL;TYPE=home:http://nomis80.org
END:VCARD
"""
# RFC 2426 §7, "Authors' Addresses" as cards.
DAWSON = """BEGIN:vCard
VERSION:3.0
FN:Frank Dawson
ORG:Lotus Development Corporation
ADR;TYPE=WORK,POSTAL,PARCEL:;;6544 Battleford Drive
 ;Raleigh;NC;27613-3502;U.S.A.
TEL;TYPE=VOICE,MSG,WORK:+1-919-676-9515
TEL;TYPE=FAX,WORK:+1-919-676-9564
EMAIL;TYPE=INTERNET,PREF:Frank_Dawson@Lotus.com
EMAIL;TYPE=INTERNET:fdawson@earthlink.net
URL:http://home.earthlink.net/~fdawson
END:vCard


BEGIN:vCard
VERSION:3.0
FN:Tim Howes
ORG:Netscape Communications Corp.
ADR;TYPE=WORK:;;501 E. Middlefield Rd.;Mountain View;
 CA; 94043;U.S.A.
TEL;TYPE=VOICE,MSG,WORK:+1-415-937-3419
TEL;TYPE=FAX,WORK:+1-415-528-4164
EMAIL;TYPE=INTERNET:howes@netscape.com
END:vCard
"""
VOBJECT = "BEGIN:VCARD\nVERSION:3.0\nEMAIL;TYPE=INTERNET:jeffrey@osafoundation.org\nFN:Jeffrey Harris\nN:Harris;Jeffrey;;;\nEND:VCARD\n"  # noqa: E501


def one(text: str) -> Contact:
    (card,) = read_cards(text)
    assert card.contact is not None, card.refused
    return card.contact


def test_the_card_of_rfc_6350() -> None:
    found = one(PERREAULT)
    assert (found.first_name, found.last_name) == ("Simon", "Perreault")
    assert found.email == "simon.perreault@viagenie.ca" and found.language == "fr"
    assert found.organisation == "Viagenie" and found.phone == "+1-418-656-9254;ext=102"
    assert found.postal == ("Suite D2-630\n2875 Laurier\nQuebec G1V 2M2\nQC\nCanada",)
    assert found.more == {
        "gender": "male", "website": "http://nomis80.org", "mobile": "+1-418-262-6501",
    }  # fmt: skip
    # What has no field, or does not fit one (a day without a year, a second language), is kept.
    assert {line.partition(":")[0].partition(";")[0] for line in found.kept} == {
        "BDAY", "LANG", "GEO", "TZ",
    }  # fmt: skip


def test_the_cards_of_rfc_2426() -> None:
    frank, tim = (card.contact for card in read_cards(DAWSON))
    assert frank and tim
    assert frank.email == "Frank_Dawson@Lotus.com"  # the preferred one first
    assert frank.addresses == ("fdawson@earthlink.net",)
    assert frank.phone == "+1-919-676-9515" and any("9564" in line for line in frank.kept)
    assert frank.postal == ("6544 Battleford Drive\nRaleigh 27613-3502\nNC\nU.S.A.",)
    assert tim.name == "Tim Howes" and tim.organisation == "Netscape Communications Corp."


def test_the_sample_of_vobject() -> None:
    found = one(VOBJECT)
    assert (found.name, found.email) == ("Jeffrey Harris", "jeffrey@osafoundation.org")


def test_what_programs_write_as_2_1() -> None:
    """Common practice, no source: quoted-printable with a charset, types without a name."""
    text = (
        "BEGIN:VCARD\nVERSION:2.1\nN;CHARSET=ISO-8859-1;ENCODING=QUOTED-PRINTABLE:M=FCller;J=F6rg\n"
        "NOTE;ENCODING=QUOTED-PRINTABLE:first=0D=0Asecond\nTEL;CELL:0171 1\nEND:VCARD\n"
    )
    found = one(text)
    assert (found.first_name, found.last_name) == ("Jörg", "Müller")
    assert found.phone == "0171 1" and "second" in found.notes


def test_a_card_that_names_nobody_is_refused_and_its_neighbours_are_read() -> None:
    text = f"BEGIN:VCARD\nVERSION:4.0\nTZ:1\nEND:VCARD\n{VOBJECT}no line\nBEGIN:VCARD\nFN:Cut off"
    told = [(card.number, bool(card.contact)) for card in read_cards(text)]
    assert told == [(1, False), (2, True), (3, True)]


@pytest.mark.parametrize("text", ["", "name,email\nAnn,a@x.example\n", "BEGIN:VCALENDAR"])
def test_what_is_no_card_gets_one_sentence(text: str) -> None:
    with pytest.raises(NebbetError, match="There is no card in it"):
        read_cards(text)


_TEXTS = st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=60).map(str.strip)


@given(
    st.builds(
        Contact,
        st.just(""),
        email=st.just("a@x.example"),
        first_name=_TEXTS,
        last_name=_TEXTS,
        organisation=_TEXTS,
        notes=_TEXTS,
        postal=_TEXTS.map(lambda text: (text,) if text else ()),
    )
)
def test_what_is_written_is_read_as_it_was(contact: Contact) -> None:
    said = {name: getattr(contact, name) for name in ("notes", "organisation", "postal")}
    read = one(write_card(contact))
    assert {name: getattr(read, name) for name in said} == said
    assert read.last_name.replace(",", " ") == contact.last_name.replace(",", " ")


def test_lines_are_folded_between_signs() -> None:
    """RFC 6350 §3.2: at most 75 octets, and a sign of several octets is not cut."""
    folded = folded_line("NOTE:" + "Zoë über " * 30)
    assert all(len(line.encode()) <= 75 for line in folded.split("\n"))
    assert folded.replace("\n ", "") == "NOTE:" + "Zoë über " * 30


def test_kept_lines_and_own_fields_come_back() -> None:
    contact = Contact(
        "", "a@x.example", first_name="Ann", more={"season_ticket": "Quillan"}, kept=("TZ:-0500",)
    )
    assert one(write_cards([contact])) == contact
