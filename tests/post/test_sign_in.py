"""Signing in with a code, against a stand-in. Sources: RFC 8628 §3 (the codes and the waiting), RFC
6749 §5 and §6 (tokens, and the next ones)."""

import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from msgspec.structs import replace

from nebbet.personal import outbox
from nebbet.personal.items import Item
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import Account
from nebbet.post import secret, sign_in
from nebbet.post.delivering import Office, deliver_due
from nebbet.post.errors import DeliveryError
from nebbet.standin.sign_in_server import SignInService
from tests.post.conftest import ME, PASSWORDS
from tests.post.hostile import server


@pytest.fixture
def provider(tmp_path: Path) -> Iterator[SignInService]:
    made = SignInService(tmp_path / "provider", token=PASSWORDS[ME])
    made.start()
    yield made
    made.stop()


@pytest.fixture
def account(provider: SignInService) -> Iterator[Account]:
    made = Account(ME, sign_in=provider.place, certificate=str(provider.certificate))
    yield made
    secret.forget_token(made)


def test_a_code_is_typed_and_tokens_come(provider: SignInService, account: Account) -> None:
    offer = sign_in.begin(account)
    assert len(offer.user_code) == 9 and offer.verification_uri.startswith("https://")
    assert sign_in.ask(account, offer, 1) == sign_in.Waiting(1)
    provider.slow = True
    assert sign_in.ask(account, offer, 1) == sign_in.Waiting(6), "§3.5: five seconds more"
    provider.approved.add(offer.user_code)
    tokens = sign_in.ask(account, offer, 1)
    assert isinstance(tokens, sign_in.Tokens) and tokens.access_token == PASSWORDS[ME]
    assert PASSWORDS[ME] not in repr(tokens)
    again = sign_in.renewed(account, tokens.refresh_token)
    assert again.refresh_token not in ("", tokens.refresh_token)


def test_who_says_no_or_takes_too_long_is_told(provider: SignInService, account: Account) -> None:
    offer = sign_in.begin(account)
    provider.denied.add(offer.user_code)
    with pytest.raises(DeliveryError, match="said no"):
        sign_in.ask(account, offer, 1)
    with pytest.raises(DeliveryError, match="not typed in time"):
        sign_in.ask(account, replace(offer, device_code="gone"), 1)
    with pytest.raises(DeliveryError, match="holds no more"):
        sign_in.renewed(account, "stale")
    stranger = replace(account, sign_in=replace(account.sign_in, client="x"))
    with pytest.raises(DeliveryError, match="Nobody knows you here"):
        sign_in.begin(stranger)


def test_a_letter_goes_with_a_token_that_is_renewed(
    provider: SignInService, account: Account, office: Office, item: Item,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    """The stand-in's SMTP takes the token; the mailbox knows passwords alone: the copy waits."""
    secrets = SessionSecrets()
    with pytest.raises(DeliveryError, match="not signed in"):
        secret.secret_of(account, secrets)
    offer = sign_in.begin(account)
    provider.approved.add(offer.user_code)
    tokens = sign_in.ask(account, offer, 1)
    assert isinstance(tokens, sign_in.Tokens)
    assert not secret.keep_tokens(account, secrets, tokens), "for this session alone"
    signed_in = replace(office.account, sign_in=account.sign_in)
    monkeypatch.setattr(sign_in, "tls_context", lambda _a: _trusting(account))
    outbox.enqueue(office.personal, item, office.now())
    (left,) = deliver_due(replace(office, account=signed_in, secrets=secrets))
    assert left.state == "sent", "it went; only its copy waits"
    kept = secrets.get(f"sign-in://{ME}")
    secret.forget_token(account)
    assert secret.secret_of(account, secrets) == PASSWORDS[ME]
    assert secrets.get(f"sign-in://{ME}") != kept, "the next refresh token is kept"


def _trusting(account: Account):  # type: ignore[no-untyped-def]
    from nebbet.post.connection import tls_context

    return tls_context(account)


def test_tokens_are_used_as_long_as_they_hold(provider: SignInService, account: Account) -> None:
    secrets = SessionSecrets()
    provider.expires_in = 61  # a second, less the minute before its end
    offer = sign_in.begin(account)
    provider.approved.add(offer.user_code)
    tokens = sign_in.ask(account, offer, 1)
    assert isinstance(tokens, sign_in.Tokens)
    secret.keep_tokens(account, secrets, tokens)
    before = len(provider.refresh_tokens)
    secret.secret_of(account, secrets)
    assert len(provider.refresh_tokens) == before
    time.sleep(1.1)
    secret.secret_of(account, secrets)
    assert len(provider.refresh_tokens) == before + 1


@pytest.mark.parametrize(
    ("url", "words"),
    [
        ("http://provider.example/device", "no encrypted address"),
        ("file:///etc/passwd", "no encrypted address"),
        ("https://127.0.0.1:1/device", "cannot be reached"),
        ("https://[bad/device", "cannot be reached"),
    ],
)
def test_odd_places_are_told(account: Account, url: str, words: str) -> None:
    odd = replace(account, sign_in=replace(account.sign_in, device_url=url))
    with pytest.raises(DeliveryError, match=words):
        sign_in.begin(odd)


def test_a_foreign_certificate_is_not_talked_to(account: Account, provider: SignInService) -> None:
    with pytest.raises(DeliveryError, match="cannot be reached"):
        sign_in.begin(replace(account, certificate=""))
    assert not provider.codes


def test_what_is_no_service_is_told(account: Account, monkeypatch: pytest.MonkeyPatch) -> None:
    for answer in (b"", b"<html>", b"[]", b'{"device_code": 5}', b"\xff" * 100, b"{" * 70_000):
        monkeypatch.setattr(sign_in, "_ask", lambda *_args, answer=answer: answer)
        for act in (lambda: sign_in.begin(account), lambda: sign_in.renewed(account, "x")):
            with pytest.raises(DeliveryError, match="does not let Nebbet in"):
                act()
    with server(b"220 mail\r\n", lambda _line: b"") as port:
        monkeypatch.undo()
        odd = replace(account.sign_in, device_url=f"https://127.0.0.1:{port}/")
        with pytest.raises(DeliveryError, match="cannot be reached"):
            sign_in.begin(replace(account, sign_in=odd))
