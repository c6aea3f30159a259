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
from nebbet.personal.home import Home, home_in
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
        ("stop", "braces"), ("doubt", "prompt")
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


# What is odd about the world round the command


def test_a_full_disk_on_standard_output_is_one_sentence(home: Home) -> None:
    for words in (["mailto", "--to", "a@b.example"], ["find", "refund"], ["date", "today"]):
        with Path("/dev/full").open("wb") as full:
            done = subprocess.run(
                [str(Path(sys.executable).parent / "nebbet"), *words], stdout=full,
                stderr=subprocess.PIPE, env={**os.environ, "NEBBET_HOME": str(home.data)},
                timeout=60, check=False,
            )  # fmt: skip
        text = done.stderr.decode()
        assert "Traceback" not in text
        assert "no space left on device" in text
        assert done.returncode == 2


def test_a_closed_standard_input_is_one_sentence() -> None:
    command = f"{Path(sys.executable).parent / 'nebbet'} clean <&-"
    done = subprocess.run(["sh", "-c", command], capture_output=True, timeout=60, check=False)
    assert done.returncode == 2
    assert done.stderr.decode().startswith("nebbet: There is no standard input.")


@pytest.mark.parametrize(
    "words",
    [
        ("date", "today", "--year", "--on", "9999-06-01"),
        ("date", "today + 1 working day", "--on", "9999-12-31"),
        ("date", "today", "--calendar", "utils"),
        ("date", "today + 1 working day", "--calendar", "__init__"),
        ("library", "report", "--at", "postgresql:"),
        ("library", "report", "--at", "postgresql://"),
        ("library", "init", "postgresql://[::1"),
        ("work", "days between 0001-01-01 and 9999-12-31"),
        ("check", "/dev/zero.eml"),
        ("clean", "--nonsense"),
    ],
)
def test_odd_words_are_answered_with_a_sentence(words: tuple[str, ...], home: Home) -> None:
    done = run(*words, home=home)
    said(done)
    assert done.returncode in (0, 1, 2)


def test_words_and_names_that_are_no_text(home: Home, tmp_path: Path) -> None:
    """File names of Latin-1 and other bytes that are no UTF-8."""
    command = str(Path(sys.executable).parent / "nebbet").encode()
    name = os.fsencode(tmp_path) + b"/caf\xe9.txt"
    Path(os.fsdecode(name)).write_text("Subject: x\n\nDear [name],\n", "utf-8")
    for words in (
        [b"import", name], [b"find", b"\xe9\xff"], [b"render", b"\xe9"], [b"date", b"\xe9"],
        [b"mailto", b"--to", b"\xe9@b.example"], [b"check", b"/\xe9.eml"],
        [b"render", b"refund-agreed", b"--set", b"x=\xe9"],
    ):  # fmt: skip
        done = subprocess.run(
            [command, *words], capture_output=True, timeout=60, check=False,
            env={**os.environ, "NEBBET_HOME": str(home.data), "PYTHONUTF8": "1"},
        )  # fmt: skip
        assert b"Traceback" not in done.stderr, words
        assert done.returncode in (0, 1, 2)


def test_an_interrupt_is_one_at_any_moment() -> None:
    import signal
    import time

    for moment in (0.15, 0.3, 0.5):
        started = subprocess.Popen(
            [str(Path(sys.executable).parent / "nebbet"), "clean"], stdin=subprocess.PIPE,
            stdout=subprocess.PIPE, stderr=subprocess.PIPE,
        )  # fmt: skip
        time.sleep(moment)  # how far the start has come is what is tried
        started.send_signal(signal.SIGINT)
        _, errors = started.communicate(timeout=30)
        assert b"nebbet" not in errors or b"Traceback" not in errors
        assert started.returncode in (130, -signal.SIGINT, 1)


@pytest.mark.parametrize("words", [("export", "refund-agreed", "-o"), ("export", "--pack")])
def test_nothing_is_written_over_unasked(
    words: tuple[str, ...], home: Home, tmp_path: Path
) -> None:
    kept = tmp_path / "kept.zip"
    kept.write_bytes(b"mine")
    done = run(*words, str(kept), home=home)
    assert "There is a file kept.zip already" in said(done)
    assert kept.read_bytes() == b"mine"
    assert run(*words, str(kept), "--overwrite", home=home).returncode == 0
    assert kept.read_bytes() != b"mine"


