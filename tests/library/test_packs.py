"""Packs: out and in again is the identity, merging says what it did, hostile ones are refused."""

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from msgspec.structs import replace

from nebbet.core.dates import calendar_for
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Texts
from nebbet.core.records import Fact
from nebbet.library import packs
from nebbet.library.checking import problems
from nebbet.library.examples import example_world
from nebbet.library.holdings import Shelf
from nebbet.library.pack_in import days_differ, take_pack
from nebbet.library.pack_out import write_pack
from nebbet.library.packs import read_pack
from nebbet.library.store import Library, open_library
from nebbet.library.writing import Writer, examine_template
from nebbet.standin.filling import fill_library
from nebbet.standin.world import read_world
from tests.conftest import NOW, TODAY

DOCS = Path(__file__).parent.parent.parent / "docs"


@pytest.fixture
def pack(tmp_path: Path) -> Path:
    """The demo's library as a pack, with a private shelf that stays at home."""
    library = open_library(tmp_path / "from.sqlite")
    fill_library(library, read_world(TODAY), NOW)
    library.add_shelf(Shelf("inner", "Inner", parent="sailings"))
    library.add_shelf(Shelf("own", "Mine", owner="ivo.lindqvist"))
    library.add_template("mine", "own", "Mine")
    library.save_edition("mine", "Mine", packs.Content(), author="", note="", made=NOW)
    library.set_template("dogs-and-bicycles", state="retired")
    file = next(iter(library.files()))
    library.set_valid_until(file, TODAY)
    path = tmp_path / "team.zip"
    assert write_pack(library, library.catalogue(NOW), path) == 40
    library.close()
    return path


def taken(library: Library, path: Path) -> list[str]:
    return take_pack(library, read_pack(path), author="", made=NOW)


def test_out_and_in_again_is_the_identity(library: Library, pack: Path, tmp_path: Path) -> None:
    said = taken(library, pack)
    assert "40 templates added" in said and "9 shelves added" in said
    again = tmp_path / "again.zip"
    write_pack(library, library.catalogue(NOW), again)
    assert again.read_bytes() == pack.read_bytes()
    assert problems(library) == []
    held = library.catalogue(NOW)
    assert held.templates["dogs-and-bicycles"].state == "retired"
    assert "mine" not in held.templates
    assert all("unchanged" in line for line in taken(library, pack))
    assert {t.edition for t in library.catalogue(NOW).templates.values()} == {1}


def test_what_differs_is_merged_by_id_and_said(library: Library, pack: Path) -> None:
    taken(library, pack)
    held = library.catalogue(NOW).templates["refund-agreed"]
    texts = {"en_GB": Texts("Changed", "<p>Mine</p>\n")}
    library.save_edition(held.id, "Mine", replace(held.content, texts=texts), author="",
                         note="", made=NOW)  # fmt: skip
    library.put(Fact("website", "https://elsewhere.example"), Fact("own", 1))
    said = taken(library, pack)
    assert "1 template with a new edition" in said and "39 templates unchanged" in said
    assert "1 fact replaced" in said
    found = library.catalogue(NOW)
    assert found.templates["refund-agreed"].edition == 3
    assert found.templates["refund-agreed"].content == held.content
    assert found.facts["own"].value == 1, "nothing is taken out"


def remade(path: Path, change: Callable[[dict[str, bytes], dict[str, Any]], None]) -> Path:
    """The pack with something changed in it."""
    with zipfile.ZipFile(path) as opened:
        held = {name: opened.read(name) for name in opened.namelist()}
    manifest = json.loads(held.pop("manifest.json"))
    change(held, manifest)
    made = path.with_name("made.zip")
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as out:
        out.writestr("manifest.json", json.dumps(manifest))
        for name, data in held.items():
            out.writestr(name, data)
    return made


def put(name: str, data: bytes) -> Callable[[dict[str, bytes], dict[str, Any]], None]:
    def change(held: dict[str, bytes], manifest: dict[str, Any]) -> None:
        held[name] = data
        manifest["hashes"][name] = hashlib.sha256(data).hexdigest()

    return change


def spoil(held: dict[str, bytes], manifest: dict[str, Any]) -> None:
    held[next(name for name in held if name.startswith("texts/"))] += b"!"


def other_file(held: dict[str, bytes], manifest: dict[str, Any]) -> None:
    name = next(name for name in held if name.startswith("files/"))
    put(name, b"another one")(held, manifest)


