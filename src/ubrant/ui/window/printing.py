"""A report on paper: looked at first, page by page, as it will be printed."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QObject, QRect, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from PyQt6.QtWidgets import QWidget

_DOTS_AN_INCH = 200


class PrintedPages(QObject):
    """A PDF's pages, drawn for a printer one after the other."""

    def __init__(self, pdf: bytes, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._data = QByteArray(pdf)
        self._file = QBuffer(self._data)
        self._file.open(QIODevice.OpenModeFlag.ReadOnly)
        self.document = QPdfDocument(None)
        self.document.load(self._file)

    def __len__(self) -> int:
        return self.document.pageCount()

    def print_on(self, printer: QPrinter) -> None:
        """Every page on a sheet of its own, as large as it fits."""
        painter = QPainter(printer)
        for number in range(len(self)):
            if number:
                printer.newPage()
            points, room = self.document.pagePointSize(number), painter.viewport()
            scale = min(room.width() / points.width(), room.height() / points.height())
            wide, high = points.width() * scale, points.height() * scale
            dots = min(1.0, _DOTS_AN_INCH / max(printer.resolution(), 1))
            image = self.document.render(number, QSize(int(wide * dots), int(high * dots)))
            painter.drawImage(QRect(room.left(), room.top(), int(wide), int(high)), image)
        painter.end()


def preview(pdf: bytes, title: str, parent: QWidget | None, open_dialog: Callable[[QPrintPreviewDialog], object]) -> None:
    """Show the pages as they will be printed; the printer is chosen there."""
    dialog = QPrintPreviewDialog(parent)
    if (printer := dialog.printer()) is not None:
        printer.setFullPage(True)  # the report has its own margins
        printer.setDocName(title)
    dialog.setWindowTitle(title)
    dialog.resize(900, 680)
    dialog.paintRequested.connect(PrintedPages(pdf, dialog).print_on)
    open_dialog(dialog)
