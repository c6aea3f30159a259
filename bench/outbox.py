"""Letters a second to a mail server that keeps nothing, against a bare smtplib loop over the same
bytes and the same line; and what ten thousand waiting letters weigh.

    .venv/bin/python bench/outbox.py [letters]
"""

import multiprocessing
import smtplib
import sys
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.body import Frame
from nebbet.core.letter import Letter
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import Contact, Member
from nebbet.library.entries import Registered
from nebbet.library.store import open_library
from nebbet.personal import outbox
from nebbet.personal.items import Item
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import Account
from nebbet.personal.tables import open_personal
from nebbet.post.connection import tls_context
from nebbet.post.delivering import Office, _let_go, _register
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from tests.conftest import NOW

ME, PASSWORD = "ann@harbour.example", "secret"
WAITING = 10_000


class Sink(MailService):
    """A mail service that takes everything and keeps nothing."""

    def _store(self, address: str, content: bytes) -> None:
        pass


def serve(folder: Path, line: Connection) -> None:
    """The sink in a process of its own, until something is said to it."""
    service = Sink(folder, {ME: PASSWORD, CATCH_ALL: PASSWORD})
    service.start()
    line.send(service.account(ME))
    line.recv()
    service.stop()


def written() -> Item:
    """A letter of a few paragraphs, finished."""
    text = "<p>Dear Ms Verrell,</p>" + "<p>Your sailing was cancelled, and we are sorry.</p>" * 8
    letter = Letter(
        "l", subject=("Your refund",), body=body.read(text),
        recipient=Contact("c", email="hanna.verrell@post.example"),
    )  # fmt: skip
    outgoing = compose(
        letter, Member("m", "Ann", "Bright", ME), now=NOW, token=lambda: "t", frame=Frame(),
        files=EncodedFiles(lambda _file: b""),
    )  # fmt: skip
    entry = Registered(outgoing.message_id, NOW, "m", "hanna.verrell@post.example", "Hanna")
    return Item("l", letter, outgoing, entry)


def numbered(item: Item, number: int) -> Item:
    """The same letter under another Message-ID."""
    key = f"<{number}@harbour.example>"
    data = item.outgoing.data.replace(item.outgoing.message_id.encode(), key.encode())
    return replace(
        item, id=f"l{number}", letter=replace(item.letter, id=f"l{number}"),
        outgoing=replace(item.outgoing, message_id=key, data=data),
        entry=replace(item.entry, message_id=key),
    )  # fmt: skip


def seconds(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def bare(account: Account, items: list[Item]) -> None:
    """What the standard library needs for the same bytes."""
    with smtplib.SMTP(account.smtp_host, account.smtp_port, "[127.0.0.1]") as server:
        server.starttls(context=tls_context(account))
        server.login(ME, PASSWORD)
        for item in items:
            server.sendmail(ME, item.outgoing.recipients, item.outgoing.data)


def main(count: int) -> None:
    fork = multiprocessing.get_context("fork")
    here, there = fork.Pipe()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        sink = fork.Process(target=serve, args=(folder / "mail", there))
        sink.start()
        account: Account = here.recv()
        personal = open_personal(folder / "personal.sqlite")
        library = open_library(folder / "library.sqlite")
        office = Office(personal, library, account, SessionSecrets({ME: PASSWORD}), NOW.timestamp)
        first = written()
        items = [numbered(first, number) for number in range(count)]
        for item in items:
            outbox.enqueue(personal, item, 0.0)
        bare(account, items[:10])
        loop = seconds(lambda: bare(account, items))
        out: list = []
        handed = seconds(lambda: out.extend(_let_go(office, lambda: False)))
        entered = seconds(lambda: [_register(office, entry) for entry in out])
        here.send(None)
        sink.join()
        for number in range(count, count + WAITING):
            outbox.enqueue(personal, numbered(first, number), 9e9)
        tracemalloc.start()
        held = outbox.queued(personal)
        weight = tracemalloc.get_traced_memory()[0]
        tracemalloc.stop()
        read = seconds(lambda: outbox.queued(personal))
        personal.dispose()
        library.close()
    size = len(held) * len(first.outgoing.data)
    print(f"{count:,} letters of {len(first.outgoing.data):,} bytes, each state on disk")
    print(f"bare smtplib loop   {count / loop:7.0f} letters a second")
    print(f"handed over         {count / handed:7.0f}   {loop / handed:.2f} times the bare loop")
    print(f"into the register   {count / entered:7.0f}   {loop / entered:.2f} times")
    print(
        f"{len(held):,} waiting: {weight / 2**20:.0f} MB, {weight / size:.2f} times their bytes; "
        f"read in {read:.2f} s"
    )


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 500)
