"""Pictures of the library for the screen: fetched in the background, kept in memory."""

from base64 import b64encode
from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QObject, Signal
from PySide6.QtGui import QImage, QImageReader

from nebbet.desktop.kit.operations import Operations

# Qt refuses to unpack larger pictures: a small file can hold a picture that fills the memory.
QImageReader.setAllocationLimit(64)


# What mail programs show, by its first bytes. Qt would read others, too, among them drawings that
# name files of this computer.
_KINDS = {b"\x89PNG": "PNG", b"\xff\xd8\xff": "JPEG", b"GIF8": "GIF", b"RIFF": "WEBP"}


def image_of(data: bytes) -> QImage:
    """A picture of somebody's bytes, or a null one where they are none that is shown."""
    kind = next((kind for start, kind in _KINDS.items() if data.startswith(start)), "")
    if not kind:
        return QImage()
    # It takes text, whatever its stubs say.
    return QImage.fromData(data, kind)  # type: ignore[arg-type]


def png_of(image: QImage) -> bytes:
    """A picture as a PNG file."""
    held = QByteArray()
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(held.data())


def _address_of(data: bytes, image: QImage) -> str:
    """A picture as an address that holds it, as it is."""
    if image.isNull():
        return ""
    kind = next(kind for start, kind in _KINDS.items() if data.startswith(start)).lower()
    return f"data:image/{kind};base64,{b64encode(data).decode()}"


class _Picture(NamedTuple):
    image: QImage
    address: str


class Pictures(QObject):
    """Gives pictures by SHA-256; loaded says that one has come."""

    loaded = Signal(str)

    def __init__(self, read: Callable[[str], bytes], operations: Operations) -> None:
        super().__init__()
        self._read, self._operations = read, operations
        self._kept: dict[str, _Picture | None] = {}

    def get(self, file: str) -> QImage | None:
        """The picture, or None while it is on its way or when it cannot be had."""
        held = self._held(file)
        return held.image if held else None

    def address(self, file: str) -> str:
        """The picture as an address that holds it, or nothing while it is on its way."""
        held = self._held(file)
        return held.address if held else ""

    def _held(self, file: str) -> _Picture | None:
        if file not in self._kept:
            self._kept[file] = None
            self._operations.run(
                lambda: self._load(file),
                lambda picture: self._came(file, picture),
                lambda _error: None,  # the checks of the letter say that the file is missing
            )
        return self._kept[file]

    def _load(self, file: str) -> _Picture:
        data = self._read(file)
        image = image_of(data)
        return _Picture(image, _address_of(data, image))

    def _came(self, file: str, picture: _Picture) -> None:
        if not picture.image.isNull():
            self._kept[file] = picture
            self.loaded.emit(file)
