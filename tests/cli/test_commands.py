"""The installed command, run as people and programs run it."""

import email
import email.policy
import json
import os
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest

from nebbet.core.letter import Content, Texts
from nebbet.library.store import open_library
from nebbet.post.home import Home, home_in
from nebbet.standin import demo
from tests.conftest import NOW


@pytest.fixture(scope="module")
def home(tmp_path_factory: pytest.TempPathFactory) -> Home:
    made = home_in(tmp_path_factory.mktemp("cli"))
    demo.prepare_demo(made, NOW).stop()
    return made


def run(
    *words: str, home: Home | None = None, text: str | bytes = "", **environment: str
) -> subprocess.CompletedProcess[bytes]:
    variables = {**os.environ, "PYTHONUTF8": "1", **environment}
    if home:
        variables["NEBBET_HOME"] = str(home.data)
    command = [str(Path(sys.executable).parent / "nebbet"), *words]
    data = text.encode() if isinstance(text, str) else text
    return subprocess.run(
        command, input=data, capture_output=True, env=variables, timeout=60, check=False
    )


def said(done: subprocess.CompletedProcess[bytes]) -> str:
    """The one line on standard error; never a traceback."""
    text = done.stderr.decode()
    assert "Traceback" not in text
    return text.strip()


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
        "explanation": "£148.50 × 75% (days before: 5, from 3) = £111.38",
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


# nebbet render


def render(home: Home, *words: str) -> subprocess.CompletedProcess[bytes]:
    return run("render", "sailing-cancelled", *words, "--on", "2026-11-25", home=home)


def test_render_writes_a_whole_message(home: Home, tmp_path: Path) -> None:
    out = tmp_path / "out.eml"
    done = render(
        home, "--to", "hanna.verrell@post.example", "--case", "ls 48211",
        "--set", "reason=fog", "--set", "other sailing=Friday", "-o", str(out),
    )  # fmt: skip
    assert done.returncode == 0, said(done)
    found = email.message_from_bytes(out.read_bytes(), policy=email.policy.default)
    assert str(found["To"]) == "Hanna Verrell <hanna.verrell@post.example>"
    assert found["Date"].datetime.date().isoformat() == "2026-11-25"
    part = found.get_body(("plain",))  # type: ignore[attr-defined]
    assert "The reason is fog," in part.get_content()
    assert [p.get_filename() for p in found.iter_attachments()] == [  # type: ignore[attr-defined]
        "Conditions of carriage.pdf"
    ]


def test_render_finds_people_and_cases_and_writes_to_standard_output(home: Home) -> None:
    done = render(home, "--case", "LS-48219", "--set", "reason=vent", "--set", "othersailing=x")
    assert done.returncode == 0, said(done)
    assert b"Bonjour Sol" in done.stdout


def test_render_stops_at_what_is_missing(home: Home) -> None:
    done = render(home, "--to", "verrell", "--set", "raeson=fog")
    assert done.returncode == 1
    assert "stop: Reason for the cancellation is not completed" in said(done)
    assert "note: the template has no placeholder “raeson”" in said(done)
    assert done.stdout == b""


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (("--case", "XX-1"), "There is no case “XX-1”"),
        (("--to", "nobody there"), "is neither a known person nor a mail address"),
        (("--to", "a@b.example\nBcc: x@y.example"), "line break"),
        (("--set", "reason"), "“reason” sets nothing"),
        (("--lang", "xx_XX"), "not completed"),
    ],
)
def test_render_tells_mistakes(home: Home, words: tuple[str, ...], sentence: str) -> None:
    done = render(home, *words)
    assert done.returncode in (1, 2)
    assert sentence in said(done)


def test_render_where_it_cannot_write(home: Home) -> None:
    done = render(
        home, "--case", "LS-48211", "--set", "reason=x", "--set", "other sailing=y",
        "-o", "/proc/out.eml",
    )  # fmt: skip
    assert done.returncode == 2
    assert "out.eml cannot be written" in said(done)


def test_render_with_an_unknown_placeholder_says_which_is_meant(home: Home) -> None:
    library = open_library(home.library_file)
    library.add_template("odd", "refunds", "Odd one")
    content = Content(texts={"en_GB": Texts("Hi {{recipient.first_nmae}}", "<p>x {{nmae}}</p>")})
    library.save_edition("odd", "Odd one", content, author="", note="", made=NOW)
    library.close()
    done = run("render", "odd", "--to", "verrell", home=home)
    assert done.returncode == 1
    assert "the recipient has no first nmae" in said(done)
    assert "No placeholder is called “nmae”" in said(done)


