"""The stand-in mail service in a process of its own, as a real mail server would be.

The listening sockets are made by the parent, so that the ports are known at once; connections wait
in their queues until the service is up. The service ends when its standard input is closed, also
when the parent is killed.
"""

import json
import socket
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path

from nebbet.personal.settings import Account
from nebbet.standin.ports import HOST, account_at, certificate_path, listening


class ServiceProcess:
    """Starts and stops the service; the same face as service.MailService, without the faults."""

    def __init__(self, folder: Path, passwords: Mapping[str, str]) -> None:
        self._folder, self._passwords = folder, dict(passwords)
        self._sockets = (listening(), listening())
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start the service; it goes on starting while the caller goes on."""
        folder = self._folder
        if not certificate_path(folder).exists():
            from datetime import UTC, datetime

            from nebbet.standin.certificate import make_certificate

            make_certificate(folder, HOST, now=datetime.now(UTC))
        descriptors = [one.fileno() for one in self._sockets]
        self._process = subprocess.Popen(
            [sys.executable, "-m", "nebbet.standin.process"],
            stdin=subprocess.PIPE,
            pass_fds=descriptors,
        )
        task = {"folder": str(folder), "passwords": self._passwords, "sockets": descriptors}
        assert self._process.stdin is not None
        self._process.stdin.write(json.dumps(task).encode() + b"\n")
        self._process.stdin.flush()

    def account(self, user: str) -> Account:
        """How a user reaches the service, exactly as for a real server."""
        return account_at(self._sockets, certificate_path(self._folder), user)

    def stop(self) -> None:
        """End the service."""
        if self._process and self._process.stdin:
            self._process.stdin.close()
            self._process.wait(10)
        for one in self._sockets:
            one.close()


def main() -> None:
    """The service's own process: the task comes on standard input, whose end is its end."""
    from nebbet.standin.service import MailService

    task = json.loads(sys.stdin.readline())
    smtp, imap = (socket.socket(fileno=number) for number in task["sockets"])
    service = MailService(Path(task["folder"]), task["passwords"], sockets=(smtp, imap))
    service.start()
    sys.stdin.read()
    service.stop()


if __name__ == "__main__":
    main()
