"""Servers that never end, crawl, lie about sizes or speak nonsense: bounded, and told."""

import resource
import socket
import threading
from collections.abc import Iterator

import pytest
from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.personal.settings import Account
from nebbet.post import bounded, imap
from nebbet.post.errors import DeliveryError
from nebbet.post.smtp import deliver
from nebbet.standin.service import MailService
from tests.post.conftest import ME, PASSWORDS
from tests.post.hostile import Answer, endless, server, slowly

ACCOUNT = Account(ME, "127.0.0.1", 0, "127.0.0.1", 0)
EHLO = b"250-h.example\r\n250-STARTTLS\r\n250 AUTH PLAIN\r\n"


def send(port: int, timeout: float = 2.0) -> DeliveryError:
    account = replace(ACCOUNT, smtp_port=port)
    with pytest.raises(DeliveryError) as caught:
        deliver(account, "secret", ME, ["a@b.example"], b"x\r\n", timeout=timeout)
    return caught.value


def answers(*pairs: tuple[bytes, bytes | Iterator[bytes]]) -> Answer:
    """What a server says to lines that begin in some ways."""

    def answer(line: bytes) -> bytes | Iterator[bytes]:
        return next(
            (said for start, said in pairs if line.upper().startswith(start)), b"500 no\r\n"
        )

    return answer


SMTP = {
    "endless greeting": (endless(b"220-" + b"x" * 500 + b"\r\n"), answers()),
    "endless line": (endless(b"x" * 4096), answers()),
    "a byte at a time": (slowly(b"220-" + b"x" * 10_000), answers()),
    "endless EHLO": (b"220 h\r\n", answers((b"EHLO", endless(b"250-x\r\n")))),
    "nonsense": (b"\xff\xfe\x00nonsense\r\n" * 3, answers()),
    "no number": (b"abc def\r\n", answers()),
    "another number": (b"554 go away\r\n", answers()),
    "busy": (b"421 later\r\n", answers()),
    "silence": (b"", answers()),
    "gone at once": (iter([b""]), answers()),
    "STARTTLS refused": (b"220 h\r\n", answers((b"EHLO", EHLO), (b"START", b"454 no TLS\r\n"))),
    "STARTTLS is no TLS": (b"220 h\r\n", answers((b"EHLO", EHLO), (b"START", b"220 go\r\n"))),
    "EHLO refused": (b"220 h\r\n", answers((b"EHLO", b"502 what\r\n"), (b"HELO", b"250 h\r\n"))),
}


@pytest.mark.timeout(30)
@pytest.mark.parametrize("kind", SMTP)
def test_no_smtp_server_fills_the_memory_or_takes_for_ever(kind: str) -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with server(*SMTP[kind]) as port:
        error = send(port)
    assert error.kind in ("unreachable", "busy", "refused", "account")
    assert "Error" not in error.sentence
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000  # kB


def test_a_rude_goodbye_is_nothing_to_the_letter(service: MailService) -> None:
    """The standard library's client raises when QUIT is not answered with 221."""
    service.faults.rude = True
    deliver(service.account(ME), "secret", ME, ["a@b.example"], b"Subject: x\r\n\r\nx\r\n")


def test_no_auth_is_not_told_as_no_encryption(service: MailService) -> None:
    """RFC 4954: a server without AUTH is another thing than one without STARTTLS."""
    service.faults.no_auth = True
    account = service.account(ME)
    with pytest.raises(DeliveryError, match="no way to log in"):
        deliver(account, "secret", ME, ["a@b.example"], b"x")
    bare = answers((b"EHLO", b"250 h.example\r\n"))
    with server(b"220 h\r\n", bare) as port:
        assert "no encrypted line" in send(port).sentence


@pytest.mark.parametrize("host", ["smtp..x", "x" * 300, "a b", ".", "ä..b", "-", "[::1"])
def test_a_host_that_is_none_is_told(host: str) -> None:
    account = replace(ACCOUNT, smtp_host=host, imap_host=host, smtp_port=9, imap_port=9)
    with pytest.raises(DeliveryError):
        deliver(account, "secret", ME, ["a@b.example"], b"x", timeout=2)
    with pytest.raises(NebbetError):
        imap.fetch_sent(account, "secret", "<a@b.example>")


