"""A mailbox of many messages: looked into and kept, against a bare client that fetches the same
headers from the same server: Dovecot where it is installed, else the stand-in.

    .venv/bin/python bench/inbox.py [messages]
"""

import os
import pwd
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from nebbet.personal import arrived
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import Account
from nebbet.personal.tables import open_personal
from nebbet.post.acting import find
from nebbet.post.arrived import _AT_ONCE, _HEADERS, MOST, count_changes
from nebbet.post.imap import mailbox as connected
from nebbet.post.inbox import Inbox, look_into
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from tests.post.real import RealServers, why_not

ME, PASSWORD = "ann@harbour.example", "secret"


def lay(box: Path, count: int, owner: int) -> None:
    """Lay messages into a Maildir, as a server does."""
    for name in ("new", "cur", "tmp"):
        (box / name).mkdir(parents=True, exist_ok=True)
    for number in range(count):
        (box / "cur" / f"{1_700_000_000 + number}.M{number}.bench:2,").write_bytes(
            f"From: Person {number} <p{number}@post.example>\r\nSubject: About booking "
            f"LS-{number:06}\r\nMessage-ID: <{number}@post.example>\r\n\r\n"
            f"Hello, where is my refund {number:06}x?\r\n".encode()
        )
    if os.geteuid() == 0:
        for place in (box, *box.rglob("*")):
            os.chown(place, owner, -1)


@contextmanager
def dovecot(folder: Path, count: int) -> Iterator[Account]:
    servers = RealServers(folder / "real", {ME: PASSWORD})
    mail = servers.folder / "mail" / ME
    servers.start()
    lay(mail, count, pwd.getpwnam("mail").pw_uid)
    try:
        yield servers.account(ME)
    finally:
        servers.stop()


@contextmanager
def stand_in(folder: Path, count: int) -> Iterator[Account]:
    lay(folder / "mail" / ME, count, os.getuid())
    service = MailService(folder / "mail", {ME: PASSWORD, CATCH_ALL: PASSWORD})
    service.start()
    try:
        yield service.account(ME)
    finally:
        service.stop()


def seconds(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def main(count: int) -> None:
    missing = why_not()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        server: AbstractContextManager[Account] = (stand_in if missing else dovecot)(folder, count)
        with server as account:
            measure(account, folder, count, "the stand-in" if missing else "Dovecot")


def measure(account: Account, folder: Path, count: int, server: str) -> None:
    personal = open_personal(folder / "personal.sqlite")
    inbox = Inbox(personal, account, SessionSecrets({ME: PASSWORD}))
    with connected(account, PASSWORD) as client:
        client.select_folder("INBOX", readonly=True)

        def bare(most: int) -> None:
            uids = sorted(client.search("ALL"))[-most:]
            for start in range(0, len(uids), _AT_ONCE):
                some = uids[start : start + _AT_ONCE]
                client.fetch(some, [b"FLAGS", b"INTERNALDATE", b"RFC822.SIZE", _HEADERS])

        bare(MOST)  # the server has read its files
        newest = seconds(lambda: bare(MOST))
        whole = seconds(lambda: bare(count))
    with connected(account, PASSWORD) as client:
        count_changes(client)
        first = seconds(lambda: look_into(inbox, client))
        again = seconds(lambda: look_into(inbox, client))
        uid = max(client.search("ALL"))
        client.select_folder("INBOX")
        client.add_flags([uid], [b"\\Flagged"])
        changed = seconds(lambda: look_into(inbox, client))
    found = seconds(lambda: find(inbox, ["refund", f"{count // 2:06}x"]))
    read = seconds(lambda: arrived.heads(personal))
    print(f"{count:,} messages on {server}; the newest {min(count, MOST):,} are read by headers")
    print(f"a bare fetch of these      {newest:6.2f} s; of all of them {whole:.2f} s")
    for words, took in (
        ("first look, kept", first), ("a look with no news", again), ("one marked", changed),
        ("an old one found by text", found), ("the list from the file", read),
    ):  # fmt: skip
        print(f"{words:26} {took:6.3f} s   {took / newest:.2f} times that")


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 400)
