"""Fixtures for every storey; nothing here imports Qt, so that the core is tested without it."""

import gc
import itertools
import logging
import os
import sys
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime
from pathlib import Path

import pytest
from hypothesis import settings

if os.environ.get("NEBBET_NO_QT"):
    sys.modules["PySide6"] = None  # type: ignore[assignment]

from nebbet.core.dates import calendar_for
from nebbet.core.placeholders import World
from nebbet.core.records import Case, Contact, Fact, Member

TODAY = date(2026, 11, 25)  # a Wednesday; St Andrew's Day follows on Monday
NOW = datetime(2026, 11, 25, 9, 30, tzinfo=UTC)

# The first example loads calendars and locales: its time says nothing. Every run tries the same
# examples, so that a change is judged by itself; HYPOTHESIS_PROFILE=search tries new ones.
settings.register_profile("same", deadline=None, derandomize=True)
settings.register_profile("search", deadline=None, max_examples=2000)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "same"))


_tests = itertools.count(1)
_OFTEN = 40  # tests after which garbage is looked for where Qt was used


@pytest.fixture(autouse=True)
def what_qt_left_is_collected_here() -> Iterator[None]:
    """After a test of the window, what is left of it may only end in this thread, and not in one
    that a later test starts."""
    if "PySide6.QtWidgets" not in sys.modules:
        yield
        return
    gc.disable()
    yield
    if next(_tests) % _OFTEN == 0:
        gc.collect()


@pytest.fixture
def now() -> datetime:
    return NOW


@pytest.fixture
def token() -> Callable[[], str]:
    count = itertools.count(1)
    return lambda: f"token{next(count):04}"


@pytest.fixture
def hanna() -> Contact:
    return Contact(
        "c1",
        email="hanna.verrell@post.example",
        title="Ms",
        first_name="Hanna",
        last_name="Verrell",
        language="en_GB",
        more={"loyalty_card": "G-77"},
    )


@pytest.fixture
def case() -> Case:
    return Case(
        "k1",
        "LS-48211",
        kind="cancelled sailing",
        contact="c1",
        fields={
            "from": "Marrowby",
            "to": "Quillan",
            "sailing": {"date": "2026-11-26T16:30"},
            "fare": {"money": "148.50", "currency": "GBP"},
            "passengers": 3,
        },
    )


@pytest.fixture
def me() -> Member:
    return Member("m1", "Benedek", "Roy", "benedek.roy@lislesound.example", phone="01632 960 121")


@pytest.fixture
def world(hanna: Contact, case: Case, me: Member) -> World:
    return World(
        today=TODAY,
        calendar=calendar_for("GB-SCT"),
        recipient=hanna,
        case=case,
        sender=me,
        facts={"claims_phone": Fact("claims_phone", "01632 960 140", "Claims, telephone")},
    )


@pytest.fixture(autouse=True)
def quiet_log(caplog: pytest.LogCaptureFixture, request: pytest.FixtureRequest) -> Iterator[None]:
    """A log record above INFO that a test did not announce with @pytest.mark.logs fails it."""
    yield
    if request.node.get_closest_marker("logs"):
        return
    loud = [r for r in caplog.get_records("call") if r.levelno > logging.INFO]
    assert not loud, [record.getMessage() for record in loud]


@pytest.fixture(autouse=True)
def no_threads_left() -> Iterator[None]:
    """A test that leaves a thread behind fails and is told which."""
    before = set(threading.enumerate())
    yield
    left = [thread for thread in set(threading.enumerate()) - before if not _is_over(thread)]
    assert not left, f"threads left behind: {[thread.name for thread in left]}"


def _is_over(thread: threading.Thread) -> bool:
    """Whether a thread ends, or is none of ours: the one that ends a test which takes too long."""
    if "pytest_timeout" in thread.name:
        return True
    if not isinstance(thread, threading._DummyThread):
        thread.join(2)
        return not thread.is_alive()
    # A thread of Qt's that Python has met: Python does not hear of its end.
    task, until = Path(f"/proc/self/task/{thread.native_id}"), time.monotonic() + 2
    while task.exists() and time.monotonic() < until:
        time.sleep(0.01)
    return not task.exists()
