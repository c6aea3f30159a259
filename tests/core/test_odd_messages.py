"""Every message that Python's own tests of its email package carry is read, quoted, answered and
searched: they were collected because something is odd in each. Source: CPython, Lib/test/test_email
(or test/test_email/data), of the interpreter that runs this; skipped where it came without tests.
"""

import email
import email.policy
import importlib.util
from pathlib import Path

import pytest

from nebbet.core.message.answering import (
    answer_to,
    arrived,
    asked_in,
    own_words,
    references_for,
    reply_subject,
)
from nebbet.core.message.bounces import bounces_in
from nebbet.core.message.quoting import handed_on, quote
from nebbet.core.message.received import open_message


def _messages() -> list[Path]:
    try:
        found = importlib.util.find_spec("test.test_email")
    except ModuleNotFoundError:
        return []
    places = list(found.submodule_search_locations or ()) if found else []
    return sorted(path for place in places for path in Path(place, "data").glob("msg_*.txt"))


MESSAGES = _messages()


@pytest.mark.skipif(not MESSAGES, reason="this Python came without its own tests")
@pytest.mark.parametrize("path", MESSAGES, ids=lambda path: path.stem)
def test_an_odd_message_is_shown_and_answered(path: Path) -> None:
    for data in (path.read_bytes(), path.read_bytes().replace(b"\n", b"\r\n"), _cut(path)):
        fields, received = arrived(data), open_message(data)
        assert isinstance(received.plain, str) and isinstance(received.html, str)
        assert "<script" not in received.html.lower()
        asked_in(fields, received)
        own_words(received)
        bounces_in(data)
        quote(fields, received, "en_GB")
        handed_on(fields, received)
        found = answer_to(fields, {"me@here.example"}, all_of_them=True)
        assert all("\n" not in one.spec for one in (*found.to, *found.cc))
        subject = reply_subject(fields.subject)
        assert subject.lower().count("re:") <= 1 + fields.subject.lower().count("re:")
        for one in references_for(fields):
            assert one.startswith("<") and one.endswith(">") and " " not in one


def _cut(path: Path) -> bytes:
    data = path.read_bytes()
    return data[: len(data) * 2 // 3]


@pytest.mark.skipif(not MESSAGES, reason="this Python came without its own tests")
def test_answers_hang_on_what_they_answer_for_another_parser() -> None:
    """RFC 5322 §3.6.4, read by Python's own parser: the identification fields of an answer."""
    threaded = 0
    for path in MESSAGES:
        message = email.message_from_bytes(path.read_bytes(), policy=email.policy.compat32)
        own = str(message.get("Message-ID", "")).strip()
        references = references_for(arrived(path.read_bytes()))
        if own.startswith("<") and own.endswith(">") and own.count("@") == 1 and " " not in own:
            assert references[-1] == own, path.name
            threaded += 1
    assert threaded >= 12
