"""Files as a whole, states of what is shared, signatures: in a file and on a server."""

from datetime import timedelta

import pytest
from msgspec.structs import replace

from nebbet.core.body import Frame
from nebbet.core.comparing import compare_shared
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Enclosure, Passage, Texts
from nebbet.core.letter.signature import SIGNATURE, signature_of, with_signature
from nebbet.core.records import Fact, Member
from nebbet.library.catalogue import seen_by
from nebbet.library.checking import problems
from nebbet.library.documents import states
from nebbet.library.filing import remove_file, replace_file, uses_of_files
from nebbet.library.holdings import Proposal
from nebbet.library.store import Library
from nebbet.library.writing import begin_for
from tests.conftest import NOW


@pytest.fixture
def filed(shelved: Library) -> Library:
    """A library in which one file is enclosed, shown, in a passage and a logo."""
    file = shelved.put_file(b"old", "plan.png", "image/png")
    shown = f'<p><img src="file:{file}" alt="the plan"></p>\n'
    first = Texts("Hello", shown)
    content = Content(
        {"en_GB": first, "fr": Texts("Salut", shown, first.fingerprint)},
        enclosures=(
            Enclosure(file, "plan.png", "image/png", 3),
            Enclosure(file, "Plan {{case.number}}.png", "image/png", 3, "case.number"),
        ),
    )
    shelved.save_edition("t1", "Hello", content, author="m1", note="", made=NOW)
    shelved.add_template("t2", "s1", "Retired")
    shelved.save_edition("t2", "Retired", content, author="m1", note="", made=NOW)
    shelved.set_template("t2", state="retired")
    shelved.add_template("t3", "s1", "Without")
    shelved.save_edition("t3", "Without", Content(), author="m1", note="", made=NOW)
    shelved.put(Passage("way", "The way", {"en_GB": Texts("", shown)}))
    shelved.put_frame("blue", Frame("Blue", logo=file))
    return shelved


def only_file(library: Library) -> str:
    (file,) = library.catalogue(NOW).files
    return file


def test_where_a_file_is_used(filed: Library) -> None:
    users = uses_of_files(filed.catalogue(NOW))[only_file(filed)]
    assert [t.id for t in users.templates] == ["t1", "t2"]
    assert [p.id for p in users.passages] == ["way"] and users.frames == ("blue",)


def test_a_file_is_replaced_everywhere_and_the_past_keeps_it(filed: Library) -> None:
    old = only_file(filed)
    count = replace_file(filed, old, b"newer", "map.png", "image/png", author="m1", made=NOW)
    assert count == 2
    catalogue = filed.catalogue(NOW)
    (new,) = catalogue.files.keys() - {old}
    users = uses_of_files(catalogue)
    assert old not in users and [t.id for t in users[new].templates] == ["t1", "t2"]
    assert users[new].passages and users[new].frames
    content = catalogue.templates["t1"].content
    assert [(e.name, e.size, e.when) for e in content.enclosures] == [
        ("map.png", 5, ""),
        ("Plan {{case.number}}.png", 5, "case.number"),
    ]
    assert content.texts["fr"].original == content.texts["en_GB"].fingerprint, "none is older"
    assert catalogue.templates["t2"].state == "retired" and catalogue.templates["t3"].edition == 1
    assert filed.editions("t1")[1].content.enclosures[0].file == old
    assert problems(filed) == []
    again = replace_file(filed, old, b"newest", "x.png", "image/png", author="m1", made=NOW)
    assert again == 0, "nothing uses it any more"


def test_only_a_file_that_nothing_needs_goes(filed: Library) -> None:
    old = only_file(filed)
    with pytest.raises(NebbetError, match="needs this file"):
        remove_file(filed, old)
    free = filed.put_file(b"free", "free.txt", "text/plain")
    offered = filed.put_file(b"offered", "offered.txt", "text/plain")
    content = Content(enclosures=(Enclosure(offered, "offered.txt"),))
    filed.propose(Proposal("p", "t1", 1, "s1", "Hello", content, "m1", NOW))
    with pytest.raises(NebbetError, match="needs this file"):
        remove_file(filed, offered)
    remove_file(filed, free)
    assert set(filed.catalogue(NOW).files) == {old, offered}


