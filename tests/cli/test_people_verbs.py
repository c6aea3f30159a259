"""The verbs for people and cases, as somebody types them."""

import json
from pathlib import Path

import pytest
from click.testing import CliRunner, Result

from nebbet.cli.main import main
from nebbet.library.store import open_library
from nebbet.personal.home import Home, home_in, make_home

ROWS = "Vorname;Nachname;E-Mail;Saison\nZoë;Åberg;zoe@x.example;2026\nBo;;nix;\n"


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Home:
    made = home_in(tmp_path / "own")
    monkeypatch.setenv("NEBBET_HOME", str(made.data))
    make_home(made)
    open_library(made.library_file).close()
    return made


def run(*words: str) -> Result:
    return CliRunner().invoke(main, ["people", *words])


def test_a_table_is_looked_at_and_brought_in(home: Home, tmp_path: Path) -> None:
    path = tmp_path / "neu.csv"
    path.write_bytes(ROWS.encode("cp1252"))
    looked = run("import", str(path), "--look", "--json")
    told = json.loads(looked.stdout)
    assert looked.exit_code == 1 and not told["written"]
    assert told["counts"]["new"] == told["counts"]["refused"] == 1
    assert told["matches"]["Saison"] == "+"
    library = open_library(home.library_file)
    assert library.people.people_page().of == 0
    done = run("import", str(path), "--match", "Saison=season", "--match", "E-Mail=Mail address")
    assert done.exit_code == 1 and "refused   row 3:" in done.stdout
    assert "1 new, 1 refused" in done.stdout and "Saison" in done.stderr
    (zoe,) = library.people.find_people("aberg")
    assert zoe.contact.more == {"season": "2026"} and zoe.contact.first_name == "Zoë"
    library.close()


def test_cases_are_told_from_people(home: Home, tmp_path: Path) -> None:
    path = tmp_path / "cases.csv"
    path.write_text("Booking,Customer,Fare\nLS-1,ann@x.example,4\n")
    assert run("import", str(path)).exit_code == 0
    assert run("import", str(path), "--cases", "refund").exit_code == 0
    library = open_library(home.library_file)
    found = library.people.numbered("LS-1")
    assert found and found.case.kind == "refund" and found.contact
    library.close()


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--match", "Nobody=email"], "matches no column"),
        (["--match", "rubbish"], "matches no column"),
        (["--sheet", "x", "--people"], ""),
    ],
)
def test_what_makes_no_sense_gets_one_line(
    home: Home, tmp_path: Path, words: list[str], said: str
) -> None:
    path = tmp_path / "a.csv"
    path.write_text("Name,Mail\nAnn,ann@x.example\n")
    done = run("import", str(path), *words)
    assert done.exit_code == (2 if said else 0) and said in done.stderr
    assert run("import", str(tmp_path / "none.csv")).exit_code == 2
