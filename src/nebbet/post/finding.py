"""Finding the servers of a mailbox from its address, and trying whether a letter goes and comes.

RFC 6186 and RFC 8314 §5.1 (SRV records), else names that are common (from memory, no source).
"""

import contextlib
import socket
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from email.message import EmailMessage
from email.utils import format_datetime

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core import addresses
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.personal.settings import Account
from nebbet.post.errors import DeliveryError
from nebbet.post.imap import mailbox
from nebbet.post.smtp import deliver, try_login

_PATIENCE = 5.0  # seconds for each server that is tried
_LOOKUP = 3.0  # seconds for the names that a domain says
_COMES_WITHIN = 30.0  # seconds in which a message to oneself comes
_PAUSE = 0.5

Resolve = Callable[[str], list[tuple[str, int]]]


class Candidate(Struct, frozen=True):
    """A server that may be the one: its name, its port, and whether lines to it are encrypted from
    their first byte."""

    host: str
    port: int
    at_once: bool

    @property
    def words(self) -> str:
        """The server as a person reads it."""
        return said("{host}, port {port}", host=self.host, port=self.port)


class Tried(Struct, frozen=True):
    """A server that was tried: which, and what came of it, as a sentence; refused says that it did
    not take the password, silent that nothing was there."""

    words: str
    answer: str
    works: bool = False
    refused: bool = False
    silent: bool = False


class Servers(Struct, frozen=True):
    """The account as far as its servers were found, and all that was tried on the way."""

    account: Account
    tried: tuple[Tried, ...] = ()
    reads: bool = False
    sends: bool = False


def srv_records(name: str) -> list[tuple[str, int]]:
    """The servers that a domain names for a service (RFC 2782), the best first; none where it says
    nothing, or nothing can be asked."""
    import dns.exception
    import dns.resolver

    try:
        answer = dns.resolver.resolve(name, "SRV", lifetime=_LOOKUP)
    except (dns.exception.DNSException, OSError):
        return []
    found = sorted(answer, key=lambda one: (one.priority, -one.weight))
    # "." says that the service is not offered (RFC 6186 §3.4).
    return [(str(one.target).rstrip("."), one.port) for one in found if str(one.target) != "."]


def _candidates(
    domain: str, resolve: Resolve, services: tuple[tuple[str, bool], ...],
    names: tuple[str, ...], ports: tuple[tuple[int, bool], ...],
) -> Iterator[Candidate]:  # fmt: skip
    seen: set[Candidate] = set()
    for service, at_once in services:
        for host, port in resolve(f"_{service}._tcp.{domain}"):
            seen.add(one := Candidate(host, port, at_once))
            yield one
    for name in names:
        for port, at_once in ports:
            one = Candidate(name.format(domain=domain), port, at_once)
            if one not in seen:
                yield one


def readers(domain: str, resolve: Resolve) -> Iterator[Candidate]:
    """The servers that may hold the mailboxes of a domain, the likeliest first."""
    return _candidates(
        domain, resolve, (("imaps", True), ("imap", False)),
        ("imap.{domain}", "mail.{domain}", "{domain}"), ((993, True), (143, False)),
    )  # fmt: skip


def senders(domain: str, resolve: Resolve) -> Iterator[Candidate]:
    """The servers that may take letters from a domain, the likeliest first."""
    return _candidates(
        domain, resolve, (("submissions", True), ("submission", False)),
        ("smtp.{domain}", "mail.{domain}", "{domain}"), ((465, True), (587, False)),
    )  # fmt: skip


def answering(candidates: Sequence[Candidate], seconds: float = _PATIENCE) -> set[Candidate]:
    """Those that can be connected to: all are tried at once, and nothing is said to them. A name
    that nobody answers for is not waited for longer than that."""
    found: set[Candidate] = set()

    def knock(one: Candidate) -> None:
        with contextlib.suppress(OSError, UnicodeError):
            socket.create_connection((one.host, one.port), seconds / 2).close()
            found.add(one)

    tries = [threading.Thread(target=knock, args=(one,), daemon=True) for one in candidates]
    end = time.monotonic() + seconds
    for one in tries:
        one.start()
    for one in tries:
        one.join(max(0.0, end - time.monotonic()))
    return set(found)


