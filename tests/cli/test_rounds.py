"""`nebbet round`: looked at, written out, let go."""

import csv
import email
import email.policy
import html
import io
import json
import re
from pathlib import Path
from urllib.parse import parse_qs, unquote, urlsplit

import pytest

from nebbet.core.records.tables import read_table
from nebbet.personal.home import Home
from tests.cli.running import run, said

TEMPLATE = "dogs-and-bicycles"


@pytest.fixture
def table(tmp_path: Path) -> Path:
    """Four rows as such tables are: one has no address, one is there twice."""
    made = io.StringIO()
    rows = [("Mail;Name;Seats"), "ann@b.example;Ann Pell;2", "bo@c.example;Bo Reed;3",
            "nonsense;Cy;1", "ann@b.example;Ann again;9"]  # fmt: skip
    made.write("\n".join(rows))
    path = tmp_path / "passengers.csv"
    path.write_text(made.getvalue(), "utf-8")
    return path


def looked(home: Home, table: Path, *more: str) -> tuple[int, dict[int, dict[str, object]]]:
    done = run("round", str(table), "--template", TEMPLATE, "--json", *more, home=home)
    assert done.stdout, done.stderr.decode()
    return done.returncode, {row["row"]: row for row in json.loads(done.stdout)}


def test_looking_tells_each_row_and_sends_nothing(home: Home, table: Path) -> None:
    code, rows = looked(home, table)
    assert code == 1
    assert [row["state"] for row in rows.values()] == ["ready", "ready", "stopped", "doubtful"]
    assert rows[2]["to"] == "ann@b.example"
    told = [one["sentence"] for one in rows[5]["findings"]]  # type: ignore[index, attr-defined]
    assert told == ["Row 2 goes to the same address"]
    waiting = run("outbox", "--json", home=home)
    assert json.loads(waiting.stdout) == []


@pytest.mark.parametrize(
    ("more", "rows"),
    [
        (("--rows", "1-2"), [2, 3]), (("--where", "seats >= 3"), [3, 5]),
        (("--words", "ann pell"), [2]), (("--rows", "1", "--where", "seats > 5"), []),
    ],
)  # fmt: skip
def test_rows_are_chosen(home: Home, table: Path, more: tuple[str, ...], rows: list[int]) -> None:
    code, found = looked(home, table, *more)
    assert [*found] == rows and code == (1 if 5 in rows and 2 in rows else 0)


def test_messages_are_written_into_a_folder(home: Home, table: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    done = run("round", str(table), "--template", TEMPLATE, "--out", str(out), home=home)
    assert done.returncode == 1 and b"2 of 4 messages" in done.stdout
    made = {path.name: email.message_from_bytes(path.read_bytes(), policy=email.policy.default)
            for path in out.iterdir()}  # fmt: skip
    assert sorted(made) == ["000002.eml", "000003.eml"]
    assert str(made["000003.eml"]["To"]) == "Bo Reed <bo@c.example>"
    run("round", str(table), "--template", TEMPLATE, "--out", str(out), "--doubts", home=home)
    assert len(list(out.iterdir())) == 3


def test_a_row_goes_once_however_often_it_is_started(home: Home, table: Path) -> None:
    words = ("round", str(table), "--template", TEMPLATE, "--go", "--rows", "1-3")
    first = run(*words, home=home)  # no mail server: they wait, and nothing is lost
    assert first.returncode == 1 and b"1 are kept back" in first.stdout, first.stderr
    again = run(*words, home=home)
    assert b"2 were there or went before, 1 are kept back" in again.stdout
    waiting = json.loads(run("outbox", "--json", home=home).stdout)
    assert sorted(one["to"] for one in waiting) == ["ann@b.example", "bo@c.example"]


def test_columns_are_matched_by_hand(home: Home, tmp_path: Path) -> None:
    path = tmp_path / "odd.csv"
    path.write_text("User,House,Copy to\nann,b.example,chief@b.example\n")
    words = ("--match", "to={{user}}@{{house}}", "--match", "Copy to=cc")
    code, rows = looked(home, path, *words)
    assert code == 0 and rows[2]["to"] == "ann@b.example"
    code, rows = looked(home, path, "--match", "USER=")
    assert rows[2]["state"] == "stopped"


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("none.csv", "--template", TEMPLATE), "no such file"),
        (("--template", "dogs"), "Did you mean “Dogs and bicycles on board”"),
        (("--template", "xyzzy"), "No template is called"),
        (("--template", TEMPLATE, "--match", "Mail"), "matches nothing"),
        (("--template", TEMPLATE, "--match", "Post=to"), "has no column “Post”"),
        (("--template", TEMPLATE, "--rows", "x"), "names no rows"),
        (("--template", TEMPLATE, "--where", "seats >"), "cannot be read"),
        (("--template", TEMPLATE, "--files", "/nowhere"), "cannot be read"),
    ],
)
def test_mistakes_are_told_in_one_line(
    home: Home, table: Path, words: tuple[str, ...], told: str
) -> None:
    first = () if words[0].endswith(".csv") else (str(table),)
    done = run("round", *first, *words, home=home)
    assert done.returncode == 2 and told in said(done)