# nebbet find, nebbet outbox


def test_find(home: Home) -> None:
    done = run("find", "hanna", home=home)
    assert "hanna.verrell@post.example" in done.stdout.decode()
    done = run("find", "refund", "agreed", "--json", home=home)
    assert {"kind": "template", "key": "refund-agreed", "text": "Refund agreed"} in json.loads(
        done.stdout
    )
    assert run("find", "zzzzz", home=home).returncode == 1


def test_the_outbox(home: Home) -> None:
    assert run("outbox", home=home).stdout.decode() == "The outbox is empty.\n"
    assert json.loads(run("outbox", "--json", home=home).stdout) == []
    assert run("outbox", "--deliver", home=home).returncode == 0


def test_without_a_library(tmp_path: Path) -> None:
    empty = home_in(tmp_path / "empty")
    for words in (("find", "x"), ("render", "x")):
        done = run(*words, home=empty)
        assert done.returncode == 2
        assert "There is no library at" in said(done)
    assert not empty.data.exists(), "looking makes nothing"


def test_a_library_that_is_none(tmp_path: Path) -> None:
    home = home_in(tmp_path)
    home.library_file.write_text("a shopping list")
    for words in (("find", "x"), ()):
        done = run(*words, home=home, QT_QPA_PLATFORM="offscreen")
        assert done.returncode == 2
        assert "library.sqlite is not a Nebbet library. The file was not touched." in said(done)
    assert home.library_file.read_text() == "a shopping list"


def test_a_home_that_cannot_be_written() -> None:
    for words in (("outbox",), (), ("demo",)):
        done = run(*words, home=home_in(Path("/proc/nebbet")), QT_QPA_PLATFORM="offscreen")
        assert done.returncode == 2, words
        assert "The folder /proc/nebbet cannot be used" in said(done)


def test_without_a_screen(tmp_path: Path) -> None:
    none = {"DISPLAY": "", "WAYLAND_DISPLAY": "", "QT_QPA_PLATFORM": ""}
    done = run(home=home_in(tmp_path), **none)
    assert done.returncode == 2
    assert said(done).startswith("nebbet: There is no screen to open a window on.")


# What is not loaded