def find_servers(
    address: str, password: str, known: Account, resolve: Resolve | None = None
) -> Servers:
    """Find the servers of an address, and log in. What is known already of the account is tried as
    it is. Raises NebbetError for what is no address.

    Once a server knows the address and does not take the password, no other one is asked: a
    password goes to no more servers than it must.
    """
    found = addresses.one(address)
    if not isinstance(found, addresses.Address):
        raise NebbetError(said("“{text}” is not a mail address", text=address))
    domain, resolve = found.spec.rpartition("@")[2], resolve or srv_records
    account = replace(known, user=known.user or found.spec)
    tried: list[Tried] = []
    reads, account = _first(_wanted(account, "imap", readers(domain, resolve)), account, "imap",
                            password, tried)  # fmt: skip
    sends = False
    if not any(one.refused for one in tried):
        sends, account = _first(_wanted(account, "smtp", senders(domain, resolve)), account,
                                "smtp", password, tried)  # fmt: skip
    return Servers(account, tuple(tried), reads, sends)


def _wanted(account: Account, kind: str, found: Iterator[Candidate]) -> Iterator[Candidate]:
    """The server that was typed, or those that are found."""
    if host := getattr(account, f"{kind}_host"):
        yield Candidate(host, getattr(account, f"{kind}_port"), getattr(account, f"{kind}_at_once"))
    else:
        yield from found


def _first(
    candidates: Iterator[Candidate], account: Account, kind: str, password: str,
    tried: list[Tried],
) -> tuple[bool, Account]:  # fmt: skip
    """The first server that lets in; notes what each one answered."""
    every = [*candidates]
    there = answering(every)
    for one in every:
        if one not in there:
            tried.append(Tried(one.host, said("Nothing answers there"), silent=True))
            continue
        tls = "at once" if one.at_once else "starttls"
        asked = replace(
            account, **{f"{kind}_host": one.host, f"{kind}_port": one.port, f"{kind}_tls": tls}
        )
        try:
            if kind == "imap":
                with mailbox(asked, password, _PATIENCE):
                    pass
            else:
                try_login(asked, password, _PATIENCE)
        except NebbetError as error:
            refused = isinstance(error, DeliveryError) and error.kind == "login"
            tried.append(Tried(one.words, error.what, refused=refused))
            if refused:
                return False, asked
            continue
        tried.append(Tried(one.words, said("It answers, and the password fits"), works=True))
        return True, asked
    return False, account


def send_to_oneself(
    account: Account, password: str, address: str, moment: datetime, token: str
) -> float:
    """Send a message to oneself and find it again; the seconds that took. Raises NebbetError where
    it does not go, or does not come."""
    mark = f"<{token}@{address.rpartition('@')[2]}>"
    message = EmailMessage()
    message["From"] = message["To"] = address
    message["Subject"] = said("Nebbet can send and receive")
    message["Date"] = format_datetime(moment)
    message["Message-ID"] = mark
    message.set_content(said("This message came from your own mailbox, and came back to it."))
    began = time.monotonic()
    deliver(account, password, address, [address], message.as_bytes().replace(b"\n", b"\r\n"))
    with mailbox(account, password) as client:
        while time.monotonic() - began < _COMES_WITHIN:
            client.select_folder("INBOX", readonly=True)
            if client.search(["HEADER", "Message-ID", mark]):
                return time.monotonic() - began
            time.sleep(_PAUSE)
    raise NebbetError(
        said("The message to yourself went, and did not come within {seconds} seconds",
             seconds=int(_COMES_WITHIN)),
        advice=said("It may still come; look into your mailbox"),
    )  # fmt: skip
