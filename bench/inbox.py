"""A mailbox of many messages: looked into and kept, against a bare client that fetches the same
headers from the same server.

    .venv/bin/python bench/inbox.py [messages]
"""

import mailbox
import sys
import tempfile
import time
from collections.abc import Callable
from email.message import EmailMessage
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))

from nebbet.personal import arrived
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.tables import open_personal
from nebbet.post.arrived import _AT_ONCE, _HEADERS, MOST
from nebbet.post.imap import mailbox as connected
from nebbet.post.inbox import Inbox, look_into
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService

ME, PASSWORD = "ann@harbour.example", "secret"


def lay(folder: Path, count: int) -> None:
    """Lay messages into a mailbox."""
    folder.mkdir(parents=True, exist_ok=True)
    box = mailbox.Maildir(folder / ME, create=True)
    for number in range(count):
        made = EmailMessage()
        made["From"] = f"Person {number} <p{number}@post.example>"
        made["Subject"] = f"About booking LS-{number:06}"
        made["Message-ID"] = f"<{number}@post.example>"
        made.set_content("Hello, where is my refund?\n")
        box.add(mailbox.MaildirMessage(made))


def seconds(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def main(count: int) -> None:
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        lay(folder / "mail", count)
        service = MailService(folder / "mail", {ME: PASSWORD, CATCH_ALL: PASSWORD})
        service.start()
        account = service.account(ME)
        personal = open_personal(folder / "personal.sqlite")
        inbox = Inbox(personal, account, SessionSecrets({ME: PASSWORD}))
        with connected(account, PASSWORD) as client:
            client.select_folder("INBOX", readonly=True)

            def bare() -> None:
                uids = sorted(client.search("ALL"))[-MOST:]
                for start in range(0, len(uids), _AT_ONCE):
                    some = uids[start : start + _AT_ONCE]
                    client.fetch(some, [b"FLAGS", b"INTERNALDATE", b"RFC822.SIZE", _HEADERS])

            bare()  # the server has read its files
            whole = seconds(bare)
            first = seconds(lambda: look_into(inbox, client))
            again = seconds(lambda: look_into(inbox, client))
        read = seconds(lambda: arrived.heads(personal))
        service.stop()
    print(f"{count:,} messages; the newest {min(count, MOST):,} are known by their headers")
    print(f"first look, kept        {first:6.2f} s   {first / whole:.2f} times a bare fetch")
    print(f"a look with no news     {again:6.2f} s   {again / whole:.2f} times a bare fetch")
    print(f"the list from the file  {read:6.2f} s   {read / whole:.2f} times a bare fetch")


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 400)