def without_text(held: dict[str, bytes], manifest: dict[str, Any]) -> None:
    name = next(name for name in held if name.startswith("texts/"))
    del held[name], manifest["hashes"][name]


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (put("../../climbs.html", b"x"), "holds other files than its manifest says"),
        (put("/etc/passwd", b"x"), "holds other files than its manifest says"),
        (put("texts/a/b.exe", b"x"), "holds other files than its manifest says"),
        (lambda held, _: held.update({"files/" + "a" * 64: b"x"}), "holds other files"),
        (spoil, "is not what it was when the pack was made"),
        (other_file, "a file of the library is not what its name says"),
        (without_text, "is missing"),
        (lambda _, manifest: manifest.update(version=2), "was made by a newer Nebbet"),
        (lambda _, manifest: manifest.update(format="x"), "it is no Nebbet pack"),
        (lambda _, manifest: manifest.update(facts=[{"name": 1}]), "manifest cannot be read"),
        (lambda _, manifest: manifest.update(version="x"), "manifest cannot be read"),
    ],
)
def test_a_hostile_pack_is_refused_whole(
    library: Library, pack: Path, change: Callable[[Any, Any], None], said: str
) -> None:
    with pytest.raises(NebbetError) as caught:
        taken(library, remade(pack, change))
    assert said in caught.value.sentence and "Nothing was taken" in caught.value.sentence
    assert library.catalogue(NOW).templates == {} and library.files() == {}


@pytest.mark.parametrize("data", [b"", b"not a zip", b"PK\x03\x04junk", None])
def test_what_is_no_zip_is_refused(library: Library, tmp_path: Path, data: bytes | None) -> None:
    path = tmp_path / "bad.zip"
    if data is not None:
        path.write_bytes(data)
    with pytest.raises(NebbetError, match=r"bad\.zip cannot be"):
        taken(library, path)


def test_a_zip_that_unpacks_to_too_much_is_refused_unread(
    pack: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(packs, "LARGEST", 3 * 2**20)
    bomb = remade(pack, put("texts/a/b.html", bytes(4 * 2**20)))
    assert bomb.stat().st_size < 2**20
    with pytest.raises(NebbetError, match="it unpacks to more than 3 MB"):
        read_pack(bomb)


def test_a_pack_cut_off_anywhere_is_refused(pack: Path, tmp_path: Path) -> None:
    data = pack.read_bytes()
    for end in range(0, len(data), len(data) // 40):
        cut = tmp_path / "cut.zip"
        cut.write_bytes(data[:end])
        with pytest.raises(NebbetError):
            read_pack(cut)


def test_the_shelf_that_a_template_needs_may_be_missing(library: Library, pack: Path) -> None:
    bad = remade(pack, lambda _, manifest: manifest.update(shelves=[]))
    with pytest.raises(NebbetError, match="The pack cannot be taken"):
        taken(library, bad)
    assert library.catalogue(NOW).templates == {}


def test_the_schema_is_published() -> None:
    assert (DOCS / "pack.schema.json").read_bytes() == packs.manifest_schema() + b"\n"


def test_a_pack_can_be_read_by_anything_that_reads_zip_and_json(pack: Path) -> None:
    with zipfile.ZipFile(io.BytesIO(pack.read_bytes())) as opened:
        assert opened.testzip() is None
        manifest = json.loads(opened.read("manifest.json"))
    assert manifest["format"] == "nebbet pack" and len(manifest["templates"]) == 40


def test_the_working_days_come_along_and_are_never_mixed_in_silence(
    library: Library, pack: Path
) -> None:
    days = read_pack(pack).manifest.days
    assert days is not None and days.code == "GB-SCT" and days.closed
    assert "1 calendar replaced" in taken(library, pack), "an empty library takes them"
    assert library.catalogue(NOW).calendar.code == "GB-SCT"
    assert not days_differ(library.catalogue(NOW), read_pack(pack))
    library.put_calendar("FR", {}, "Europe/Paris")
    with pytest.raises(NebbetError, match="counts with other working days"):
        taken(library, pack)
    take_pack(library, read_pack(pack), author="", made=NOW, days="ours")
    assert library.catalogue(NOW).calendar.code == "FR"
    take_pack(library, read_pack(pack), author="", made=NOW, days="pack")
    assert library.catalogue(NOW).calendar == calendar_for(
        days.code, days.closed, days.zone, days.weekdays, days.hours
    )


def test_chosen_templates_bring_what_they_need(library: Library, pack: Path) -> None:
    taken(library, pack)
    path = pack.with_name("some.zip")
    held = library.catalogue(NOW)
    assert write_pack(library, held, path, chosen=["refund-agreed", "damage-claim"]) == 2
    some = read_pack(path)
    assert [t.id for t in some.manifest.templates] == ["damage-claim", "refund-agreed"]
    assert {s.id for s in some.manifest.shelves} == {"refunds", "claims-and-complaints"}
    assert some.files.keys() == {
        e.file for key in ("refund-agreed", "damage-claim")
        for e in held.templates[key].content.enclosures
    } | {f.logo for f in some.manifest.frames.values() if f.logo}  # fmt: skip
    assert 0 < len(some.manifest.facts) < len(held.facts)
    empty = open_library(pack.with_name("other.sqlite"))
    taken(empty, path)
    assert problems(empty) == []
    for template in some.manifest.templates:
        findings = examine_template(
            empty.catalogue(NOW), template.content,
            example_world(empty.catalogue(NOW), empty.catalogue(NOW).templates[template.id],
                          Writer(NOW, None, {})),
        )  # fmt: skip
        assert not [f for f in findings if f.rule in ("fact", "passage", "expired")]
    empty.close()
