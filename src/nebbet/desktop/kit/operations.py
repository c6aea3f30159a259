"""Background work: one object with success and failure callbacks, and no other threads."""

import logging
import traceback
from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from nebbet.core.errors import NebbetError

_log = logging.getLogger(__name__)
BUG = NebbetError(
    "Something in Nebbet itself went wrong",
    kept="What you typed is kept",
    advice="Try again; the details are in the log",
)


class _Task(QRunnable):
    def __init__(self, call: Callable[[], Any], finished: Callable[[Any], None]) -> None:
        super().__init__()
        self._call, self._finished = call, finished

    def run(self) -> None:
        try:
            result = self._call()
        except NebbetError as error:
            result = error
        except Exception:  # a bug: logged whole, and told to the person in one sentence
            _log.error("background work failed\n%s", traceback.format_exc())
            result = BUG
        self._finished(result)


class Operations(QObject):
    """Runs calls one after the other in a thread and answers in the window's thread."""

    _finished = Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._pool.setExpiryTimeout(-1)
        self._finished.connect(self._answer)
        self._closed = False

    def run(
        self,
        call: Callable[[], Any],
        done: Callable[[Any], None],
        failed: Callable[[NebbetError], None],
    ) -> None:
        """Run call in the background; then done with its result, or failed with its error."""
        answers = (done, failed)
        self._pool.start(_Task(call, partial(self._finished.emit, answers)))

    def _answer(
        self, answers: tuple[Callable[..., None], Callable[..., None]], result: Any
    ) -> None:
        if self._closed:
            return
        done, failed = answers
        if isinstance(result, NebbetError):
            failed(result)
        else:
            done(result)

    def finish(self) -> None:
        """Wait for what is under way; nothing is answered any more."""
        self._closed = True
        self._pool.waitForDone(10_000)


def nothing(_result: object) -> None:
    """Nothing is to be done when this went well."""
