"""Files encoded once for many messages."""

import binascii
from collections import OrderedDict
from collections.abc import Callable

LINE = 76  # RFC 2045 §6.7 and §6.8: encoded lines of at most 76 characters


class EncodedFiles:
    """Reads library files by SHA-256 and keeps them encoded, so that a file sent many times is
    encoded once. Holds at most limit bytes."""

    def __init__(self, read: Callable[[str], bytes], limit: int = 64 * 2**20) -> None:
        self._read, self._limit, self._size = read, limit, 0
        self._kept: OrderedDict[str, bytes] = OrderedDict()

    def base64(self, file: str) -> bytes:
        """The file's bytes in base64, in lines of 76 characters (RFC 2045 §6.8)."""
        if file not in self._kept:
            encoded = _base64(self._read(file))
            self._kept[file] = encoded
            self._size += len(encoded)
        self._kept.move_to_end(file)
        while self._size > self._limit and len(self._kept) > 1:
            self._size -= len(self._kept.popitem(last=False)[1])
        return self._kept[file]


def _base64(data: bytes) -> bytes:
    step = LINE // 4 * 3
    return b"".join(
        binascii.b2a_base64(data[at : at + step])[:-1] + b"\r\n" for at in range(0, len(data), step)
    )