def test_a_table_with_what_programs_would_run_is_only_text(home: Home, tmp_path: Path) -> None:
    path = tmp_path / "hostile.csv"
    with path.open("w", newline="") as made:
        csv.writer(made).writerows([["Mail", "Name"], ["a@b.example", '=cmd|"/c calc"!A1']])
    _code, rows = looked(home, path)
    assert rows[2]["to"] == "a@b.example"


@pytest.mark.parametrize("name", ["links.xlsx", "links.csv", "links.html"])
def test_links_in_the_place_of_letters(home: Home, table: Path, tmp_path: Path, name: str) -> None:
    """RFC 6068 §5: line breaks are %0D%0A; read by the standard library."""
    out = tmp_path / name
    words = ("round", str(table), "--template", TEMPLATE, "--links", str(out), "--longest", "300")
    done = run(*words, home=home)
    assert b"4 rows are in" in done.stdout and b"3 links are too long" in done.stdout, done.stderr
    if name.endswith(".html"):
        found = re.findall(r'href="([^"]+)"', out.read_text("utf-8"))
        links = [html.unescape(one) for one in found]
    else:
        read = read_table(out.read_bytes())
        assert read.headings[-3:] == ("Link", "Length", "Too long")
        links = [str(row.cells[-3]) for row in read.rows if row.cells[-3]]
        assert [str(row.cells[-1]) for row in read.rows] == ["too long", "too long", "", "too long"]
    assert len(links) == 3 and "%0D%0A" in links[0] and "%0A%0A" not in links[0]
    parts = urlsplit(links[1])
    assert parts.scheme == "mailto" and unquote(parts.path) == "bo@c.example"
    asked = parse_qs(parts.query)
    assert asked["subject"] == ["Bringing a dog or a bicycle on board"]
    assert "Bo Reed" in asked["body"][0] or "Dear" in asked["body"][0]


def test_one_of_those_with_one_address_goes_and_a_blank_is_said_once(
    home: Home, table: Path
) -> None:
    _code, rows = looked(home, table, "--twice", "last")
    assert [row["state"] for row in rows.values()] == ["left out", "ready", "stopped", "ready"]
    words = ["--template", "sailing-cancelled", "--json", "--rows", "1"]
    done = run("round", str(table), *words, home=home)
    assert "is not completed" in done.stdout.decode()
    more = ["--say", "reason=strong wind", "--say", "other sailing=Friday"]
    done = run("round", str(table), *words, *more, home=home)
    assert "Reason for the cancellation is not" not in done.stdout.decode()


def test_letters_that_are_held_wait(home: Home, table: Path) -> None:
    words = ["--template", TEMPLATE, "--rows", "1-2", "--hours", "9-17", "--days", "Mon-Sun"]
    done = run("round", str(table), *words, "--id", "held", "--hold", "--go", home=home)
    assert "0 went now" in done.stdout.decode() or "2 wait" in done.stdout.decode()
    waiting = json.loads(run("outbox", "--deliver", "--json", home=home).stdout)
    held = [entry for entry in waiting if entry["words"] == "waits until its round is released"]
    assert [entry["state"] for entry in held] == ["held", "held"]
    assert [entry["due"] for entry in held] == ["", ""]


@pytest.mark.parametrize("more", [("--hours", "17-9"), ("--days", "never"), ("--say", "x")])
def test_what_makes_no_sense_is_told(home: Home, table: Path, more: tuple[str, ...]) -> None:
    done = run("round", str(table), "--template", TEMPLATE, *more, home=home)
    assert done.returncode and "Traceback" not in done.stderr.decode()
