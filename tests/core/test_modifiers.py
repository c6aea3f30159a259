"""Modifiers after the bar, against CLDR through Babel."""

from datetime import date, datetime, time
from decimal import Decimal

import pytest
from babel import Locale
from babel import dates as babel_dates
from babel import numbers as babel_numbers
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.core.placeholders import Placeholder, World, fill, fill_line, modifiers
from nebbet.core.values import Money, Value

LOCALES = ("en_GB", "en_US", "de", "fr", "nb", "pl", "es", "it", "nl", "sv", "da", "ja", "ar", "cs")
DEPARTS = datetime(2026, 12, 7, 16, 30)
VALUES: dict[str, Value] = {
    "departs": DEPARTS,
    "day": DEPARTS.date(),
    "at": time(9, 5),
    "fare": Money(Decimal("1250.5"), "GBP"),
    "n": Decimal("1234.5"),
    "two": Decimal(2),
    "name": "o'hara van der berg",
    "names": ("Ana", "Bo", "Cy"),
    "nothing": "",
    "yes": True,
}


def shown(text: str, language: str = "en_GB") -> str:
    filled = fill(text, VALUES, language)
    assert filled.problems == ()
    return filled.text


@pytest.mark.parametrize("code", LOCALES)
def test_styles_and_patterns_are_cldr_s(code: str) -> None:
    """Reference: CLDR (UTS #35) through Babel, in fourteen locales."""
    for style in ("short", "medium", "long", "full"):
        assert shown(f"{{{{day|{style}}}}}", code) == babel_dates.format_date(
            DEPARTS.date(), style, locale=code
        )
    for pattern in ("EEEE d MMMM, HH:mm", "yyyy-MM-dd", "EEE d MMM", "QQQ yyyy"):
        assert shown(f'{{{{departs|"{pattern}"}}}}', code) == babel_dates.format_datetime(
            DEPARTS, pattern, locale=code
        )
    amount = Decimal("1250.5")
    assert shown('{{fare|"#,##0.00"}}', code) == babel_numbers.format_decimal(
        amount, "#,##0.00", locale=code
    )
    length = "short" if code == "ja" else "long"  # CLDR has no long form in Japanese
    assert shown("{{n|long}}", code) == babel_numbers.format_compact_decimal(
        Decimal("1234.5"), format_type=length, locale=code, fraction_digits=1
    )


def test_a_week_number_is_iso_8601_s() -> None:
    """Reference: date.isocalendar (ISO 8601), also where CLDR lets weeks begin on Sunday."""
    for day in (date(2026, 12, 31), date(2027, 1, 3), date(2027, 1, 4), date(2024, 12, 30)):
        for language in ("en_GB", "en_US", "de", "pt"):
            filled = fill("{{d|\"Y w ww 'w'\"}}", {"d": day}, language).text
            year, week, _ = day.isocalendar()
            assert filled == f"{year} {week} {week:02} w"


@pytest.mark.parametrize(
    ("text", "result"),
    [
        ("{{name|upper}}", "O'HARA VAN DER BERG"),
        ("{{name|lower}}", "o'hara van der berg"),
        ("{{name|title}}", "O'hara Van Der Berg"),
        ("{{name|sentence}}", "O'hara van der berg"),
        ('{{day|"EEEE"|upper}}', "MONDAY"),
        ("{{missing|else: a friend}}", "a friend"),
        ("{{nothing|else: a friend}}", "a friend"),
        ('{{missing|else: "this | that"}}', "this | that"),
        ("{{missing|else:}}", ""),
        ("{{name|else: a friend|upper}}", "O'HARA VAN DER BERG"),
        ("{{names|list}}", "Ana, Bo and Cy"),
        ("{{names|list|upper}}", "ANA, BO AND CY"),
        ("{{two}} {{two|plural: ticket / tickets}}", "2 tickets"),
        ("{{names|plural: person / people}}", "people"),
        ("{{ two | plural : one / more }}", "more"),
        ("{{at|full}}", "09:05:00"),
        ("{{at|short}}", "09:05"),
        ("{{yes}}", "yes"),
        ("{{yes|upper}}", "YES"),
        ("{{NAME|Upper}}", "O'HARA VAN DER BERG"),
        ("{{day|“d MMM”}}", "7 Dec"),
    ],
)
def test_what_modifiers_write(text: str, result: str) -> None:
    assert shown(text) == result


def test_capitals_follow_the_language() -> None:
    """Turkish has a dotted capital (Unicode SpecialCasing.txt)."""
    assert fill("{{x|upper}}", {"x": "izmir"}, "tr").text == "İZMİR"
    assert fill("{{x|upper}}", {"x": "straße"}, "de").text == "STRASSE"


@pytest.mark.parametrize(
    ("language", "forms", "expected"),
    [
        ("en_GB", "ticket / tickets", {0: 1, 1: 0, 2: 1, 11: 1, 21: 1}),
        # CLDR plural rules of Polish: one 1, few 2–4 but not 12–14, many the rest.
        ("pl", "bilet / bilety / biletów",
         {1: 0, 2: 1, 4: 1, 5: 2, 12: 2, 14: 2, 22: 1, 25: 2, 101: 2, 102: 1, 112: 2}),
        # Of Arabic: zero, one, two, few 3–10, many 11–99, other 100–102.
        ("ar", "a / b / c / d / e / f",
         {0: 0, 1: 1, 2: 2, 3: 3, 10: 3, 11: 4, 99: 4, 100: 5, 102: 5, 103: 3, 111: 4}),
        ("fr", "billet / billets", {0: 0, 1: 0, 2: 1, 1_000_000: 1}),
        ("ja", "枚", {1: 0, 5: 0}),
    ],
)  # fmt: skip
def test_plurals_follow_cldr(language: str, forms: str, expected: dict[int, int]) -> None:
    words = [form.strip() for form in forms.split("/")]
    for number, index in expected.items():
        filled = fill(f"{{{{n|plural: {forms}}}}}", {"n": Decimal(number)}, language)
        assert filled.text == words[index], number


