"""Real mail servers on loopback, where Debian's packages are installed: Postfix for sending,
Dovecot for the mailboxes and for who may send. Both run from a folder of the test's own, beside
whatever else runs on the machine, and end with the test."""

import grp
import os
import pwd
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from pathlib import Path

from nebbet.personal.settings import Account
from nebbet.standin.certificate import make_certificate

HOST = "127.0.0.1"
PROGRAMS = ("postfix", "dovecot")
_PUBLIC = ("pickup", "cleanup", "qmgr", "flush")  # parts of Postfix that others may call
FOLDERS = ("Sent", "Drafts", "Trash")
GONE = "gone.example"  # letters to it come back: nobody there takes them


def why_not() -> str:
    """Why no real servers can be started here; empty where they can."""
    missing = [name for name in PROGRAMS if not shutil.which(name, path=_path())]
    if missing:
        return f"{' and '.join(missing)} not installed: scripts/real-servers installs them"
    return "" if os.geteuid() == 0 else "Postfix and Dovecot start as root alone"


def _path() -> str:
    return f"{os.environ.get('PATH', '')}:/usr/sbin"


def _free_port() -> int:
    with socket.socket() as held:
        held.bind((HOST, 0))
        return int(held.getsockname()[1])


class RealServers:
    """Postfix and Dovecot for some mailboxes. Each has AUTH by what mechanisms names; limit is how
    many letters Postfix takes of one in a minute (0 is any number)."""

    def __init__(
        self,
        folder: Path,
        passwords: Mapping[str, str],
        mechanisms: str = "plain login cram-md5 scram-sha-256",
        limit: int = 0,
    ) -> None:
        self.folder, self._passwords = folder, dict(passwords)
        self._mechanisms, self._limit = mechanisms, limit
        self.ports = {name: _free_port() for name in ("smtp", "smtps", "imap", "imaps")}
        self._dovecot: subprocess.Popen[bytes] | None = None

    def account(self, user: str, *, at_once: bool = False) -> Account:
        """How a user reaches the servers, as in any profile."""
        smtp, imap = ("smtps", "imaps") if at_once else ("smtp", "imap")
        how = "at once" if at_once else "starttls"
        return Account(
            user, HOST, self.ports[smtp], HOST, self.ports[imap], smtp_tls=how, imap_tls=how,
            certificate=str(self._certificate),
        )  # fmt: skip

    def maildir(self, user: str) -> Path:
        """Where the messages of a user are."""
        return self.folder / "mail" / user

    def start(self) -> None:
        """Start both, and wait until they answer."""
        for name in ("mail", "dovecot", "postfix", "queue", "data"):
            (self.folder / name).mkdir(parents=True)
        mail = pwd.getpwnam("mail")
        os.chown(self.folder / "mail", mail.pw_uid, mail.pw_gid)
        os.chown(self.folder / "data", pwd.getpwnam("postfix").pw_uid, grp.getgrnam("mail").gr_gid)
        for place in [self.folder, *self.folder.parents][:6]:  # the servers are other users
            if place.owner() == "root" and place != Path("/"):
                place.chmod(place.stat().st_mode | 0o055)
        self._certificate, self._key = make_certificate(self.folder, HOST, now=datetime.now(UTC))
        self._write_dovecot()
        self._write_postfix()
        dovecot = str(shutil.which("dovecot", path=_path()))
        self._dovecot = subprocess.Popen([dovecot, "-F", "-c", str(self.folder / "dovecot.conf")])
        self._postfix("start")
        for port in self.ports.values():
            _until(lambda port=port: _answers(port), "the real servers did not start")

    def stop(self) -> None:
        """End both."""
        if self._dovecot is not None:
            self._postfix("stop")
            self._dovecot.send_signal(signal.SIGTERM)
            self._dovecot.wait(20)
            time.sleep(0.2)

    def _postfix(self, act: str) -> None:
        done = subprocess.run(
            [str(shutil.which("postfix", path=_path())), "-c", str(self.folder / "postfix"), act],
            capture_output=True, check=False, timeout=60,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr.decode() + self.log()

    def log(self) -> str:
        """What Postfix and Dovecot wrote down."""
        found = [self.folder / "postfix.log", self.folder / "dovecot.log"]
        return "\n".join(path.read_text("utf-8", "replace") for path in found if path.exists())

    def _write_dovecot(self) -> None:
        mail = pwd.getpwnam("mail")
        users = [
            f"{u}:{{PLAIN}}{p}:{mail.pw_uid}:{mail.pw_gid}::" for u, p in self._passwords.items()
        ]
        (self.folder / "users").write_text("\n".join(users) + "\n", "utf-8")
        special = "\n".join(
            f"  mailbox {name} {{\n    auto = subscribe\n    special_use = \\{name}\n  }}"
            for name in FOLDERS
        )
        (self.folder / "dovecot.conf").write_text(
            f"""
base_dir = {self.folder}/dovecot
state_dir = {self.folder}/dovecot
log_path = {self.folder}/dovecot.log
protocols = imap
listen = {HOST}
ssl = required
ssl_cert = <{self._certificate}
ssl_key = <{self._key}
auth_failure_delay = 0
auth_mechanisms = {self._mechanisms}
first_valid_uid = 1
mail_location = maildir:{self.folder}/mail/%u
mailbox_idle_check_interval = 1s
passdb {{
  driver = passwd-file
  args = {self.folder}/users
}}
userdb {{
  driver = passwd-file
  args = {self.folder}/users
}}
namespace inbox {{
  inbox = yes
{special}
}}
service imap-login {{
  inet_listener imap {{
    port = {self.ports["imap"]}
  }}
  inet_listener imaps {{
    port = {self.ports["imaps"]}
    ssl = yes
  }}
}}
service auth {{
  unix_listener postfix {{
    mode = 0666
  }}
}}
""",
            "utf-8",
        )

    def _write_postfix(self) -> None:
        mail = pwd.getpwnam("mail")
        domain = next(iter(self._passwords)).partition("@")[2]
        domains = {user.partition("@")[2] for user in self._passwords}
        boxes = "".join(f"{user} {user}/\n" for user in self._passwords)
        (self.folder / "postfix" / "boxes").write_text(boxes, "utf-8")
        # Whoever is called l… and a number is the last of the mailboxes.
        everybody = f"/^l[0-9x]+@/ {[*self._passwords][-1]}\n"
        (self.folder / "postfix" / "others").write_text(everybody, "utf-8")
        (self.folder / "postfix" / "ways").write_text(f"{GONE} gone:\n", "utf-8")
        unknown = self.folder / "postfix" / "unknown"
        unknown.write_text("#!/bin/sh\nexit 67\n", "utf-8")  # EX_NOUSER of sysexits.h
        unknown.chmod(0o755)
        (self.folder / "postfix" / "main.cf").write_text(
            f"""
compatibility_level = 3.6
myhostname = {domain}
mydestination =
inet_interfaces = {HOST}
inet_protocols = ipv4
queue_directory = {self.folder}/queue
data_directory = {self.folder}/data
maillog_file = {self.folder}/postfix.log
maillog_file_prefixes = {self.folder}
mynetworks =
virtual_mailbox_domains = {" ".join(sorted(domains))}
virtual_mailbox_base = {self.folder}/mail
virtual_mailbox_maps = texthash:{self.folder}/postfix/boxes
virtual_alias_maps = regexp:{self.folder}/postfix/others
virtual_uid_maps = static:{mail.pw_uid}
virtual_gid_maps = static:{mail.pw_gid}
virtual_minimum_uid = 1
transport_maps = texthash:{self.folder}/postfix/ways
relay_domains =
alias_maps =
alias_database =
smtpd_relay_restrictions = permit_sasl_authenticated, reject
smtpd_recipient_restrictions = permit_sasl_authenticated, reject
smtpd_sasl_auth_enable = yes
smtpd_sasl_type = dovecot
smtpd_sasl_path = {self.folder}/dovecot/postfix
smtpd_tls_auth_only = yes
smtpd_tls_security_level = encrypt
smtpd_tls_cert_file = {self._certificate}
smtpd_tls_key_file = {self._key}
smtpd_reject_unlisted_recipient = yes
smtpd_client_message_rate_limit = {self._limit}
smtpd_client_event_limit_exceptions =
smtpd_error_sleep_time = 0
message_size_limit = 1048576
virtual_mailbox_limit = 0
""",
            "utf-8",
        )
        inside = "".join(
            f"{name} unix {'n' if name in _PUBLIC else '-'} {'n' if name == 'virtual' else '-'} n "
            f"{wakes} {most} {program}\n"
            for name, wakes, most, program in (
                ("pickup", "60", "1", "pickup"), ("cleanup", "-", "0", "cleanup"),
                ("qmgr", "300", "1", "qmgr"), ("tlsmgr", "1000?", "1", "tlsmgr"),
                ("rewrite", "-", "-", "trivial-rewrite"), ("bounce", "-", "0", "bounce"),
                ("defer", "-", "0", "bounce"), ("trace", "-", "0", "bounce"),
                ("verify", "-", "1", "verify"), ("flush", "1000?", "0", "flush"),
                ("proxymap", "-", "-", "proxymap"), ("error", "-", "-", "error"),
                ("retry", "-", "-", "error"), ("virtual", "-", "-", "virtual"),
                ("anvil", "-", "1", "anvil"),
            )
        )  # fmt: skip
        (self.folder / "postfix" / "master.cf").write_text(
            f"{HOST}:{self.ports['smtp']} inet n - n - - smtpd\n"
            f"{HOST}:{self.ports['smtps']} inet n - n - - smtpd\n"
            "  -o smtpd_tls_wrappermode=yes\n"
            f"{inside}"
            f"gone unix - n n - - pipe user=nobody argv={unknown}\n"
            "postlog unix-dgram n - n - 1 postlogd\n",
            "utf-8",
        )


def _answers(port: int) -> bool:
    try:
        socket.create_connection((HOST, port), 1).close()
    except OSError:
        return False
    return True


def _until(true: Callable[[], bool], otherwise: str, seconds: float = 20) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, otherwise
        time.sleep(0.05)
