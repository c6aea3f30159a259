"""Who else on file is named in a letter, and in the files that it carries. Common practice, no
source."""

from pathlib import Path

import pytest
from msgspec.structs import replace

from nebbet.core.body import read
from nebbet.core.letter import Attachment, Letter
from nebbet.core.records import Case, Contact
from nebbet.library.catalogue import Catalogue
from nebbet.library.others import names_to_look_up, own_files, strangers
from nebbet.library.store import Library, open_library

ANN = Contact("c1", "ann@x.example", first_name="Ann", last_name="Pell", household="Pell")
OTHERS = (
    Contact("c2", "bo@x.example", first_name="Bo", last_name="van Quill"),
    Contact("c3", "cy@x.example", first_name="Cy", last_name="Pell", household="pell"),
    Contact("c4", "di@x.example", first_name="Di", last_name="Marsh"),
    Contact("c5", "ed@x.example", first_name="Éd", last_name="Reed", filed=True),
)


@pytest.fixture
def library(tmp_path: Path) -> Library:
    made = open_library(tmp_path / "l.sqlite")
    for one in (ANN, *OTHERS):
        made.put(one, seen=None)
    return made


def named(library: Library, text: str, **about: object) -> tuple[str, ...]:
    made = Letter("l", subject=("About",), body=read(f"<p>{text}</p>"), recipient=ANN)
    made = replace(made, **about)
    contents = {"f": "Statement of Mr Bo van Quill"}
    names = names_to_look_up(Catalogue(), made, contents)
    return strangers(library.people, made, names)


def test_somebody_else_on_file_is_a_stranger(library: Library) -> None:
    assert named(library, "As BO VAN QUILL and Ann Pell said") == ("BO VAN QUILL",)
    assert named(library, "van Quill Bo") == ()  # a small word begins no name
    assert named(library, "We wrote to Quill") == ()
    assert named(library, "Nobody Here is on file") == ()


def test_a_file_of_the_letter_s_own_is_looked_through(library: Library) -> None:
    carried = (Attachment("f", ("statement.pdf",)),)
    assert named(library, "Hello.", attachments=carried) == ("Bo van Quill",)
    assert own_files(Catalogue(), Letter("l", attachments=carried)) == carried


def test_who_has_to_do_with_it_is_none(library: Library) -> None:
    assert named(library, "Cy Pell of your household") == ()
    assert named(library, "Éd Reed was filed away") == ()
    text = "With Di Marsh on board"
    assert named(library, text) == ("Di Marsh",)
    assert named(library, text, case=Case("k", "1", people=("c4",))) == ()
    assert named(library, text, case=Case("k", "1", fields={"others": ["di marsh"]})) == ()
    assert named(library, text, cc=("Di Marsh <di@x.example>",)) == ()
