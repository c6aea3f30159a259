"""Ways to log in (SASL, RFC 4422), the same at both servers; which one goes by what is offered.

A line is encrypted and its server's certificate verified before any of them begins.
"""

import hmac
from collections.abc import Callable, Collection

from msgspec import Struct
from scramp import ScramClient, ScramException

from nebbet.core.characters import whole
from nebbet.core.sentences import said
from nebbet.personal.settings import Account
from nebbet.post.errors import DeliveryError


class Way(Struct, frozen=True):
    """One way. answer gives what is said to what a server asks; where it speaks_first, the first
    question is empty."""

    name: str
    answer: Callable[[bytes], bytes]
    speaks_first: bool = True


def ways(
    account: Account, host: str, port: int, secret: str, offered: Collection[str]
) -> list[Way]:
    """The ways that a server offers and that Nebbet knows, the best first: with a token where the
    account has a command for one, otherwise with its password. host and port are the server's."""
    known = _with_token(account, host, port, secret) if account.takes_token else [
        _scram(account.user, secret), _plain(account.user, secret),
        _login(account.user, secret), _cram_md5(account.user, secret),
    ]  # fmt: skip
    names = {one.upper() for one in offered}
    found = [way for way in known if way.name in names]
    # A service that takes tokens and does not say so is asked in the way that all of them knew.
    return found or (known[-1:] if account.takes_token else [])


def _plain(user: str, password: str) -> Way:
    """RFC 4616."""
    return Way("PLAIN", lambda _asked: whole(f"\0{user}\0{password}").encode())


def _login(user: str, password: str) -> Way:
    """The name, then the password (never standardised; draft-murchison-sasl-login)."""
    left = [whole(user).encode(), whole(password).encode()]
    return Way("LOGIN", lambda _asked: left.pop(0) if left else b"", speaks_first=False)


def _cram_md5(user: str, password: str) -> Way:
    """RFC 2195 §2."""

    def answer(asked: bytes) -> bytes:
        digest = hmac.new(whole(password).encode(), asked, "md5").hexdigest()
        return whole(user).encode() + b" " + digest.encode()

    return Way("CRAM-MD5", answer, speaks_first=False)


def _scram(user: str, password: str, nonce: str | None = None) -> Way:
    """RFC 7677: the password is never told, and the server has to prove that it knows it."""
    client = ScramClient(["SCRAM-SHA-256"], whole(user), whole(password), c_nonce=nonce)
    step = iter((_scram_first, _scram_proof, _scram_end))

    def answer(asked: bytes) -> bytes:
        try:
            return next(step, _nothing)(client, asked.decode("utf-8", "replace"))
        except (ScramException, ValueError, IndexError, KeyError):
            raise DeliveryError(
                "login",
                said("The mail server does not prove that it knows your password"),
                said("It may not be the one it says it is: ask whoever runs it"),
            ) from None

    return Way("SCRAM-SHA-256", answer)


def _scram_first(client: ScramClient, _asked: str) -> bytes:
    return str(client.get_client_first()).encode()


def _scram_proof(client: ScramClient, asked: str) -> bytes:
    client.set_server_first(asked)
    return str(client.get_client_final()).encode()


def _scram_end(client: ScramClient, asked: str) -> bytes:
    client.set_server_final(asked)
    return b""


def _nothing(_client: ScramClient, _asked: str) -> bytes:
    return b""


def _with_token(account: Account, host: str, port: int, token: str) -> list[Way]:
    """OAUTHBEARER (RFC 7628 §3.1), and what came before it. What is wrong with a token follows an
    empty answer (§3.2.3)."""
    bearer = f"n,a={account.user},\x01host={host}\x01port={port}\x01auth=Bearer {token}\x01\x01"
    before = f"user={account.user}\x01auth=Bearer {token}\x01\x01"
    return [
        Way("OAUTHBEARER", _once(whole(bearer).encode(), b"\x01")),
        Way("XOAUTH2", _once(whole(before).encode(), b"")),
    ]


def _once(first: bytes, then: bytes) -> Callable[[bytes], bytes]:
    left = [first]
    return lambda _asked: left.pop() if left else then