def test_own_files_are_closed_to_others_and_mended_at_start(tmp_path: Path) -> None:
    made = home_in(tmp_path / "own")
    old = os.umask(0o022)
    try:
        assert run("library", "init", home=made).returncode == 0
        assert run("outbox", home=made).returncode == 0
    finally:
        os.umask(old)
    assert made.data.stat().st_mode & 0o777 == 0o700
    assert made.personal_file.stat().st_mode & 0o777 == 0o600
    made.data.chmod(0o755)
    made.personal_file.chmod(0o644)
    assert run("outbox", home=made).returncode == 0
    assert made.data.stat().st_mode & 0o777 == 0o700
    assert made.personal_file.stat().st_mode & 0o777 == 0o600


def test_adding_a_member_again_changes_only_what_is_given(tmp_path: Path) -> None:
    from msgspec.structs import replace

    made = home_in(tmp_path / "own")
    run("library", "init", home=made)
    first = ("--first", "Ana", "--last", "Roy", "--email", "a@b.example")
    assert run("library", "members", "--add", "ana", *first, "--lead", home=made).returncode == 0
    library = open_library(made.library_file)
    ana = library.catalogue(NOW).members["ana"]
    whole = replace(ana, job="Lead", phone="1", signatures={"en_GB": "<p>A</p>"}, more={"x": "y"})
    library.put(whole)
    assert run("library", "members", "--add", "ana", "--last", "Rey", home=made).returncode == 0
    assert library.catalogue(NOW).members["ana"] == replace(whole, last_name="Rey")
    assert run("library", "members", "--add", "ana", "--colleague", home=made).returncode == 0
    assert library.catalogue(NOW).members["ana"].role == "colleague"
    library.close()


def test_a_password_in_the_library_s_address_does_not_stay_in_the_settings(tmp_path: Path) -> None:
    from nebbet.personal.secrets import SessionSecrets
    from nebbet.personal.settings import read_settings
    from nebbet.personal.stores import without_password

    made = home_in(tmp_path)
    for address in ("postgresql://a:s3cret@h/d", "postgresql://a@h/d?password=s3cret"):
        made.settings_file.write_text(f'library = "{address}"\n', "utf-8")
        secrets = SessionSecrets()
        settings = without_password(made, read_settings(made.settings_file), secrets)
        assert settings.library == "postgresql://a@h/d"
        assert "s3cret" not in made.settings_file.read_text("utf-8")
        assert secrets.get("postgresql://a@h/d") == "s3cret"
    done = run("find", "x", home=made, NEBBET_PASSWORD="x")
    assert "s3cret" not in done.stderr.decode()


def test_what_nobody_can_read_is_taken_out_by_command(tmp_path: Path) -> None:
    made = home_in(tmp_path / "own")
    run("library", "init", home=made)
    with sqlite3.connect(made.library_file) as connection:
        connection.execute("INSERT INTO contact VALUES ('c', '{')")
    done = run("library", "check", home=made)
    assert done.returncode == 1
    assert b"The contact c cannot be read" in done.stdout
    done = run("library", "check", "--mend", home=made)
    assert done.returncode == 0
    assert b"Taken out: contact c, which nobody can read" in done.stdout


# The barrier


def test_a_mistake_of_ours_is_a_sentence_and_a_trace_in_the_log(home: Home, tmp_path: Path) -> None:
    script = tmp_path / "broken.py"
    script.write_text(
        "import nebbet.cli.main as m, click\n"
        "@m.main.command()\n"
        "def broken():\n    raise RuntimeError('a mistake')\n"
        "from nebbet.cli.entry import main\nmain()\n",
        "utf-8",
    )
    done = subprocess.run(
        [sys.executable, str(script), "broken"], capture_output=True, timeout=60, check=False,
        env={**os.environ, "NEBBET_HOME": str(home.data)},
    )  # fmt: skip
    assert done.returncode == 2
    assert "Something in Nebbet itself went wrong" in said(done)
    log = home.data / "nebbet.log"
    assert "RuntimeError: a mistake" in log.read_text("utf-8")
    assert log.stat().st_mode & 0o777 == 0o600