def test_a_colleague_replaces_nothing(filed: Library) -> None:
    filed.role = "colleague"
    with pytest.raises(NebbetError, match="for a lead"):
        replace_file(filed, only_file(filed), b"x", "x", "x/y", author="m1", made=NOW)


def test_states_are_kept_with_the_one_before_anybody_counted(shelved: Library) -> None:
    shelved.put(Fact("fee", 5, "Fee"))
    for value, minutes in ((6, 1), (6, 2), (7, 3)):
        moment = NOW + timedelta(minutes=minutes)
        shelved.put(Fact("fee", value, "Fee"), author="m1", made=moment)
    found = states(shelved.engine, Fact, "fee")
    assert [(s.number, s.author) for s in found] == [(3, "m1"), (2, "m1"), (1, "")]
    assert [s.record for s in found] == [Fact("fee", value, "Fee") for value in (7, 6, 5)]
    passage = Passage("way", "The way", {"en_GB": Texts("", "<p>left</p>\n")})
    shelved.put(passage, author="m1", made=NOW)
    shelved.put_frame("blue", Frame("Blue"), "m1", NOW)
    assert [s.record for s in states(shelved.engine, Passage, "way")] == [passage]
    assert [s.number for s in states(shelved.engine, Frame, "blue")] == [1]
    assert states(shelved.engine, Frame, "green") == []


def test_states_are_compared_part_by_part() -> None:
    frame = Frame("Blue", foot=("one", "two"))
    other = replace(frame, foot=("one", "three"), width=640)
    assert [s.name for s in compare_shared(frame, other)] == ["Foot", "Width"]
    assert {s.name for s in compare_shared(None, frame)} >= {"Name", "Foot", "Accent"}
    old = Passage("way", "The way", {"en_GB": Texts("", "<p>left</p>\n")})
    new = replace(old, title="Way", texts={"en_GB": Texts("", "<p>right</p>\n")})
    assert [s.name for s in compare_shared(old, new)] == ["Title", "Text, en_GB"]
    assert compare_shared(old, old) == ()


def test_a_signature_is_the_sender_s_own_in_the_letter_s_language(shelved: Library) -> None:
    written = {"en_GB": "<p>Yours, {{sender.name}}</p>\n", "fr": "<p>Bien à vous</p>\n"}
    me = replace(shelved.catalogue(NOW).members["m1"], signatures=written, more={"desk": "2"})
    shelved.put(me)
    body = f'<p>Hello</p>\n<div data-passage="{SIGNATURE}"></div>\n'
    content = Content({"en_GB": Texts("S", body), "fr": Texts("S", body)})
    shelved.save_edition("t1", "Hello", content, author="m1", note="", made=NOW)
    catalogue = seen_by(shelved.catalogue(NOW), "m1")
    assert problems(shelved) == []
    english = begin_for(catalogue, catalogue.templates["t1"], "x", language="en_GB")
    french = begin_for(catalogue, catalogue.templates["t1"], "x", language="fr")
    assert len(english.body) == len(french.body) == 2 and english.body[1] != french.body[1]
    other = seen_by(shelved.catalogue(NOW), "nobody")
    assert "sender.phone" in other.passages[SIGNATURE].texts["en_GB"].body
    passage = signature_of(me)
    assert with_signature(me, passage) == me
    emptied = replace(passage, texts=passage.texts | {"fr": Texts("", " ")})
    assert list(with_signature(me, emptied).signatures) == ["en_GB"]
    assert signature_of(Member("x", "", "", "", language="nb")).texts.keys() == {"nb"}
