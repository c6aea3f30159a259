"""HTML on paper, as its reader would see it: as a PDF, or on a printer."""

from base64 import b64decode
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QSizeF, Qt
from PySide6.QtGui import QImage, QPagedPaintDevice, QPageLayout, QPageSize, QPdfWriter
from PySide6.QtWidgets import QWidget

from nebbet.desktop.kit.closed_document import ClosedDocument

if TYPE_CHECKING:
    from PySide6.QtPrintSupport import QPrinter

_MARGIN = 15  # millimetres
_PIXELS, _POINTS = 96, 72  # in an inch (CSS Values and Units 3, §5.2)
_INCH = 0.0254  # metres


def pdf_of(html: str, title: str) -> bytes:
    """Set HTML on A4."""
    data = QByteArray()
    out = QBuffer(data)
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(out)
    writer.setTitle(title)
    writer.setPageLayout(on_a4())
    print_on(writer, html)
    out.close()
    return bytes(data.data())


def on_a4() -> QPageLayout:
    """A4 upright, with a margin that every printer can do."""
    margins = QMarginsF(_MARGIN, _MARGIN, _MARGIN, _MARGIN)
    upright, unit = QPageLayout.Orientation.Portrait, QPageLayout.Unit.Millimeter
    return QPageLayout(QPageSize(QPageSize.PageSizeId.A4), upright, margins, unit)


def ask_printer(over: QWidget, then: "Callable[[QPrinter], object]") -> None:
    """Choose a printer, set to A4; the desktop's own box also prints into a file."""
    from PySide6.QtPrintSupport import QPrintDialog, QPrinter

    printer = QPrinter()
    printer.setPageLayout(on_a4())
    box = QPrintDialog(printer, over.window())
    box.setOption(QPrintDialog.PrintDialogOption.PrintPageRange, on=False)
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    box.accepted.connect(lambda: then(printer))
    box.setModal(True)
    box.show()


def print_on(device: QPagedPaintDevice, html: str) -> None:
    """Set HTML on the pages of a device, a pixel of it as CSS has it; its pictures are those that
    stand in it. The fonts of the desktop are used, so that any script can be read."""
    screen = QImage(1, 1, QImage.Format.Format_ARGB32)
    screen.setDotsPerMeterX(round(_PIXELS / _INCH))
    screen.setDotsPerMeterY(round(_PIXELS / _INCH))
    document = ClosedDocument(_picture, None)
    document.documentLayout().setPaintDevice(screen)
    document.setDocumentMargin(0)
    document.setHtml(html)
    area = device.pageLayout().paintRect(QPageLayout.Unit.Point)
    # Without a size of its own Qt sets a text as source: with its own margin and numbers.
    document.setPageSize(QSizeF(area.width(), area.height()) * (_PIXELS / _POINTS))
    document.print_(device)


def _picture(address: str) -> QImage | None:
    """A picture that stands in the text itself; there are no others."""
    kind, _, data = address.partition(";base64,")
    made = QImage()
    if kind.startswith("data:image/") and made.loadFromData(b64decode(data)):
        return made
    return None
