"""Where files lie: a journal that is safe on another machine, and no other where it is not."""

from pathlib import Path

import pytest
from sqlalchemy import text

from nebbet.library.disk import on_network
from nebbet.library.engine import sqlite_engine

MOUNTS = """\
22 1 8:1 / / rw,relatime shared:1 - ext4 /dev/sda1 rw
40 22 0:40 / /home/team rw,relatime - nfs4 server:/team rw,vers=4.2
41 22 0:41 / /mnt/my\\040share rw - cifs //server/share rw
42 40 8:2 / /home/team/local rw - ext4 /dev/sdb1 rw
43 22 0:43 / /mnt/far rw - fuse.sshfs me@host:/ rw
broken line
"""


@pytest.mark.parametrize(
    ("path", "far"),
    [
        ("/home/ana/library.sqlite", False), ("/home/team/library.sqlite", True),
        ("/home/team/local/library.sqlite", False), ("/mnt/my share/a/b.sqlite", True),
        ("/mnt/far/x", True), ("/home/teammate/x", False),
    ],
)  # fmt: skip
def test_the_mount_that_is_nearest_says_where_a_file_lies(path: str, far: bool) -> None:
    """proc(5), /proc/pid/mountinfo."""
    assert on_network(Path(path), MOUNTS) is far


def test_the_journal_is_one_that_is_safe_there(tmp_path: Path) -> None:
    """SQLite's documentation, "Write-Ahead Logging": all must be on the same host computer."""
    for network, journal in ((False, "wal"), (True, "delete"), (False, "wal")):
        engine = sqlite_engine(tmp_path / "x.sqlite", network=network)
        with engine.connect() as connection:
            assert connection.scalar(text("PRAGMA journal_mode")) == journal
            assert connection.scalar(text("PRAGMA foreign_keys")) == 1
        engine.dispose()
    assert not on_network(tmp_path)
