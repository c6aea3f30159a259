"""What an account is let in with: its password, or a token (RFC 6750) that a command gives, or the
service at which somebody signed in."""

import logging
import shlex
import subprocess
import threading
import time
from collections.abc import Callable

from nebbet.core.sentences import said
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import Account
from nebbet.post.errors import DeliveryError, no_password
from nebbet.post.sign_in import Tokens, renewed

_SECONDS = 30.0  # that a command may take
_KEPT = 300.0  # seconds that a token is used again: services give them for an hour
_EARLIER = 60.0  # seconds before a token ends that the next one is asked for
_LONGEST = 20_000  # characters of a token
_tokens: dict[str, tuple[str, float]] = {}
_one_at_a_time = threading.Lock()
_log = logging.getLogger(__name__)


def secret_of(account: Account, secrets: Secrets) -> str:
    """The password of an account, or its token. Raises DeliveryError."""
    if account.token_command:
        return _token(account.token_command, lambda: (_run(account.token_command), _KEPT))
    if account.sign_in.token_url:
        return _token(_signed_in(account), lambda: _renew(account, secrets))
    password = secrets.get(account.user)
    if not password:
        raise no_password(account)
    return password


def forget_token(account: Account) -> None:
    """A server did not take the token: the next one is asked for anew."""
    _tokens.pop(account.token_command or _signed_in(account), None)


def keep_tokens(account: Account, secrets: Secrets, tokens: Tokens) -> bool:
    """Keep what somebody signed in with; False when it lasts for this session only."""
    with _one_at_a_time:
        _tokens[_signed_in(account)] = (tokens.access_token, time.monotonic() + _lasts(tokens))
    return bool(tokens.refresh_token) and secrets.keep(_signed_in(account), tokens.refresh_token)


def _signed_in(account: Account) -> str:
    """Under what the refresh token of an account is kept: no password is."""
    return f"sign-in://{account.user}"


def _token(kept_as: str, get: Callable[[], tuple[str, float]]) -> str:
    """A token that was got before, as long as it holds, or another one, and how long it does."""
    with _one_at_a_time:
        token, until = _tokens.get(kept_as, ("", 0.0))
        if not token or time.monotonic() > until:
            token, seconds = get()
            _tokens[kept_as] = (token, time.monotonic() + seconds)
        return token


def _renew(account: Account, secrets: Secrets) -> tuple[str, float]:
    held = secrets.get(_signed_in(account))
    if not held:
        raise DeliveryError(
            "login",
            said("You are not signed in to the mailbox {user}", user=account.user),
            said("Sign in in your profile"),
        )
    tokens = renewed(account, held)
    if tokens.refresh_token != held:
        secrets.keep(_signed_in(account), tokens.refresh_token)
    return tokens.access_token, _lasts(tokens)


def _lasts(tokens: Tokens) -> float:
    """How long a token is used again: not until the last moment."""
    return max(0.0, min(float(tokens.expires_in), 86_400.0) - _EARLIER)


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
