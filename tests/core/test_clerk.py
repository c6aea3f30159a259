"""What a careful clerk looks at twice: for each rule a letter that trips it, and near ones that do
not. Sources: card numbers, Luhn (ISO/IEC 7812-1 annex B) with the test numbers that card networks
publish, from memory; account numbers, ISO 13616 with the examples of its registry, from memory;
sizes after encoding, RFC 2045 §6.8. The words of greetings and promises are common practice, no
source."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from nebbet.core import checks, inline
from nebbet.core.body import read, text_of
from nebbet.core.checks import About, Earlier
from nebbet.core.checks.account_numbers import card_numbers, ibans, luhn
from nebbet.core.checks.date_rules import days_in
from nebbet.core.checks.greetings import greeted, is_greeting
from nebbet.core.dates import WorkingCalendar
from nebbet.core.letter import Attachment, Letter
from nebbet.core.placeholders import Particular, Placeholder
from nebbet.core.records import Case, Contact
from nebbet.core.values import Money

TODAY = date(2026, 11, 25)
ANN = Contact("c1", "ann.pell@post.example", "Ms", "Ann", "Pell", language="en_GB")
CASE = Case("k1", "LS-48213", "refund", contact="c1")
CALENDAR = WorkingCalendar(closed={date(2026, 12, 24): "Office closed"})
ABOUT = About(TODAY, CALENDAR, "me@lisle.example", ("lisle.example",))


def letter(text: str = "Dear Ms Pell,\nThank you.", **about: object) -> Letter:
    source = "".join(f"<p>{line}</p>\n" for line in text.split("\n"))
    made = Letter("l", subject=("About",), body=read(source), recipient=ANN, case=CASE)
    return replace(made, **about)


def found(rule: str, made: Letter, about: About = ABOUT, **more: object) -> list[str]:
    told = checks.check(made, more.get("particulars", ()), lambda _f: True, about=about)  # type: ignore[arg-type]
    return [one.sentence for one in told if one.rule == rule]


def amount(value: str) -> dict[str, object]:
    placeholder, money = Placeholder("sum", label="Refund"), Money(Decimal(value), "GBP")
    return {"particulars": [Particular(placeholder, value, value, "", value=money)]}


OWN_FILE = letter(attachments=(Attachment("f", ("statement.pdf",)),))
SIGNED = replace(ABOUT, name="Ivo Marsh", signature="<p>{{sender.name}}</p>")
LINK = '<a href="https://www.evil.example/x">{}</a>'
TRIPS: dict[str, tuple[str, Letter, About]] = {
    "another person": ("other person", letter("Dear Ms Pell,\nAs Bo Quill said."),
                       replace(ABOUT, strangers=("Bo Quill",))),
    "another person in a file": ("other person", OWN_FILE, replace(
        ABOUT, strangers=("Bo Quill",), contents={"f": "To Bo Quill"})),
    "another case in a file": ("other case", OWN_FILE, replace(
        ABOUT, contents={"f": "Claim LS-48999 was paid."})),
    "two languages": ("two languages", letter(
        "Dear Ms Pell,\nThank you for your letter, which we have read and will answer.\n"
        "Wir haben Ihre Nachricht erhalten und werden sie bald prüfen."), ABOUT),
    "a text in another language": ("language", letter(
        "Wir haben Ihre Nachricht erhalten und werden sie bald prüfen."), ABOUT),
    "two signatures": ("signed twice", letter("Thank you.\nIvo Marsh\nKind regards,\nIvo Marsh, "
                                              "Passenger Service"), SIGNED),
    "no signature": ("unsigned", letter("Dear Ms Pell,\nThank you."), SIGNED),
    "another case": ("other case", letter("Dear Ms Pell,\nAbout LS-48312."), ABOUT),
    "its file": ("other case", letter(attachments=(Attachment("f", ("LS-40000.pdf",)),)), ABOUT),
    "another name": ("greeting", letter("Dear Mr Quill,\nThank you."), ABOUT),
    "another name in German": ("greeting", letter("Sehr geehrte Frau Marlow,\nDanke."), ABOUT),
    "two greetings": ("greeting", letter("Hello,\nDear Ms Pell,\nThank you."), ABOUT),
    "a slip in the domain": ("domain", letter(recipient=replace(ANN, email="a@gmial.com")), ABOUT),
    "a slip in ours": ("domain", letter(recipient=replace(ANN, email="a@lilse.example")), ABOUT),
    "an old address": ("other address", letter(), replace(ABOUT, on_file=("ann@new.example",))),
    "to oneself": ("to oneself", letter(recipient=replace(ANN, email="ME@lisle.example")), ABOUT),
    "again": ("again", letter(), replace(ABOUT, lately=(Earlier(TODAY, "Ivo"),))),
    "another language": ("language", letter(language="de"), ABOUT),
    "a card": ("account number", letter("Your card 4111 1111 1111 1111 was charged."), ABOUT),
    "an account": ("account number", letter("To GB82 WEST 1234 5698 7654 32 please."), ABOUT),
    "another kind": ("kind", letter(), replace(ABOUT, kinds=("lost property", "freight"))),
    "a file twice": ("same file", letter(attachments=(Attachment("f", ("a.pdf",)),) * 2), ABOUT),
    "a link that lies": ("link says", letter(f"See {LINK.format('www.lisle.example')}."), ABOUT),
    "many": ("many", letter(to=(", ".join(f"{n}@x.example" for n in range(5)),)), ABOUT),
    "a wrong weekday": ("weekday", letter("We sail on Tuesday 7 December 2026."), ABOUT),
    "a wrong weekday in French": (
        "weekday", letter("Départ le mardi 7 décembre 2026.", language="fr"), ABOUT),
    "a promise for the past": ("past", letter("Please answer by 3 November 2026."), ABOUT),
    "a promise for a closure": ("closed", letter("You hear from us by 24 December 2026."), ABOUT),
}  # fmt: skip
PASSES: dict[str, tuple[str, Letter, About]] = {
    "somebody who is not named": ("other person", letter(), replace(
        ABOUT, strangers=("Bo Quill",), contents={"other": "Bo Quill"})),
    "its own number in a file": ("other case", OWN_FILE, replace(
        ABOUT, contents={"f": "Claim LS-48213 was paid."})),
    "a line in another language": ("two languages", letter(
        "Thank you for your letter, which we have read and will answer.\nBon voyage à vous !"),
        ABOUT),
    "quoted words in another language": ("two languages", replace(letter(), body=read(
        "<p>Thank you for your letter, which we have read and will answer.</p>"
        "<blockquote><p>Wir haben Ihre Nachricht erhalten und werden sie bald prüfen.</p>"
        "</blockquote>")), ABOUT),
    "signed, and named": ("signed twice", letter("Ivo Marsh has looked into it.\nIvo Marsh"),
                          SIGNED),
    "signed by first name": ("unsigned", letter("Dear Ms Pell,\nThank you.\nIvo"), SIGNED),
    "a template ends as it ends": ("unsigned", letter(template="t"), SIGNED),
    "its own number": ("other case", letter("About LS-48213, as ls 48213."), ABOUT),
    "a number in a field": ("other case", letter("About LS-40000.", case=replace(CASE, fields={
        "former": "LS-40000"})), ABOUT),
    "a longer number": ("other case", letter("Ring 01632 960 123, code XLS-482134."), ABOUT),
    "its own name": ("greeting", letter("Dear Ann Pell,\nThank you."), ABOUT),
    "by initial": ("greeting", letter("Dear Ms. Pell,\nThank you."), ABOUT),
    "neutral": ("greeting", letter("Sehr geehrte Damen und Herren,\nDanke."), ABOUT),
    "what begins alike": ("greeting", letter("Dear Ms Pell,\nHi seas kept us in port."), ABOUT),
    "a greeting of one's own": ("greeting", letter("Dear Nan,", recipient=replace(
        ANN, greeting="Dear Nan,")), ABOUT),
    "both are greeted": ("greeting", letter("Dear Ann Pell and Bo Quill,", to=(
        "Bo Quill <b@x.example>",)), ABOUT),
    "a common domain": ("domain", letter(recipient=replace(ANN, email="a@gmail.com")), ABOUT),
    "a domain of its own": ("domain", letter(recipient=replace(ANN, email="a@gmkl.org")), ABOUT),
    "a short one": ("domain", letter(recipient=replace(ANN, email="a@ne.com")), ABOUT),
    "another of theirs": ("other address", letter(), replace(
        ABOUT, on_file=("ann@new.example", "Ann.Pell@post.example"))),
    "somebody not on file": ("other address", letter(), ABOUT),
    "a colleague": ("to oneself", letter(recipient=replace(ANN, email="you@lisle.example")), ABOUT),
    "for the first time": ("again", letter(), ABOUT),
    "the same language elsewhere": ("language", letter(language="en_US"), ABOUT),
    "a card with a slip": ("account number", letter("Card 4111 1111 1111 1112."), ABOUT),
    "a booking": ("account number", letter("Booking 2026-11-25-000123456789, GB29 NWBK."), ABOUT),
    "one of its kinds": ("kind", letter(), replace(ABOUT, kinds=("refund",))),
    "for any kind": ("kind", letter(), ABOUT),
    "two files": ("same file", letter(attachments=(
        Attachment("f", ("a",)), Attachment("g", ("a",)))), ABOUT),
    "a link that is true": ("link says", letter(LINK.format("evil.example")), ABOUT),
    "words for a link": ("link says", letter(LINK.format("our page")), ABOUT),
    "a household": ("many", letter(to=("b@x.example, c@x.example",)), ABOUT),
    "the right weekday": ("weekday", letter("We sail on Monday 7 December 2026."), ABOUT),
    "a day without its weekday": ("weekday", letter("We sail on 7 December 2026."), ABOUT),
    "a day that was": ("past", letter("You sailed on 3 November 2026."), ABOUT),
    "a promise to come": ("past", letter("Please answer by 3 December 2026."), ABOUT),
    "the closure itself": ("closed", letter("We are closed on 24 December 2026."), ABOUT),
}  # fmt: skip


@pytest.mark.parametrize("name", TRIPS)
def test_a_clerk_would_look_twice(name: str) -> None:
    rule, made, about = TRIPS[name]
    assert len(found(rule, made, about)) == 1


@pytest.mark.parametrize("name", PASSES)
def test_a_clerk_would_not(name: str) -> None:
    rule, made, about = PASSES[name]
    assert found(rule, made, about) == []


def test_a_signature_goes_under_the_text_and_before_what_is_quoted() -> None:
    made = letter()
    quoted = read("<blockquote><p>You wrote.</p></blockquote>")
    made = replace(made, body=(*made.body, *quoted))
    told = checks.check(made, (), lambda _f: True, about=SIGNED)
    (remedy,) = (one.remedy for one in told if one.rule == "unsigned" and one.remedy)
    text = inline_names(checks.apply(made, remedy))
    assert text == ["Dear Ms Pell,", "Thank you.", "{{sender.name}}", "You wrote."]


def test_an_old_address_is_mended() -> None:
    about = replace(ABOUT, on_file=("ann@new.example",))
    told = checks.check(letter(), (), lambda _f: True, about=about)
    (remedy,) = (one.remedy for one in told if one.rule == "other address" and one.remedy)
    recipient = checks.apply(letter(), remedy).recipient
    assert recipient and recipient.email == "ann@new.example"


def inline_names(made: Letter) -> list[str]:
    return [inline.source(text_of(block)) for block in made.body]


def test_an_amount_of_nothing() -> None:
    assert found("amount", letter(), **amount("0.00")) == ["Refund is 0.00"]
    assert found("amount", letter(), **amount("-4")) and not found(
        "amount", letter(), **amount("4")
    )


def test_sizes_are_those_after_encoding() -> None:
    """RFC 2045 §6.8: 57 octets become a line of 76 signs and its end."""
    near = letter(attachments=(Attachment("f", ("a.pdf",), size=19_000_000),))
    over = letter(attachments=(Attachment("f", ("a.pdf",), size=19_300_000),))
    assert not found("size", near) and found("size", over)


def test_a_lead_sets_how_grave_a_check_is() -> None:
    made = letter("Dear Mr Quill,")

    def told(grade: str) -> list[str]:
        result = checks.check(made, (), lambda _f: True, about=ABOUT, grades={"greeting": grade})  # type: ignore[dict-item]
        return [one.severity for one in result if one.rule == "greeting"]

    assert (told("stop"), told("note"), told("off")) == (["stop"], ["note"], [])


# Parts


@pytest.mark.parametrize(
    "number",
    ["4111111111111111", "5555 5555 5555 4444", "3782-822463-10005", "6011111111111117"],
)
def test_card_numbers_that_networks_publish_for_trying(number: str) -> None:
    assert list(card_numbers(f"it is {number}.")) == [number]


@given(st.integers(10**11, 10**18).map(str))
def test_one_wrong_digit_is_always_found(digits: str) -> None:
    whole = next(f"{digits}{last}" for last in "0123456789" if luhn(f"{digits}{last}"))
    wrong = str((int(whole[5]) + 1) % 10)
    assert not luhn(f"{whole[:5]}{wrong}{whole[6:]}")


@pytest.mark.parametrize(
    "number",
    ["GB29 NWBK 6016 1331 9268 19", "DE89370400440532013000", "FR14 2004 1010 0505 0001 3M02 606",
     "NO93 8601 1117 947", "CH93 0076 2011 6238 5295 7", "MT84 MALT 0110 0001 2345 MTLC AST0 01S"],
)  # fmt: skip
def test_account_numbers_of_the_registry(number: str) -> None:
    assert list(ibans(f"Pay to {number}, please.")) == [number]
    assert list(ibans(number[:-1])) == []


@pytest.mark.parametrize(
    ("line", "names"),
    [("Dear Ms Pell,", ["Pell"]), ("Hello Ann!", ["Ann"]), ("Bonjour Madame Léger,", ["Léger"]),
     ("Guten Tag Herr von Weber,", ["Weber"]), ("Dear all,", []), ("Hei Kari Nordmann,",
      ["Kari", "Nordmann"])],
)  # fmt: skip
def test_whom_a_line_greets(line: str, names: list[str]) -> None:
    assert is_greeting(line) and greeted(line) == names


@pytest.mark.parametrize(
    ("language", "text", "day"),
    [
        ("en_GB", "on Mon 7 Dec", date(2026, 12, 7)),
        ("en_US", "December 7th, 2026", date(2026, 12, 7)),
        ("de", "am Montag, den 7. Dezember 2026", date(2026, 12, 7)),
        ("fr", "le lundi 7 décembre 2026", date(2026, 12, 7)),
        ("nb", "mandag 7. desember 2026", date(2026, 12, 7)),
        ("es", "7 de diciembre de 2026", date(2026, 12, 7)),
        ("pl", "7 grudnia 2026", date(2026, 12, 7)),
    ],
)
def test_days_are_read_in_the_letter_s_language(language: str, text: str, day: date) -> None:
    assert [one.day for one in days_in(text, language, TODAY)] == [day]


def test_a_day_without_a_year_is_the_nearest() -> None:
    assert [one.day for one in days_in("3 January", "en_GB", TODAY)] == [date(2027, 1, 3)]
    assert list(days_in("31 February 2026, 3 Nonsense", "en_GB", TODAY)) == []
