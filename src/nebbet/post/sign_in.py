"""Signing in without a password: a code is typed at the provider's page, and Nebbet gets tokens
(RFC 8628, OAuth 2.0 device authorization; RFC 6749 §6, refreshing)."""

import logging
import urllib.error
import urllib.parse
import urllib.request
from http.client import HTTPException

import msgspec
from msgspec import Struct

from nebbet.core.errors import UNREADABLE
from nebbet.core.sentences import said
from nebbet.personal.settings import Account
from nebbet.post.connection import TIMEOUT, tls_context
from nebbet.post.errors import DeliveryError

_LARGEST = 64 * 1024  # bytes of an answer
_DEVICE = "urn:ietf:params:oauth:grant-type:device_code"
_SLOWER = 5  # seconds that a service may ask to wait longer (RFC 8628 §3.5)
_log = logging.getLogger(__name__)


class Offer(Struct, frozen=True):
    """What a service answers to a wish to sign in: the code that a person types at an address, and
    every how many seconds it may be asked whether they did (RFC 8628 §3.2)."""

    device_code: str
    user_code: str
    verification_uri: str
    expires_in: int = 1800
    interval: int = 5


class Tokens(Struct, frozen=True):
    """What lets into the mailbox for a while, and what gets the next one; never shown by repr."""

    access_token: str
    refresh_token: str = ""
    expires_in: int = 3600

    def __repr__(self) -> str:
        return "Tokens(redacted)"


class Waiting(Struct, frozen=True):
    """The person has not typed the code yet; ask again after so many seconds."""

    seconds: int


class _Refusal(Struct, frozen=True):
    error: str = ""
    error_description: str = ""


def begin(account: Account) -> Offer:
    """Ask for a code. Raises DeliveryError."""
    service = account.sign_in
    answer = _ask(
        account, service.device_url, {"client_id": service.client, "scope": service.scope}
    )
    try:
        offer = msgspec.json.decode(answer, type=Offer)
    except UNREADABLE:
        raise _refused(answer) from None
    return msgspec.structs.replace(offer, interval=min(max(offer.interval, 1), 60))


def ask(account: Account, offer: Offer, interval: int) -> Tokens | Waiting:
    """Ask whether the person has typed the code. Raises DeliveryError where they said no, or took
    too long."""
    form = {"grant_type": _DEVICE, "device_code": offer.device_code,
            "client_id": account.sign_in.client}  # fmt: skip
    answer = _ask(account, account.sign_in.token_url, form)
    try:
        return msgspec.json.decode(answer, type=Tokens)
    except UNREADABLE:
        refusal = _refusal(answer)
    match refusal.error:
        case "authorization_pending":
            return Waiting(interval)
        case "slow_down":
            return Waiting(interval + _SLOWER)
    raise _refused(answer)


def renewed(account: Account, refresh_token: str) -> Tokens:
    """The next tokens; a service that gives no other refresh token means the same one. Raises
    DeliveryError."""
    form = {"grant_type": "refresh_token", "refresh_token": refresh_token,
            "client_id": account.sign_in.client}  # fmt: skip
    answer = _ask(account, account.sign_in.token_url, form)
    try:
        found = msgspec.json.decode(answer, type=Tokens)
    except UNREADABLE:
        raise _refused(answer) from None
    return msgspec.structs.replace(found, refresh_token=found.refresh_token or refresh_token)


class _NoRedirect(urllib.request.HTTPRedirectHandler):
    """What is asked for is never sent elsewhere."""

    def redirect_request(self, *_args: object, **_more: object) -> None:
        return None


def _ask(account: Account, url: str, form: dict[str, str]) -> bytes:
    """Post a form; a refusal is an answer, too (RFC 6749 §5.2). Raises DeliveryError."""
    if not url.startswith("https://"):
        raise DeliveryError(
            "account",
            said("“{url}” is no encrypted address", url=url),
            said("Write it with https:// in front"),
        )
    data = urllib.parse.urlencode({k: v for k, v in form.items() if v}).encode("ascii")
    handlers = (urllib.request.HTTPSHandler(context=tls_context(account)), _NoRedirect())
    try:
        request = urllib.request.Request(url, data, {"Accept": "application/json"})
        with urllib.request.build_opener(*handlers).open(request, timeout=TIMEOUT) as answer:
            return bytes(answer.read(_LARGEST))
    except urllib.error.HTTPError as error:
        with error:
            return bytes(error.read(_LARGEST))
    except (OSError, HTTPException, ValueError) as error:
        _log.info("the sign-in service cannot be asked: %s", type(error).__name__)
        host = url.removeprefix("https://").partition("/")[0]
        raise DeliveryError(
            "unreachable",
            said("The sign-in service {host} cannot be reached", host=host),
            said("Nebbet tries again by itself"),
        ) from None


def _refusal(answer: bytes) -> _Refusal:
    try:
        return msgspec.json.decode(answer, type=_Refusal)
    except UNREADABLE:
        return _Refusal()


def _refused(answer: bytes) -> DeliveryError:
    """A refusal in words (RFC 8628 §3.5, RFC 6749 §5.2)."""
    refusal = _refusal(answer)
    reasons = {
        "access_denied": said("you, or whoever runs it, said no"),
        "expired_token": said("the code was not typed in time"),
        "invalid_grant": said("what was given before holds no more"),
    }
    words = " ".join(refusal.error_description.split())[:200] or refusal.error[:60]
    why = reasons.get(refusal.error) or words or said("it answers what cannot be understood")
    return DeliveryError(
        "login",
        said("The sign-in service does not let Nebbet in: {why}", why=why),
        said("Sign in again in your profile"),
    )
