"""What colleagues notice of messages, in a file and on a server."""

from datetime import timedelta

import pytest
from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.core.ranking.suggesting import Lesson
from nebbet.library import remarks, schema
from nebbet.library.entries import Registered
from nebbet.library.holdings import Shelf
from nebbet.library.register import page
from nebbet.library.store import Library
from nebbet.library.suggesting import lesson_of, suggester_of
from tests.conftest import NOW
from tests.library.making import SAOIRSE, opened

WENT = Registered("<1@lislesound.example>", NOW, "saoirse", "hanna@post.example", subject="Refund")


def test_a_letter_that_came_back_is_told_once_in_the_register(library: Library) -> None:
    library.record([WENT, replace(WENT, message_id="<2@lislesound.example>")])
    said = ("hanna@post.example", "there is no such mailbox", "550 5.1.1 unknown")
    assert library.note_back(WENT.message_id, *said, "saoirse", NOW)
    assert not library.note_back(WENT.message_id, *said, "ivo", NOW), "another had noticed it"
    assert not library.note_back("<none@of.ours>", *said, "ivo", NOW), "it is nobody's letter"
    found = page(library.register_engine).back
    assert found == {WENT.message_id: remarks.CameBack(NOW, *said)}


def test_a_message_is_taken_by_whoever_is_first(library: Library) -> None:
    message = "<secret.name@post.example>"
    assert library.take(message, "saoirse", NOW) == "saoirse"
    assert library.take(message, "ivo", NOW) == "saoirse"
    library.leave(message, "ivo")
    key = remarks.digest_of(message)
    assert remarks.taken(library.engine) == {key: "saoirse"}, "it was not his to let go of"
    library.leave(message, "saoirse")
    assert library.take(message, "ivo", NOW) == "ivo"
    with library.engine.connect() as connection:
        rows = str(connection.execute(schema.remark.select()).all())
    assert "secret" not in rows


def test_what_was_answered_is_learned_and_forgotten(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    lessons = [Lesson("t1", ("ferry",)), Lesson("t2", ("dog",)), Lesson("t1", ("crew",))]
    for number, lesson in enumerate(lessons):
        library.learn(f"<{number}@x>", lesson, "saoirse", NOW + timedelta(seconds=number))
    library.learn("<0@x>", lessons[1], "ivo", NOW)  # one message is one lesson
    assert remarks.lessons(library.engine) == tuple(reversed(lessons))
    monkeypatch.setattr(remarks, "MOST_LESSONS", 2)
    library.learn("<9@x>", Lesson("t2", ("cat",)), "saoirse", NOW + timedelta(days=1))
    assert remarks.lessons(library.engine) == (Lesson("t2", ("cat",)), lessons[2])
    assert library.forget("t2") == 1
    assert library.forget() == 1
    assert remarks.lessons(library.engine) == ()


def test_of_a_message_only_words_of_the_library_are_kept(library: Library) -> None:
    library.put(SAOIRSE)
    library.add_shelf(Shelf("s1", "Pets"))
    texts = {"en_GB": Texts("Dogs on board", "<p>Your dog travels in the kennel.</p>")}
    library.add_template("t1", "s1", "Dogs")
    made = Content(texts=texts)
    library.save_edition("t1", "Dogs", made, author="saoirse", note="", made=NOW)
    library.set_template("t1", state="in use")
    catalogue = library.catalogue(NOW)
    words = "Dear Sirs, may Rover the dog, chip 956000, board? Agatha Quentin-Smythe, 01632 960 111"
    lesson = lesson_of(catalogue, "t1", words)
    assert set(lesson.words) == {"dog", "board"}
    assert suggester_of(catalogue, [lesson]).suggest("a dog, please")[0].key == "t1"


def test_a_damaged_remark_is_passed_over(library: Library) -> None:
    library.record([WENT])
    library.note_back(WENT.message_id, "a@b.example", "it is full", "", "saoirse", NOW)
    library.learn("<1@x>", Lesson("t1", ("ferry",)), "saoirse", NOW)
    with library.engine.begin() as connection:
        connection.execute(schema.remark.update().values(data="{}"))
    assert remarks.back_of(library.engine, [WENT.message_id]) == {}
    assert remarks.lessons(library.engine) == ()
    assert library.forget() == 1, "what cannot be read is forgotten, too"


def test_a_colleague_remarks_for_themselves_alone(team: str) -> None:
    """On a server: what is said is said by whoever says it."""
    library = opened(team, "saoirse")
    with pytest.raises(NebbetError):
        library.take("<1@x>", "ivo", NOW)
    assert library.take("<1@x>", "saoirse", NOW) == "saoirse"
    library.leave("<1@x>", "saoirse")
    assert remarks.taken(library.engine) == {}
    with pytest.raises(NebbetError, match="for a lead"):
        library.forget()
    library.close()
