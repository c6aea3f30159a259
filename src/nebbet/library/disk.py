"""Reading and writing files: what went wrong in plain words, and how large a file may be."""

import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from nebbet.core.errors import NebbetError

LARGEST_FILE = 20 * 2**20


@contextmanager
def disk_explained(what: str, kept: str = "Nothing was changed") -> Iterator[None]:
    """Turn an error of the disk into one clear sentence that begins with what could not be done."""
    try:
        yield
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise NebbetError(
            f"{what}: {reason}", kept=kept, advice="Check the folder and try again"
        ) from error


def refuse_large(name: str, size: int) -> None:
    """Raise NebbetError when a file of that many bytes is too large for the library."""
    if size > LARGEST_FILE:
        raise NebbetError(
            f"{name} has {size / 2**20:.0f} MB; a file may have at most {LARGEST_FILE // 2**20} MB",
            kept="It was not added",
            advice="Make it smaller, or put a link to it in the text",
        )


def read_file(path: Path, what: str, kept: str = "", largest: int = LARGEST_FILE) -> bytes:
    """The content of a file of at most so many bytes; what says what cannot be read.

    Raises NebbetError for what is no regular file (a pipe or a device may never end), and for one
    that is too large, before it is read.
    """
    with disk_explained(f"{what} cannot be read", kept):
        try:
            # Without waiting for whoever may write into a pipe one day.
            opened = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        except ValueError as error:  # a name with a NUL byte
            raise OSError(str(error)) from None
        with os.fdopen(opened, "rb") as file:
            found = os.fstat(opened)
            if not stat.S_ISREG(found.st_mode):
                raise _unread(what, "it is no ordinary file", kept)
            data = file.read(largest + 1) if found.st_size <= largest else b""
        if found.st_size > largest or len(data) > largest:
            raise _unread(what, f"it is larger than {largest // 2**20 or 1} MB", kept)
    return data


def _unread(what: str, why: str, kept: str) -> NebbetError:
    return NebbetError(f"{what} cannot be read: {why}", kept=kept, advice="Choose another file")


def write_file(
    path: Path, data: bytes, *, overwrite: bool = False, kept: str = "Nothing was written"
) -> None:
    """Write a file wholly or not at all. Raises NebbetError where there is one already and nobody
    said that it may be overwritten."""
    with disk_explained(f"{path.name} cannot be written", kept):
        if overwrite and path.exists() and not path.is_file():
            path.write_bytes(data)  # a device such as /dev/stdout is written to, not replaced
            return
        part = path.with_name(f"{path.name[:200]}.{os.getpid()}.part")
        try:
            part.write_bytes(data)
            put_in_place(part, path, overwrite=overwrite)
        finally:
            with suppress(OSError):
                part.unlink(missing_ok=True)


def put_in_place(part: Path, path: Path, *, overwrite: bool) -> None:
    """Give a file that is written its name, as `write_file`."""
    if overwrite:
        part.replace(path)
        return
    try:
        os.link(part, path)  # unlike a look beforehand, this leaves nobody a moment to be first
    except FileExistsError:
        raise NebbetError(
            f"There is a file {path.name} already",
            kept="It was not touched",
            advice="Choose another name, or say that it may be overwritten",
        ) from None
    except OSError:  # a file system without links
        if path.exists():
            raise
        part.replace(path)


def close_to_others(path: Path) -> None:
    """Let only its owner read or write a file or folder, if that is whoever asks."""
    found = path.stat()
    if found.st_uid == os.getuid() and found.st_mode & 0o077:
        path.chmod(0o700 if path.is_dir() else 0o600)


# File systems whose files lie on another machine (mount(8), fuse).
_NETWORKS = {"nfs", "nfs4", "cifs", "smb3", "smbfs", "9p", "afs", "ceph", "glusterfs", "lustre",
             "davfs", "ncpfs", "coda", "beegfs", "gpfs", "fuse.sshfs", "fuse.glusterfs",
             "fuse.davfs2", "fuse.rclone", "fuse.s3fs", "fuse.gvfsd-fuse"}  # fmt: skip
_MOUNTS = Path("/proc/self/mountinfo")


def on_network(path: Path, mounts: str | None = None) -> bool:
    """Whether a file lies, or would lie, on another machine. mounts is the text of mountinfo as
    proc(5) has it; that of this system by default."""
    if mounts is None:
        try:
            mounts = _MOUNTS.read_text("utf-8", "replace")
        except OSError:
            return False
    whole = path.resolve()
    best, kind = -1, ""
    for line in mounts.splitlines():
        before, _, after = line.partition(" - ")
        fields, said = before.split(), after.split()
        if len(fields) < 5 or not said:
            continue
        point = Path(fields[4].encode().decode("unicode_escape"))
        depth = len(point.parts)
        if depth > best and whole.is_relative_to(point):
            best, kind = depth, said[0]
    return kind in _NETWORKS
