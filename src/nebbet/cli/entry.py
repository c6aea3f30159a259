"""The first and the last thing of the command: whatever happens inside, the person reads one line.

It imports next to nothing, so that an interrupt while the rest is loaded is one, too.
"""

import logging
import os
import sys
from collections.abc import Callable

INTERRUPTED = 130  # as shells have it: 128 and the number of SIGINT
_log = logging.getLogger("nebbet")


def main() -> None:
    """Run the command; every way out is an exit code and at most one sentence."""
    try:
        _readable_streams()
        from nebbet.cli.log import keep_log
        from nebbet.cli.main import main as command
        from nebbet.cli.options import home

        if not sys.flags.dev_mode:
            keep_log(home())
        _run(command)
    except KeyboardInterrupt:
        _end(INTERRUPTED)


def _run(command: Callable[[], object]) -> None:
    from nebbet.core.errors import NebbetError

    try:
        command()  # click gives it the arguments, and ends with the exit code
    except SystemExit as ended:
        _end(_flushed(ended.code if isinstance(ended.code, int) else 1))
    except NebbetError as error:
        _end(2, error.sentence)
    except BrokenPipeError:
        _end(2)  # whoever read it has read enough
    except OSError as error:
        _end(2, f"What was to be written cannot be: {(error.strerror or str(error)).lower()}.")
    except Exception:
        _log.exception("an error in Nebbet")
        _end(
            2,
            "Something in Nebbet itself went wrong. What was kept before is kept. "
            "The details are in the log.",
        )


def _readable_streams() -> None:
    """Names of files may hold what no text does: it is shown as well as it can be."""
    for stream in (sys.stdout, sys.stderr):
        if stream is not None and hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")


def _flushed(code: int) -> int:
    """What is still to be written goes now, while somebody can be told that it cannot."""
    try:
        if sys.stdout is not None:
            sys.stdout.flush()
    except BrokenPipeError:
        return code
    except OSError as error:
        said = (error.strerror or str(error)).lower()
        _say(f"What was to be written cannot be: {said}.")
        return 2
    return code


def _say(sentence: str) -> None:
    try:
        os.write(2, f"nebbet: {sentence}\n".encode("utf-8", "backslashreplace"))
    except OSError:
        return


def _end(code: int, sentence: str = "") -> None:
    """End at once: Python's own end would write to streams that are full or gone, and complain."""
    if sentence:
        _say(sentence)
    logging.shutdown()
    try:
        if sys.stderr is not None:
            sys.stderr.flush()
    except OSError:
        pass
    os._exit(code)
