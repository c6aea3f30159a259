"""Background work: one object with success and failure callbacks, and no other threads."""

import logging
import traceback
from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QEventLoop, QObject, QRunnable, QThreadPool, QTimer, Signal

from nebbet.core.errors import NebbetError

_log = logging.getLogger(__name__)
BUG = NebbetError(
    "Something in Nebbet itself went wrong",
    kept="What you typed is kept",
    advice="Try again; the details are in the log",
)


class _Task(QRunnable):
    """A call. Qt's binding does not always give up what has run: it lets go of the call by
    itself, and with it of all that the call knows."""

    def __init__(self, call: Callable[[], Any], finished: Callable[[Any], None]) -> None:
        super().__init__()
        self._work: list[Callable[..., Any]] = [call, finished]

    def run(self) -> None:
        call, finished = self._work
        self._work.clear()
        try:
            result = call()
        except NebbetError as error:
            result = error
        except Exception:  # a bug: logged whole, and told to the person in one sentence
            _log.error("background work failed\n%s", traceback.format_exc())
            result = BUG
        finished(result)


class Operations(QObject):
    """Runs calls one after the other in a thread and answers in the window's thread. held ones
    wait until they are let go; failed tells what went wrong, beside whoever asked."""

    failed = Signal(object)
    _finished = Signal(object, object)

    def __init__(self, parent: QObject | None = None, *, held: bool = False) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._pool.setExpiryTimeout(-1)
        self._finished.connect(self._answer)
        self._held: list[_Task] | None = [] if held else None
        self._closed = False

    def run(
        self,
        call: Callable[[], Any],
        done: Callable[[Any], None],
        failed: Callable[[NebbetError], None],
    ) -> None:
        """Run call in the background; then done with its result, or failed with its error."""
        answers = (done, failed)
        task = _Task(call, partial(self._finished.emit, answers))
        if self._held is None:
            self._pool.start(task)
        else:
            self._held.append(task)

    def let_go(self) -> None:
        """Do what was held, in its order, and hold nothing any more."""
        held, self._held = self._held or [], None
        for task in held:
            self._pool.start(task)

    def _answer(
        self, answers: tuple[Callable[..., None], Callable[..., None]], result: Any
    ) -> None:
        if self._closed:
            return
        done, failed = answers
        if isinstance(result, NebbetError):
            self.failed.emit(result)
            failed(result)
        else:
            done(result)

    def settle(self, seconds: float) -> list[NebbetError]:
        """Wait, with the window alive, until everything so far is done; what went wrong."""
        if self._held is not None:
            return []
        loop, wrong = QEventLoop(), list[NebbetError]()
        self.failed.connect(wrong.append)
        self.run(lambda: None, lambda _done: loop.quit(), lambda _error: loop.quit())
        QTimer.singleShot(int(seconds * 1000), loop, loop.quit)
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        self.failed.disconnect(wrong.append)
        return wrong

    def finish(self) -> None:
        """Wait for what is under way; nothing is answered any more."""
        self._closed = True
        self._pool.waitForDone(10_000)


def nothing(_result: object) -> None:
    """Nothing is to be done when this went well."""
