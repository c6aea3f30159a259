"""The verbs that work on a library: render, find, outbox, check, import, export, library."""

import email
import email.policy
import json
import sqlite3
import subprocess
from pathlib import Path

import pytest

from nebbet.core.letter import Content, Texts
from nebbet.library.store import open_library
from nebbet.personal.home import Home, home_in
from tests.cli.running import run, said
from tests.conftest import NOW

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
        (("--to", "e"), "may mean several people"),
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


# nebbet check


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


def test_a_library_is_made_peopled_looked_through_and_copied(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    there = str(tmp_path / "team.sqlite")
    assert b"is ready" in run("library", "init", there).stdout
    add = ("library", "members", "--at", there, "add", "ottilie", "--lead")
    missing = run(*add)
    assert (missing.returncode, b"needs a name and an address" in missing.stderr) == (2, True)
    done = run(*add, "--first", "Ottilie", "--last", "Marsh", "--email", "o@lisle.example")
    assert done.stdout == b"ottilie  Ottilie Marsh  o@lisle.example  lead\n"
    assert b"     1  members\n" in run("library", "report", "--at", there).stdout
    assert run("library", "migrate", "--at", there).stdout == b"The library is up to date.\n"
    monkeypatch.chdir(tmp_path)
    copied = run("library", "copy", "team.sqlite", "copy.sqlite")
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
    assert b" templates in " in run("pack", "write", str(pack), home=home).stdout
    done = run("pack", "take", str(pack), home=home)
    assert b" templates unchanged\n" in done.stdout
    pack.write_bytes(b"junk")
    bad = run("pack", "take", str(pack), home=home)
    assert (bad.returncode, b"is not a whole zip file" in bad.stderr) == (2, True)


def test_changing_a_member_changes_only_what_is_given(tmp_path: Path) -> None:
    from msgspec.structs import replace

    made = home_in(tmp_path / "own")
    run("library", "init", home=made)
    first = ("--first", "Ana", "--last", "Roy", "--email", "a@b.example")
    members = ("library", "members")
    assert run(*members, "add", "ana", *first, "--lead", home=made).returncode == 0
    library = open_library(made.library_file)
    ana = library.catalogue(NOW).members["ana"]
    whole = replace(ana, job="Lead", phone="1", signatures={"en_GB": "<p>A</p>"}, more={"x": "y"})
    library.put(whole)
    assert run(*members, "change", "ana", "--last", "Rey", home=made).returncode == 0
    assert library.catalogue(NOW).members["ana"] == replace(whole, last_name="Rey")
    assert run(*members, "change", "ana", "--colleague", home=made).returncode == 0
    assert library.catalogue(NOW).members["ana"].role == "colleague"
    assert run(*members, "left", "ana", home=made).stdout == b"Ana Rey has left the team.\n"
    assert b"left the team" in run(*members, home=made).stdout
    assert run(*members, "change", "ana", "--email", "a@b.example", home=made).returncode == 0
    assert library.catalogue(NOW).members["ana"].left, "a change brings nobody back"
    assert run(*members, "back", "ana", home=made).returncode == 0
    now = library.catalogue(NOW).members["ana"]
    assert now == replace(whole, last_name="Rey", role="colleague")
    nobody = run(*members, "change", "ivo", "--last", "X", home=made)
    assert said(nobody).startswith("nebbet: The library knows no member “ivo”.")
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
        connection.execute("INSERT INTO contact (id, data) VALUES ('c', '{')")
    done = run("library", "check", home=made)
    assert done.returncode == 1
    assert b"The contact c cannot be read" in done.stdout
    done = run("library", "check", "--mend", home=made)
    assert done.returncode == 0
    assert b"Taken out: contact c, which nobody can read" in done.stdout


# nebbet suggest


def test_suggest(home: Home, tmp_path: Path) -> None:
    file = tmp_path / "arrived.eml"
    file.write_text(
        "From: Hanna Verrell <hanna.verrell@post.example>\nSubject: LS-48260\n\n"
        "We have to cancel. Please refund the fare to the card.\n> an older question\n"
    )
    done = run("suggest", str(file), "--json", home=home)
    rows = json.loads(done.stdout)
    assert done.returncode == 0 and rows[0]["template"] == "refund-agreed"
    assert set(rows[0]) == {"template", "title", "score", "words"} and "refund" in rows[0]["words"]
    assert "Refund agreed" in run("suggest", str(file), home=home).stdout.decode()
    file.write_text("Subject: hello\n\n12345\n")
    done = run("suggest", str(file), home=home)
    assert (done.returncode, done.stdout) == (1, b"No template fits.\n")
    assert run("suggest", str(tmp_path / "none.eml"), home=home).returncode == 2
