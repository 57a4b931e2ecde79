"""May the window close while a run is going on? Asked of the person; the run is ended first, and nothing is waited for."""

from __future__ import annotations

from PyQt6.QtWidgets import QMessageBox, QWidget

from ubrant.bench.orders import Order
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.text import message_box


class Leaving:
    """One for each logbook that is open in a window."""

    def __init__(self, window: QWidget, bench: Workbench) -> None:
        self._window, self._bench = window, bench
        self.wanted = False
        """The person wants to close: the window does once the run is over."""

    def may_close(self) -> bool:
        """Whether the run is over, or is left. It is ended once the person wants that, and the window closes when it has: nothing is waited for here."""
        session = self._bench.session
        assert session is not None
        if self.wanted:
            if session.progress.phase != "may be on" or not self._may_leave_on():
                return False
            session.end()
            return True
        if not self._may_stop():
            return False
        self.wanted = True
        session.order(Order.END)
        self._bench.told.emit(self._window.tr("The run is being ended; the window closes once the load is off."))
        return not self._bench.is_running

    def _may_leave_on(self) -> bool:
        return self._agrees(
            self._window.tr("The load may still be on"),
            self._window.tr("Nothing confirms that the load is off. Switch it off by hand before you close."),
            self._window.tr("Close all the same"),
            self._window.tr("Stay and look"),
        )

    def _may_stop(self) -> bool:
        return self._agrees(
            self._window.tr("A run is going on"),
            self._window.tr("A run is going on. If you close now the load goes off; what was read is kept."),
            self._window.tr("Stop and close"),
            self._window.tr("Let it run"),
        )

    def _agrees(self, title: str, text: str, yes: str, no: str) -> bool:
        box = message_box(self._window, title, text)
        agreed = box.addButton(yes, QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(no, QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is agreed
