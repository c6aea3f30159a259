"""Shelves and whole templates, in a file and on a server."""

import pytest

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Passage, Texts
from nebbet.core.records import Member
from nebbet.library.catalogue import private_to, seen_by
from nebbet.library.holdings import Copied, Shelf, own_shelf
from nebbet.library.search import make_finder
from nebbet.library.store import Library
from tests.conftest import NOW


def names(library: Library) -> list[tuple[str, str]]:
    return [(shelf.name, shelf.parent) for shelf in library.catalogue(NOW).shelves]


@pytest.fixture
def three(shelved: Library) -> Library:
    shelved.add_shelf(Shelf("s2", "Refunds"), 1)
    shelved.add_shelf(Shelf("s3", "Freight"), 2)
    content = Content({"en_GB": Texts("Hello", "<p>Good day</p>\n")})
    shelved.save_edition("t1", "Hello", content, author="m1", note="first", made=NOW)
    return shelved


def test_shelves_are_renamed_ordered_and_nested(three: Library) -> None:
    three.rename_shelf("s2", "Money back")
    three.order_shelves([Shelf("s3", ""), Shelf("s2", "", "s3"), Shelf("s1", "", "s2")])
    assert names(three) == [("Freight", ""), ("Money back", "s3"), ("Sailings", "s2")]


def test_a_shelf_never_comes_to_stand_on_itself(three: Library) -> None:
    before = names(three)
    for wrong in (
        [Shelf("s1", "", "s1")],
        [Shelf("s1", "", "s2"), Shelf("s2", "", "s3"), Shelf("s3", "", "s1")],
    ):
        with pytest.raises(NebbetError, match="cannot stand on itself"):
            three.order_shelves(wrong)
    assert names(three) == before


def test_only_an_empty_shelf_is_taken_down(three: Library) -> None:
    with pytest.raises(NebbetError, match="Something stands on this shelf"):
        three.remove_shelf("s1")
    three.remove_shelf("s3")
    assert [name for name, _ in names(three)] == ["Sailings", "Refunds"]


def test_many_templates_at_once_or_none(three: Library) -> None:
    three.add_template("t2", "s1", "Draft")
    three.set_template("t1", "t2", pinned=True, shelf="s2", state="retired")
    found = three.catalogue(NOW).templates.values()
    assert {(t.pinned, t.shelf, t.state) for t in found} == {(True, "s2", "retired")}
    three.set_template("t1", "t2", state="in use")
    assert {t.id: t.state for t in three.catalogue(NOW).templates.values()} == {
        "t1": "in use",
        "t2": "draft",
    }, "what has no edition comes back as a draft"
    with pytest.raises(NebbetError):
        three.set_template("t1", "t2", shelf="nowhere")
    assert {t.shelf for t in three.catalogue(NOW).templates.values()} == {"s2"}


def test_a_copy_and_an_own_version(three: Library) -> None:
    mine = own_shelf("m1")
    copies = [Copied("t1", "c1", "Hello (copy)"), Copied("t1", "c2", "Hello", own=True)]
    three.copy_templates(copies, mine, author="m1", made=NOW)
    three.copy_templates([Copied("t1", "c3", "Third")], mine, author="m1", made=NOW)
    found = three.catalogue(NOW).templates
    assert found["c1"].content == found["c2"].content == found["t1"].content
    assert [found[key].origin for key in ("c1", "c2")] == ["", "t1"]
    assert found["c2"].origin_edition == 1 and found["c2"].shelf == mine.id
    three.set_origin("c2", "t1", 4)
    assert three.catalogue(NOW).templates["c2"].origin_edition == 4
    three.add_template("t9", "s1", "No edition")
    with pytest.raises(NebbetError, match="without an edition"):
        three.copy_templates([Copied("t9", "c9", "x")], mine, author="m1", made=NOW)


def test_the_private_shelves_of_others_are_not_seen(three: Library) -> None:
    three.put(Member("m2", "Saoirse", "Pell", "s@host.example"))
    three.copy_templates([Copied("t1", "c1", "Hers")], own_shelf("m2"), author="m2", made=NOW)
    whole = three.catalogue(NOW)
    assert private_to(whole, own_shelf("m2").id) == "m2" and private_to(whole, "s1") == ""
    assert private_to(whole, "nowhere") == ""
    assert "c1" in seen_by(whole, "m2").templates and "c1" not in seen_by(whole, "m1").templates
    assert len(seen_by(whole, "m1").shelves) == 3


def test_the_finder_follows_the_library(three: Library) -> None:
    first = make_finder(three.catalogue(NOW), NOW)
    assert first.templates.find("good") == ["t1"] and first.templates.find("bye") == []
    three.put(Passage("bye", "Ending", {"en_GB": Texts("", "<p>Goodbye then</p>\n")}))
    body = '<div data-passage="bye"></div>\n'
    content = Content({"en_GB": Texts("Hello", body)}, keywords=("farewell",), kinds=("refund",))
    three.save_edition("t1", "Hello", content, author="m1", note="", made=NOW)
    three.add_template("t2", "s2", "Farewells")
    second = make_finder(three.catalogue(NOW), NOW, known=first)
    assert second.templates.find("goodbye") == ["t1"], "what stands in a passage is found"
    assert second.templates.find("farewell") == ["t1", "t2"]
    assert second.templates.find("refund") == ["t1", "t2"], "the shelf of the other one"
    three.put(Passage("bye", "Ending", {"en_GB": Texts("", "<p>Adieu</p>\n")}))
    third = make_finder(three.catalogue(NOW), NOW, ["t2"], second)
    assert third.templates.find("goodbye") == [] and third.templates.find("adieu") == ["t1"]
    assert third.templates.find("") == ["t2", "t1"], "what one has pinned comes first"
    three.rename_shelf("s2", "Adieu")
    assert make_finder(three.catalogue(NOW), NOW, known=third).templates.find("adieu") == [
        "t2",
        "t1",
    ]


def test_a_colleague_arranges_nothing_that_is_shared(three: Library) -> None:
    three.role = "colleague"
    for act in (
        lambda: three.rename_shelf("s1", "x"),
        lambda: three.order_shelves([Shelf("s1", "", "s2")]),
        lambda: three.remove_shelf("s3"),
        lambda: three.add_shelf(Shelf("s9", "x")),
        lambda: three.set_template("t1", pinned=True),
        lambda: three.copy_templates(
            [Copied("t1", "c", "x")], Shelf("s2", "Refunds"), author="m1", made=NOW
        ),
    ):
        with pytest.raises(NebbetError, match="for a lead"):
            act()
    mine = own_shelf("m1")
    three.make_sure_of(mine)
    three.make_sure_of(mine)
    three.add_template("mine", mine.id, "Mine")
    with pytest.raises(NebbetError, match="for a lead"):
        three.set_template("mine", shelf="s1")
