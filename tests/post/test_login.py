"""Ways to log in, checked by the examples of their standards; against real servers, see
test_real_servers.py."""

import base64
import smtplib
from collections.abc import Iterator

import pytest

from nebbet.personal.settings import Account
from nebbet.post import login, smtp
from nebbet.post.bounded import BoundedSMTP
from nebbet.post.errors import DeliveryError
from tests.post.hostile import server

TIM = Account("tim", token_command="")


def names(account: Account, *offered: str) -> list[str]:
    return [way.name for way in login.ways(account, "mail.example", 587, "secret", offered)]


def test_the_best_that_is_offered_goes_first() -> None:
    assert names(TIM, "PLAIN", "LOGIN", "SCRAM-SHA-256", "GSSAPI") == [
        "SCRAM-SHA-256", "PLAIN", "LOGIN",
    ]  # fmt: skip
    assert names(TIM, "gssapi") == []
    token = Account("tim", token_command="token")
    assert names(token, "PLAIN", "XOAUTH2", "OAUTHBEARER") == ["OAUTHBEARER", "XOAUTH2"]
    assert names(token, "PLAIN") == ["XOAUTH2"], "a service may not say that it takes tokens"


def test_cram_md5() -> None:
    """RFC 2195 §2: tim, tanstaaftanstaaf."""
    way = login._cram_md5("tim", "tanstaaftanstaaf")
    asked = b"<1896.697170952@postoffice.reston.mci.net>"
    assert way.answer(asked) == b"tim b913a602c7eda7a495b4e6e7334d3890"


def test_scram() -> None:
    """RFC 7677 §3: user, pencil."""
    way = login._scram("user", "pencil", nonce="rOprNGfwEbeRWgbNEkqO")
    assert way.answer(b"") == b"n,,n=user,r=rOprNGfwEbeRWgbNEkqO"
    nonce = "rOprNGfwEbeRWgbNEkqO%hvYDpWUa2RaTCAfuxFIlj)hNlF$k0"
    proof = "dHzbZapWIk4jUhN+Ute9ytag9zjfMHgsqmmiz7AndVQ="
    asked = f"r={nonce},s=W22ZaJ0SNY7soEsUEjb6gQ==,i=4096"
    assert way.answer(asked.encode()).decode() == f"c=biws,r={nonce},p={proof}"
    assert way.answer(b"v=6rriTRBi23WpRR/wtup+mMhUZUn/dB5nLTJRsjl95G4=") == b""


@pytest.mark.parametrize("proof", [b"v=6rriTRBi23WpRR/wtup+mMhUZUn/dB5nLTJRsjl95G5=", b"x", b""])
def test_a_server_that_does_not_know_the_password_is_found_out(proof: bytes) -> None:
    way = login._scram("user", "pencil", nonce="rOprNGfwEbeRWgbNEkqO")
    way.answer(b"")
    way.answer(b"r=rOprNGfwEbeRWgbNEkqO%hv,s=W22ZaJ0SNY7soEsUEjb6gQ==,i=4096")
    with pytest.raises(DeliveryError, match="does not prove"):
        way.answer(proof)


def test_a_token() -> None:
    """RFC 7628 §4.1, with the host and port of this account; §3.2.3: an error is answered."""
    account = Account("user@example.com", token_command="token")
    offered = ("OAUTHBEARER", "XOAUTH2")
    bearer, before = login.ways(account, "server.example.com", 143, "vF9dft4qmTc2", offered)
    assert bearer.answer(b"") == (
        b"n,a=user@example.com,\x01host=server.example.com\x01port=143\x01"
        b"auth=Bearer vF9dft4qmTc2\x01\x01"
    )
    assert bearer.answer(b'{"status":"invalid_token"}') == b"\x01"
    assert before.answer(b"") == b"user=user@example.com\x01auth=Bearer vF9dft4qmTc2\x01\x01"
    assert before.answer(b"{}") == b""


@pytest.mark.parametrize("takes", [b"PLAIN", b"nothing"])
def test_what_is_offered_and_does_not_work_is_followed_by_the_next(takes: bytes) -> None:
    """RFC 4954 §4. A server that offers SCRAM may not hold what it needs for everybody."""
    heard: list[bytes] = []

    def answer(line: bytes) -> bytes:
        if line.upper().startswith(b"EHLO"):
            return b"250-mail.example\r\n250 AUTH SCRAM-SHA-256 PLAIN\r\n"
        heard.append(line)
        return b"235 2.7.0 in\r\n" if takes in line else b"535 5.7.8 no\r\n"

    with server(b"220 mail.example\r\n", answer) as port:
        for line in _lines(port):
            account = Account("tim", "127.0.0.1", port, smtp_tls="at once")
            if takes == b"PLAIN":
                smtp._enter(line, account, "pw")
            else:
                with pytest.raises(DeliveryError, match="does not accept"):
                    smtp._enter(line, account, "pw")
    assert heard[1].strip() == b"AUTH PLAIN " + base64.b64encode(b"\0tim\0pw")
    assert len(heard) == 2, "a wrong password is tried no more often than that"


def _lines(port: int) -> Iterator[smtplib.SMTP]:
    line = BoundedSMTP("127.0.0.1", port, "[127.0.0.1]", 5)
    yield line
    line.close()