@given(st.integers(0, 10_000), st.sampled_from(["en", "pl", "ar"]))
def test_plurals_agree_with_babel(number: int, language: str) -> None:
    """Reference: Babel's CLDR plural rules, with the form named after its category."""
    forms = {"en": "one/other", "pl": "one/few/many", "ar": "zero/one/two/few/many/other"}
    filled = fill(f"{{{{n|plural: {forms[language]}}}}}", {"n": Decimal(number)}, language)
    assert filled.text == Locale(language).plural_form(number)


@pytest.mark.parametrize(
    ("text", "language", "sentence"),
    [
        ("{{name|shout}}", "en_GB", "{{name|shout}}: “shout” is no modifier"),
        ("{{name|else}}", "en_GB", "{{name|else}}: “else” is no modifier"),
        ('{{name|"EEEE"}}', "en_GB", "The format “EEEE” does not fit a text"),
        ("{{name|full}}", "en_GB", "The format “full” does not fit a text"),
        ('{{day|"HH:mm"}}', "en_GB", "The format “HH:mm” does not fit a date"),
        ('{{day|"0.00"}}', "en_GB", "The format “0.00” does not fit a date"),
        ('{{n|"EEEE"}}', "en_GB", "The format “EEEE” does not fit a number"),
        ('{{fare|"EEEE"}}', "en_GB", "The format “EEEE” does not fit an amount"),
        ('{{yes|"0"}}', "en_GB", ""),
        ("{{name|plural: a / b}}", "en_GB", "“plural” counts numbers, not a text"),
        ("{{two|plural: a / b / c}}", "en_GB", "“plural” needs 2 forms in English: one / other"),
        ("{{two|plural: a / b}}", "pl", "“plural” needs 3 forms in Polish: one / few / many"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_told_and_left_as_it_is(
    text: str, language: str, sentence: str
) -> None:
    filled = fill(text, VALUES, language)
    if not sentence:
        assert filled.problems == ()
        return
    (problem,) = filled.problems
    assert sentence in problem.sentence.replace("\xa0", "")
    assert filled.text == text


def test_html_is_escaped_with_modifiers_too() -> None:
    values: dict[str, Value] = {"x": "<b>&", "l": ("<i>", "b")}
    assert fill("{{x|upper}} {{l|list}}", values, as_html=True).text == (
        "&lt;B&gt;&amp; &lt;i&gt; and b"
    )


def test_a_parsed_text_is_filled_as_often_as_one_likes() -> None:
    from nebbet.core import inline

    line = inline.parse("{{name|upper}} \\{{x}} {{missing}}")
    assert fill_line(line, {"name": "ana"}) == "ANA {{x}} {{missing}}"
    assert fill_line(line, {"name": "bo", "missing": "!"}) == "BO {{x}} !"


@given(st.text(max_size=60))
def test_reading_modifiers_never_fails_in_another_way(text: str) -> None:
    try:
        modifiers.read(text)
    except NebbetError as error:
        assert "is no modifier" in error.what


# In letters


def letter_of(body: str, *placeholders: Placeholder) -> letters.Letter:
    return letters.start("l", Content({"en_GB": Texts("S", body)}, placeholders))


def text_of(letter: letters.Letter, world: World) -> str:
    from nebbet.core.body import render_plain

    return render_plain(letters.work_out(letter, world)[0].body).strip()


def test_every_place_of_a_letter_has_its_own_modifiers(world: World) -> None:
    letter = letter_of('<p>{{case.sailing|"EEEE"}}, {{case.sailing|"HH:mm"}}, {{case.from|upper}}')
    assert text_of(letter, world) == "Thursday, 16:30, MARROWBY"


def test_a_date_typed_by_hand_is_written_in_every_format(world: World) -> None:
    letter = letter_of('<p>{{x|"EEEE"}}, {{x|short}}</p>', Placeholder("x", kind="date"))
    letter = letters.answer(letter, "x", "7 dec")
    assert text_of(letter, world) == "Monday, 07/12/2026"


def test_words_typed_over_a_value_stand_as_they_are(world: World) -> None:
    letter = letters.answer(letter_of("<p>{{case.sailing|full}}</p>"), "case.sailing", "soon")
    assert text_of(letter, world) == "soon"


def test_words_of_its_own_excuse_a_missing_value(world: World) -> None:
    letter = letter_of("<p>{{case.witness|else: our crew}}</p>")
    done, (found,) = letters.work_out(letter, world)
    assert (found.is_blank, found.note) == (
        False,
        "case LS-48211 has no witness; the text has its own words for that",
    )
    assert text_of(done, world) == "our crew"
    both = letter_of("<p>{{case.witness|else: our crew}} {{case.witness}}</p>")
    assert letters.work_out(both, world)[1][0].is_blank


def test_completing_twice_changes_nothing(world: World) -> None:
    letter = letter_of(
        '<p>{{case.fare|full}} {{case.sailing|"d.M."}} {{x|else: y}} {{case.from|upper}}</p>'
    )
    once, values = letters.work_out(letter, world)
    assert letters.complete(once, values) == once
    assert letters.work_out(once, world)[0] == once
    other = replace(world, language="de")
    assert letters.work_out(letters.work_out(once, other)[0], world)[0] == once
