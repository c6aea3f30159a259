"""What can be read of the files of letters, read once each."""

from collections.abc import Callable, Iterable, Mapping

from PySide6.QtCore import QBuffer, QByteArray, QIODevice

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Attachment
from nebbet.core.message.file_text import text_of_file

_PAGES = 300  # of a PDF that are looked through
_LARGEST = 20 * 2**20  # bytes of a file


class FileTexts:
    """Only for work in the background. file_bytes gives the content of a file by its SHA-256."""

    def __init__(self, file_bytes: Callable[[str], bytes]) -> None:
        self._bytes = file_bytes
        self._known: dict[str, str] = {}

    def of(self, files: Iterable[Attachment]) -> Mapping[str, str]:
        """The texts of some files, by SHA-256; empty for what cannot be read."""
        found = {}
        for one in files:
            if one.file not in self._known:
                self._known[one.file] = self._read(one)
            found[one.file] = self._known[one.file]
        return found

    def _read(self, one: Attachment) -> str:
        if one.size > _LARGEST:
            return ""
        try:
            data = self._bytes(one.file)
        except NebbetError:
            return ""  # another check says that it is missing
        name = "".join(part for part in one.name if isinstance(part, str))
        if data[:5] == b"%PDF-":
            return pdf_text(data)
        return text_of_file(data, name)


def pdf_text(data: bytes) -> str:
    """The words of a PDF; empty where it is locked, broken or a picture."""
    from PySide6.QtPdf import QPdfDocument

    held = QByteArray(data)
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    document = QPdfDocument()
    document.load(buffer)
    pages = range(min(document.pageCount(), _PAGES))
    text = "\n".join(document.getAllText(page).text() for page in pages)
    document.close()
    return text.replace("\r\n", "\n")