@pytest.mark.logs  # the stand-in itself stumbles over some
@pytest.mark.parametrize("password", ["pä\u4e2dß", "\udc80", '"\\', "x" * 300])
def test_any_password_is_tried_and_told(
    service: MailService, password: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    with pytest.raises(DeliveryError):
        deliver(service.account(ME), password, ME, ["a@b.example"], b"x")
    with pytest.raises(NebbetError):
        imap.fetch_sent(service.account(ME), password, "<a@b.example>")


def test_a_password_outside_ascii_works(service: MailService) -> None:
    """RFC 4616 §2: PLAIN takes UTF-8."""
    service.passwords[ME] = "pä\u4e2dß"
    try:
        deliver(service.account(ME), "pä\u4e2dß", ME, ["a@b.example"], b"Subject: x\r\n\r\nx\r\n")
        with imap.mailbox(service.account(ME), "pä\u4e2dß") as client:
            assert client.folder_exists("INBOX")
    finally:
        service.passwords[ME] = PASSWORDS[ME]


IMAP = {
    "endless greeting": (endless(b"* OK " + b"x" * 500 + b"\r\n"), answers()),
    "endless line": (endless(b"x" * 4096), answers()),
    "a byte at a time": (slowly(b"* OK " + b"x" * 10_000), answers()),
    "nonsense": (b"\xff\xfe\x00\r\n" * 5, answers()),
    "silence": (b"", answers()),
    "a literal of any size": (b"* OK {99999999999}\r\nxx\r\n", answers()),
    "BYE": (b"* BYE no\r\n", answers()),
    "PREAUTH": (b"* PREAUTH hi\r\n", answers()),
}


@pytest.mark.timeout(30)
@pytest.mark.parametrize("kind", IMAP)
def test_no_imap_server_fills_the_memory_or_takes_for_ever(
    kind: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bounded, "SECONDS", 2.0)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with server(*IMAP[kind]) as port:
        account = replace(ACCOUNT, imap_port=port)
        with pytest.raises(NebbetError) as caught, imap.mailbox(account, "secret", 2.0):
            pass
    assert "Error" not in caught.value.sentence
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000


class _Odd:
    """A mailbox that answers what no mailbox should."""

    def __init__(self, **answers: object) -> None:
        self._answers = answers

    def __getattr__(self, name: str) -> object:
        def answer(*_args: object, **_more: object) -> object:
            found = self._answers.get(name, True)
            if isinstance(found, Exception):
                raise found
            return found

        return answer

    def __enter__(self) -> "_Odd":
        return self

    def __exit__(self, *_error: object) -> None:
        pass


@pytest.mark.logs
@pytest.mark.parametrize(
    "answers_of",
    [
        {"search": [1], "fetch": {}}, {"search": [1], "fetch": {1: {}}}, {"search": ["x"]},
        {"search": [1], "fetch": {1: {b"RFC822": None}}}, {"search": ValueError("odd")},
        {"folder_exists": IndexError("odd")}, {"search": [1], "fetch": KeyError("odd")},
        {"select_folder": UnicodeDecodeError("utf-8", b"x", 0, 1, "odd")},
    ],
)  # fmt: skip
def test_odd_answers_of_a_mailbox_are_one_sentence(
    answers_of: dict[str, object], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(imap, "BoundedIMAPClient", lambda *_a, **_k: _Odd(**answers_of))
    with pytest.raises(NebbetError):
        imap.fetch_sent(ACCOUNT, "secret", "<a@b.example>")


def test_the_numbers_of_a_large_folder_are_one_line() -> None:
    """RFC 9051 §7.3.4 has no limit for it: a folder of 100,000 messages answers so."""
    ours, theirs = socket.socketpair()
    with ours, theirs:
        numbers = " ".join(str(one) for one in range(1_000_000, 1_100_000))
        said = threading.Thread(target=theirs.sendall, args=(f"* SEARCH {numbers}\r\n".encode(),))
        said.start()
        reader = bounded.BoundedReader(ours, 5, bounded.LARGEST_ANSWER, bounded.LONGEST_OF_IMAP)
        assert reader.readline().split()[-1] == b"1099999"
        said.join()
