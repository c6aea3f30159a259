"""The verbs that need no library, run as people and programs run them."""

import json
from pathlib import Path

import pytest

from tests.cli.running import run, said

# nebbet date


def test_date_for_programs() -> None:
    done = run(
        "date", "today + 7 working days", "--on", "2026-11-25", "--calendar", "GB-SCT", "--json"
    )
    assert json.loads(done.stdout) == {
        "iso": "2026-12-07",
        "text": "7 December 2026",
        "explanation": (
            "7 working days after Wed 25 Nov 2026: Mon 7 Dec; skips Mon 30 Nov (Saint Andrew's Day)"
        ),
        "sentence": "7 working days after the day of writing",
    }


def test_date_with_closure_days_a_moment_and_values(tmp_path: Path) -> None:
    words = ("date", "today + 1 working day", "--on", "2026-11-25", "--closed", "2026-11-26")
    assert run(*words).stdout.decode().splitlines() == [
        "27 November 2026",
        "1 working day after Wed 25 Nov 2026: Fri 27 Nov; skips Thu 26 Nov (closed)",
    ]
    late = run(
        "date", "today at 17:00 if after 16:00 count from tomorrow", "--on", "2026-11-25T16:30"
    )
    assert late.stdout.decode().startswith("26 November 2026, 17:00")
    file = values(tmp_path, '{"Sailing": {"date": "2026-11-28T16:30"}}')
    done = run("date", "sailing - 45 minutes", "--values", file, "--json")
    assert json.loads(done.stdout)["iso"] == "2026-11-28T15:45:00"
    hours = ("date", "today + 6 hours", "--on", "2026-03-28T22:00", "--zone", "Europe/London")
    assert json.loads(run(*hours, "--json").stdout)["iso"] == "2026-03-29T05:00:00"


def test_date_over_a_year() -> None:
    words = ("date", "today + 7 working days", "--on", "2026-11-25", "--calendar", "GB-SCT")
    lines = run(*words, "--year").stdout.decode().splitlines()
    assert len(lines) == 366
    assert lines[0] == "2026-11-25 Wed  2026-12-07 Mon  skips Saint Andrew's Day"
    rows = json.loads(run(*words, "--year", "--json").stdout)
    assert (rows[0]["day"], rows[0]["gives"]) == ("2026-11-25", "2026-12-07")
    assert rows[0]["irregular"] == "skips Saint Andrew's Day"


# nebbet work


def test_work_for_programs_and_people(tmp_path: Path) -> None:
    file = values(
        tmp_path, '{"fare": {"money": "148.50", "currency": "GBP"}, "days_before": 5, "x": 0.1}'
    )
    refund = "fare * by days before: 14 → 100%, 3 → 75%, else 0%"
    assert json.loads(run("work", refund, "--values", file, "--json").stdout) == {
        "value": {"money": "111.38", "currency": "GBP"},
        "text": "£111.38",
        "explanation": "£148.50 × 75% (days before: 5, from 3) = £111.38, rounded",
    }
    german = run("work", "fare * 75%", "--values", file, "--lang", "de")
    assert german.stdout.decode().splitlines()[0] == "111,38\xa0£"
    assert json.loads(run("work", "x + 0.2", "--values", file, "--json").stdout)["value"] == 0.3
    assert json.loads(run("work", "days before < 14", "--values", file, "--json").stdout) == {
        "value": True,
        "text": "yes",
        "explanation": "5 < 14: yes",
    }
    assert run("work", "0.125 GBP * 1", "--half-up").stdout.decode().startswith("£0.13")
    days = run(
        "work",
        "working days between today and 2026-12-07",
        "--on",
        "2026-11-25",
        "--calendar",
        "GB-SCT",
        "--closed",
        "2026-11-26",
    )
    assert days.stdout.decode().startswith("6\n")


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (("work", "fare * 2"), "There is no value for “fare”"),
        (("work", "2 *"), "The sum “2 *” cannot be read at character 4"),
        (("work", "1 GBP + 1 EUR"), "GBP and EUR do not go into one sum"),
        (("work", "1 / 0"), "The sum divides by nothing"),
        (("work", "(" * 10_000), "at most 60 brackets"),
    ],
)
def test_work_tells_mistakes_in_one_line(words: tuple[str, ...], sentence: str) -> None:
    done = run(*words)
    assert done.returncode == 2
    assert sentence in said(done) or "at most 2000 signs" in said(done)
    assert len(said(done).splitlines()) == 1


def test_date_for_people() -> None:
    done = run("date", "today + 1 month", "--on", "2026-01-31", "--lang", "de", "--format", "full")
    assert done.stdout.decode().splitlines() == [
        "Samstag, 28. Februar 2026",
        "1 month after Sat 31 Jan 2026: Sat 28 Feb; February has no day 31",
    ]


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (("date", "soon"), "“soon” has no date here"),
        (("date", ""), "cannot be read at character 1: expected “today”"),
        (("date", "today", "--zone", "Mars"), "There is no time zone “Mars”"),
        (("date", "today", "--on", "25.11.2026"), "“25.11.2026” is not a day. Write it as"),
        (("date", "today", "--calendar", "XX"), "There is no calendar “XX”"),
        (("date", "today", "--lang", "klingon"), "The language “klingon” is not known"),
        (("date", "today", "--format", "EEEEEEEEE"), "does not fit a date"),
    ],
)
def test_date_tells_mistakes_in_one_line(words: tuple[str, ...], sentence: str) -> None:
    done = run(*words)
    assert done.returncode == 2
    assert sentence in said(done)
    assert len(said(done).splitlines()) == 1


