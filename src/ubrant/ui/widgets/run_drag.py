"""A run taken by the mouse from where it is listed, and dropped where it is to be compared."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QMimeData, QObject, QPoint, Qt
from PyQt6.QtGui import QDrag, QDragEnterEvent, QDropEvent, QMouseEvent
from PyQt6.QtWidgets import QAbstractButton, QApplication, QWidget

FORMAT = "application/x-ubrant-run"


def dragged_run(run_id: int) -> QMimeData:
    data = QMimeData()
    data.setData(FORMAT, str(run_id).encode())
    return data


class DragsRun(QObject):
    """Lets a widget be dragged as the run that it stands for; None for none."""

    def __init__(self, widget: QWidget, run_id: Callable[[], int | None]) -> None:
        super().__init__(widget)
        self._widget, self._run_id = widget, run_id
        self._from: QPoint | None = None
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QMouseEvent):
            if event.type() == QEvent.Type.MouseButtonPress and event.button() == Qt.MouseButton.LeftButton:
                self._from = event.position().toPoint()
            elif event.type() == QEvent.Type.MouseMove and self._from is not None:
                far = (event.position().toPoint() - self._from).manhattanLength()
                run_id = self._run_id()
                if far >= QApplication.startDragDistance() and run_id is not None:
                    self._from = None
                    self._drag(run_id)
                    return True
            elif event.type() == QEvent.Type.MouseButtonRelease:
                self._from = None
        return False

    def _drag(self, run_id: int) -> None:
        if isinstance(self._widget, QAbstractButton):
            self._widget.setDown(False)  # it was not pressed after all
        drag = QDrag(self._widget)
        drag.setMimeData(dragged_run(run_id))
        drag.setPixmap(self._widget.grab())
        drag.exec(Qt.DropAction.CopyAction)


class TakesRun(QObject):
    """Lets a run be dropped on a widget."""

    def __init__(self, widget: QWidget, dropped: Callable[[int], None]) -> None:
        super().__init__(widget)
        self._dropped = dropped
        widget.setAcceptDrops(True)
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QDragEnterEvent | QDropEvent):
            return False
        data = event.mimeData()
        if data is None or not data.hasFormat(FORMAT):
            return False
        event.acceptProposedAction()
        if event.type() == QEvent.Type.Drop:
            self._dropped(int(bytes(data.data(FORMAT).data()).decode()))
        return True