def test_no_verb_but_the_window_loads_qt_and_the_core_never_does() -> None:
    code = (
        "import sys; sys.modules['PySide6'] = None\n"
        "import pkgutil, importlib, nebbet.core, nebbet.cli.main\n"
        "for m in pkgutil.walk_packages(nebbet.core.__path__, 'nebbet.core.'):\n"
        "    importlib.import_module(m.name)\n"
        "heavy = {'sqlalchemy', 'alembic', 'holidays', 'keyring', 'PySide6.QtCore'}\n"
        "print(sorted({'holidays', 'keyring', 'alembic'} & set(sys.modules)))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, timeout=60, check=True)
    assert done.stdout.decode().strip() == "[]"


def test_help_and_version() -> None:
    for words in (("--help",), ("--version",), ("render", "--help")):
        assert run(*words).returncode == 0
    assert run("dance").returncode == 2


# nebbet clean and check


def test_clean_says_what_pasted_html_becomes() -> None:
    pasted = (
        '<div class=MsoNormal style="font-family:Arial"><b>Dear</b>&nbsp;{{name}}'
        '<script>x()</script><img src="http://track.example/1.gif"></div>'
    )
    done = run("clean", text=pasted)
    assert done.stdout.decode() == "<p><strong>Dear</strong>\xa0{{name}}</p>\n"
    assert run("clean", text=done.stdout).stdout == done.stdout


def test_check_of_a_template(home: Home) -> None:
    done = run("check", "refund agreed", home=home)
    assert (done.returncode, done.stdout) == (0, b"nothing found\n")
    library = open_library(home.library_file)
    content = Content({"en_GB": Texts("S", "<p>{name}} [x]</p>")})
    shelf = next(iter(library.catalogue(NOW).templates.values())).shelf
    library.add_template("broken", shelf, "Broken")
    library.save_edition("broken", "Broken", content, author="", note="", made=NOW)
    library.close()
    done = run("check", "broken", "--json", home=home)
    assert done.returncode == 1
    assert [(f["severity"], f["rule"]) for f in json.loads(done.stdout)] == [
        ("stop", "braces"), ("doubt", "leftover")
    ]  # fmt: skip


def test_check_of_a_message(tmp_path: Path) -> None:
    path = tmp_path / "m.eml"
    path.write_bytes(
        b"From: a@b.example\r\nTo: ana@host.example\r\nSubject: Your order XXXX\r\n\r\n"
        b"Dear {{name}},\r\nthe form is attached.\r\n"
    )
    done = run("check", str(path))
    assert done.returncode == 1
    lines = done.stdout.decode().splitlines()
    assert lines[0].startswith("stop: Braces are left over in the text")
    assert "doubt: “XXXX” in the subject looks like a prompt that was not completed" in lines
    assert "doubt: The text says “attached”, but nothing is attached" in lines
    assert "none.eml cannot be read" in said(run("check", str(tmp_path / "none.eml")))


# nebbet import and export


def test_import_makes_drafts_and_export_writes_them_again(home: Home, tmp_path: Path) -> None:
    (tmp_path / "note.md").write_text("# Found\n\nDear [name], see {{fact.website}}")
    (tmp_path / "bad.xyz").write_text("x")
    paths = [str(tmp_path / name) for name in ("bad.xyz", "note.md")]
    done = run("import", *paths, "--shelf", "claims and complaints", home=home)
    assert done.returncode == 1
    assert "bad.xyz is of no kind that becomes a template" in said(done)
    assert done.stdout.decode().endswith("  Found\n")
    assert "There is no shelf “x”" in said(run("import", paths[1], "--shelf", "x", home=home))
    done = run("export", "refund agreed", "--html", home=home)
    assert 'href="{{fact.website}}/refunds"' in done.stdout.decode()
    message = run("export", "refund agreed", "-o", str(tmp_path / "r.eml"), home=home)
    assert message.returncode == 0
    done = run("import", str(tmp_path / "r.eml"), "--lang", "en_GB", home=home)
    assert "Your refund for booking {{case.number}}: {{amount}}" in done.stdout.decode()


def test_a_library_is_made_peopled_looked_through_and_copied(tmp_path: Path) -> None:
    there = str(tmp_path / "team.sqlite")
    assert b"is ready" in run("library", "init", there).stdout
    add = ("library", "members", "--at", there, "--add", "ottilie", "--lead")
    missing = run(*add)
    assert (missing.returncode, b"needs a name and an address" in missing.stderr) == (2, True)
    done = run(*add, "--first", "Ottilie", "--last", "Marsh", "--email", "o@lisle.example")
    assert done.stdout == b"ottilie  Ottilie Marsh  o@lisle.example  lead\n"
    assert b"     1  members\n" in run("library", "report", "--at", there).stdout
    assert run("library", "migrate", "--at", there).stdout == b"The library is up to date.\n"
    copied = run("library", "copy", there, str(tmp_path / "copy.sqlite"))
    assert copied.stdout == b"1 rows copied\n"
    again = run("library", "copy", there, str(tmp_path / "copy.sqlite"))
    assert (again.returncode, b"is not empty" in again.stderr) == (2, True)
    checked = run("library", "check", "--at", there)
    assert (checked.returncode, checked.stdout) == (0, b"nothing found\n")
    raw = sqlite3.connect(there)
    raw.execute("UPDATE member SET data = '{}'")
    raw.commit()
    raw.close()
    assert run("library", "check", "--at", there).returncode == 1
    gone = run("library", "check", "--at", str(tmp_path / "no.sqlite"))
    assert (gone.returncode, b"There is no library" in gone.stderr) == (2, True)


def test_a_library_as_a_pack(home: Home, tmp_path: Path) -> None:
    pack = tmp_path / "team.zip"
    assert b" templates in " in run("export", "--pack", str(pack), home=home).stdout
    done = run("import", str(pack), home=home)
    assert b" templates unchanged\n" in done.stdout
    pack.write_bytes(b"junk")
    bad = run("import", str(pack), home=home)
    assert (bad.returncode, b"is not a whole zip file" in bad.stderr) == (2, True)