# nebbet fill


def values(folder: Path, content: str | bytes) -> str:
    path = folder / "values.json"
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    return str(path)


def test_fill(tmp_path: Path) -> None:
    file = values(
        tmp_path,
        '{"Name": "Zoë & Co", "day": {"date": "2026-12-07"}, "n": 1234.5, '
        '"sum": {"money": "5", "currency": "EUR"}}',
    )
    done = run("fill", "--values", file, "--lang", "de", text="{{name}}: {{Day}}, {{n}}, {{sum}}")
    assert done.stdout.decode() == "Zoë & Co: 7. Dezember 2026, 1.234,5, 5,00\xa0€"
    assert done.returncode == 0
    done = run("fill", "--values", file, "--html", text="<p>{{name}}</p>")
    assert done.stdout.decode() == "<p>Zoë &amp; Co</p>"


def test_fill_names_what_is_missing(tmp_path: Path) -> None:
    file = values(tmp_path, '{"booking": "1"}')
    done = run("fill", "--values", file, text="{{bokking}} {{zzz}} {{bokking}}")
    assert done.returncode == 1
    assert said(done).splitlines() == [
        "line 1, sign 1: no value for “bokking”; did you mean “booking”?",
        "line 1, sign 13: no value for “zzz”",
    ]
    assert done.stdout == b"{{bokking}} {{zzz}} {{bokking}}"


def test_fill_with_modifiers_and_lists(tmp_path: Path) -> None:
    file = values(
        tmp_path,
        '{"names": ["Ana", "Bo", "Cy"], "n": 1, "at": {"time": "16:30"}, '
        '"departs": {"date": "2026-12-07T16:30"}, "fare": {"money": "9.5", "currency": "GBP"}}',
    )
    text = (
        '{{names|list}}: {{n}} {{n|plural: ticket / tickets}}, {{departs|"EEEE d MMMM, HH:mm"}}, '
        '{{fare|"#,##0.00"}}, {{ship|else: our ship}}, \\{{n}}, {{at}}'
    )
    done = run("fill", "--values", file, text=text)
    assert done.stdout.decode() == (
        "Ana, Bo and Cy: 1 ticket, Monday 7 December, 16:30, 9.50, our ship, {{n}}, 16:30"
    )
    assert done.returncode == 0


def test_fill_prints_nothing_with_mistyped_braces(tmp_path: Path) -> None:
    file = values(tmp_path, '{"name": "Ana"}')
    done = run("fill", "--values", file, text="Dear {{name}},\nDear {name}}, {{ }} {{name}\n")
    assert (done.returncode, done.stdout) == (1, b"")
    assert said(done).splitlines() == [
        "line 2, sign 6: “{name}}” is mistyped: did you mean “{{name}}”?",
        "line 2, sign 15: “{{ }}” has no name between the braces",
        "line 2, sign 21: “{{name}” is mistyped: did you mean “{{name}}”?",
    ]


def test_fill_takes_a_megabyte_of_braces() -> None:
    done = run("fill", text="{{{{" * 250_000)
    assert done.returncode == 1
    assert len(said(done).splitlines()) == 21


def test_fill_passes_any_bytes_through(tmp_path: Path) -> None:
    strange = b"\xff\xfe {{a}} \x00 \r\n"
    done = run("fill", "--values", values(tmp_path, '{"a": "b"}'), text=strange)
    assert done.stdout == strange.replace(b"{{a}}", b"b")


@pytest.mark.parametrize(
    ("content", "sentence"),
    [
        ("not json", "is not JSON"),
        ("[1, 2]", "holds no names"),
        ('{"a": {"date": "soon"}}', "cannot be read"),
        ("", "is not JSON"),
        (b"\xff\xfe\x00", "is not UTF-8 text"),
    ],
)
def test_fill_with_a_values_file_that_is_none(
    tmp_path: Path, content: str | bytes, sentence: str
) -> None:
    done = run("fill", "--values", values(tmp_path, content), text="{{a}}")
    assert done.returncode == 2
    assert sentence in said(done)
    missing = run("fill", "--values", str(tmp_path / "gone.json"), text="{{a}}")
    assert "cannot be read: no such file or directory" in said(missing)


# nebbet mailto


def test_mailto() -> None:
    done = run("mailto", "--to", "a@b.example", "--subject", "Hi & bye", "--body", "one\ntwo")
    link = "mailto:a@b.example?subject=Hi%20%26%20bye&body=one%0D%0Atwo"
    assert done.stdout.decode() == link + "\n"
    assert said(done) == f"{len(link)} characters"
    done = run("mailto", "--to", "a@b.example", "--body", "x" * 3000, "--json")
    assert json.loads(done.stdout)["length"] == 3024


# nebbet clean


def test_clean_says_what_pasted_html_becomes() -> None:
    pasted = (
        '<div class=MsoNormal style="font-family:Arial"><b>Dear</b>&nbsp;{{name}}'
        '<script>x()</script><img src="http://track.example/1.gif"></div>'
    )
    done = run("clean", text=pasted)
    assert done.stdout.decode() == "<p><strong>Dear</strong>\xa0{{name}}</p>\n"
    assert run("clean", text=done.stdout).stdout == done.stdout
