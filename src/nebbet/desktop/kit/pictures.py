"""Pictures of the library for the screen: fetched in the background, kept in memory."""

from base64 import b64encode
from collections.abc import Callable

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


def image_address(image: QImage) -> str:
    """A picture as an address that holds it."""
    return f"data:image/png;base64,{b64encode(png_of(image)).decode()}"


class Pictures(QObject):
    """Gives pictures by SHA-256; loaded says that one has come."""

    loaded = Signal(str)

    def __init__(self, read: Callable[[str], bytes], operations: Operations) -> None:
        super().__init__()
        self._read, self._operations = read, operations
        self._kept: dict[str, QImage | None] = {}

    def get(self, file: str) -> QImage | None:
        """The picture, or None while it is on its way or when it cannot be had."""
        if file not in self._kept:
            self._kept[file] = None
            self._operations.run(
                lambda: image_of(self._read(file)),
                lambda image: self._came(file, image),
                lambda _error: None,  # the checks of the letter say that the file is missing
            )
        return self._kept[file]

    def _came(self, file: str, image: QImage) -> None:
        if not image.isNull():
            self._kept[file] = image
            self.loaded.emit(file)
