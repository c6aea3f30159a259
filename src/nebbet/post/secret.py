"""What an account is let in with: its password, or a token that a command gives (RFC 6750)."""

import logging
import shlex
import subprocess
import threading
import time

from nebbet.core.sentences import said
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import Account
from nebbet.post.errors import DeliveryError, no_password

_SECONDS = 30.0  # that a command may take
_KEPT = 300.0  # seconds that a token is used again: services give them for an hour
_LONGEST = 20_000  # characters of a token
_tokens: dict[str, tuple[str, float]] = {}
_one_at_a_time = threading.Lock()
_log = logging.getLogger(__name__)


def secret_of(account: Account, secrets: Secrets) -> str:
    """The password of an account, or the token that its command gives. Raises DeliveryError."""
    if account.token_command:
        return _token(account)
    password = secrets.get(account.user)
    if not password:
        raise no_password(account)
    return password


def forget_token(account: Account) -> None:
    """A server did not take the token: the next one is asked for anew."""
    _tokens.pop(account.token_command, None)


def _token(account: Account) -> str:
    command = account.token_command
    with _one_at_a_time:
        token, until = _tokens.get(command, ("", 0.0))
        if not token or time.monotonic() > until:
            token = _run(command)
            _tokens[command] = (token, time.monotonic() + _KEPT)
        return token


def _run(command: str) -> str:
    """Run a command, never through a shell; its first line is the token. What it says is never
    logged."""
    try:
        done = subprocess.run(
            shlex.split(command), capture_output=True, timeout=_SECONDS, check=False,
            stdin=subprocess.DEVNULL,
        )  # fmt: skip
    except (OSError, ValueError, subprocess.TimeoutExpired) as error:
        _log.info("the command for a token failed: %s", type(error).__name__)
        raise _no_token(said("it cannot be run, or takes too long")) from None
    lines = done.stdout.decode("ascii", "replace").split()
    if done.returncode or not lines or len(lines[0]) > _LONGEST:
        raise _no_token(said("it ended with {code}, and gave no token", code=done.returncode))
    return lines[0]


def _no_token(why: str) -> DeliveryError:
    return DeliveryError(
        "login",
        said("The command that gives the token for your mailbox failed: {why}", why=why),
        said("Look at it in your profile"),
    )
