"""The log: whole in a file of the person's own, one line each on standard error."""

import logging
from logging.handlers import RotatingFileHandler
from pathlib import Path

from nebbet.personal.home import LETTERS_LOG, Home

_LARGEST = 2**20  # bytes


class _OneLine(logging.Formatter):
    """A record without its traceback."""

    def format(self, record: logging.LogRecord) -> str:
        bare = logging.makeLogRecord({**record.__dict__, "exc_info": None, "exc_text": None,
                                      "stack_info": None})  # fmt: skip
        return f"nebbet: {bare.getMessage().splitlines()[0] if bare.getMessage() else ''}"


class _OwnFile(RotatingFileHandler):
    """A file that only its owner reads; where there is none to be had, nothing is written."""

    def _open(self):  # type: ignore[no-untyped-def]
        Path(self.baseFilename).touch(mode=0o600)
        return super()._open()

    def emit(self, record: logging.LogRecord) -> None:
        try:
            super().emit(record)
        except OSError:
            return

    def handleError(self, _record: logging.LogRecord) -> None:
        """A full disk is told where something is kept, not here."""


def keep_log(home: Home) -> None:
    """Keep what goes wrong in the home's log, and which letter went when, as soon as there is a
    home."""
    shown = logging.StreamHandler()
    shown.setFormatter(_OneLine())
    shown.setLevel(logging.WARNING)
    kept = _OwnFile(home.log_file, maxBytes=_LARGEST, backupCount=3, delay=True)
    kept.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.basicConfig(level=logging.WARNING, handlers=[shown, kept])
    logging.getLogger(LETTERS_LOG).setLevel(logging.INFO)
