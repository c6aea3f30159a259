"""The carrier: one thread that brings letters from the outbox to the mail servers."""

import logging
import threading
from collections.abc import Callable

from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.personal.items import Queued
from nebbet.personal.outbox import queued
from nebbet.post.delivering import RETRY_SECONDS, Office, deliver_due, write_outcomes

_LONGEST = 3600.0  # seconds: the clock may be set, and a letter may wait for years
_IDLE = 60.0  # seconds until it is looked whether another program put something into the outbox
_AT_ONCE = 25  # letters until it is told how they went: a round may have thousands
_STUCK = 2.0  # seconds until what the personal file did not take is tried again
_log = logging.getLogger(__name__)


class Carrier:
    """Runs deliver_due in a thread of its own, whenever something is due or nudged.

    After every pass, changed is called from that thread with what is left in the outbox, if that
    could be read, and troubled with what stood in the way, or None. Whatever happens in a pass, the
    thread goes on.
    """

    def __init__(
        self,
        office: Office,
        changed: Callable[[list[Queued]], None],
        troubled: Callable[[NebbetError | None], None] = lambda _error: None,
    ) -> None:
        self._office, self._changed, self._troubled = office, changed, troubled
        self._wake = threading.Event()
        self._stopped = False
        self._thread = threading.Thread(target=self._run, name="nebbet-carrier", daemon=True)

    def start(self) -> None:
        """Begin to carry."""
        self._thread.start()

    def nudge(self) -> None:
        """Look into the outbox now."""
        self._wake.set()

    def use(self, office: Office) -> None:
        """Go on with another account or password."""
        self._office = replace(office, unwritten=self._office.unwritten)
        self.nudge()

    def stop(self) -> None:
        """End after the letter at hand, however long that takes: how long a server may take for an
        answer is limited. What is left goes at the next start."""
        self._stopped = True
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join()

    def _run(self) -> None:
        pause = 0.0
        while True:
            self._wake.wait(pause)
            self._wake.clear()
            if self._stopped:
                write_outcomes(self._office)
                return
            pause = self._pass()

    def _tell(self) -> None:
        """Tell where letters stand, in the middle of a pass."""
        self._changed(queued(self._office.personal, known=self._office.known))

    def _pass(self) -> float:
        """Deliver, tell, and say how long to sleep."""
        try:
            left = deliver_due(self._office, lambda: self._stopped, _AT_ONCE, self._tell)
        except NebbetError as error:
            _log.warning("the outbox could not be looked through: %s", error.sentence)
            self._troubled(error)
            return float(RETRY_SECONDS[0])
        except Exception:  # a mistake of ours: told, logged whole, and tried again
            _log.exception("the outbox could not be looked through")
            self._troubled(
                NebbetError(
                    "The outbox could not be looked through",
                    kept="What waits there is kept",
                    advice="Nebbet tries again by itself; the details are in the log",
                )
            )
            return float(RETRY_SECONDS[0])
        self._changed(left)
        stuck = self._office.stuck
        self._troubled(stuck[0] if stuck else None)
        if stuck:
            return _STUCK
        looks, states = self._office.looks, ("held", "waiting", "sent")
        dues = [e.due for e in left if e.state in states or looks.is_to_be(e)]
        until = min([due - self._office.now() for due in dues], default=_IDLE)
        return max(0.05, min(until, _LONGEST))
