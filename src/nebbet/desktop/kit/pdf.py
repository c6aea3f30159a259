"""HTML as a PDF, as its reader would see it."""

from base64 import b64decode

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF
from PySide6.QtGui import QImage, QPageLayout, QPageSize, QPdfWriter

from nebbet.desktop.kit.closed_document import ClosedDocument

_MARGIN = 15  # millimetres


def pdf_of(html: str, title: str) -> bytes:
    """Set HTML on A4; its pictures are those that stand in it. The fonts of the desktop are used,
    so that any script can be read, and are embedded."""
    data = QByteArray()
    out = QBuffer(data)
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(out)
    writer.setTitle(title)
    margins = QMarginsF(_MARGIN, _MARGIN, _MARGIN, _MARGIN)
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, margins,
                    QPageLayout.Unit.Millimeter)
    )  # fmt: skip
    document = ClosedDocument(_picture, out)
    document.setHtml(html)
    document.print_(writer)
    out.close()
    return bytes(data.data())


def _picture(address: str) -> QImage | None:
    """A picture that stands in the text itself; there are no others."""
    kind, _, data = address.partition(";base64,")
    made = QImage()
    if kind.startswith("data:image/") and made.loadFromData(b64decode(data)):
        return made
    return None
