"""Days at the bench in the window: their page, what stands next in its band, what is due on the desktop."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer

from ubrant.runs.kept.due_list import Due, checks_due, soonest_first
from ubrant.ui.common.workbench import Workbench

if TYPE_CHECKING:
    from ubrant.ui.days.keeper import DaysKeeper
    from ubrant.ui.days.stage import DaysStage
    from ubrant.ui.window.shell import MainWindow

_AFTER_MS = 2500
"""What a plan is worked out with has been loaded by then, in idle moments."""


class DaysInWindow(QObject):
    """Built when something is planned, or somebody wants to plan: a window is there sooner for it."""

    def __init__(self, window: MainWindow, bench: Workbench) -> None:
        super().__init__(bench)
        self._window, self._bench = window, bench
        self.clock: Callable[[], datetime] = lambda: datetime.now().astimezone()
        self._keeper: DaysKeeper | None = None
        self._first = QTimer(self)
        self._first.setSingleShot(True)
        self._first.timeout.connect(self._go_on)
        bench.closing.connect(self._first.stop)

    def begin(self) -> None:
        """Where a plan is kept it goes on from here, once the window is there."""
        if self._bench.logbook.bench_days():
            self._first.start(_AFTER_MS)

    def _go_on(self) -> None:
        _ = self.keeper

    @property
    def keeper(self) -> DaysKeeper:
        if self._keeper is None:
            from ubrant.ui.days.keeper import DaysKeeper

            self._keeper = DaysKeeper(self._bench, lambda: self.clock())
            self._keeper.due.connect(self._is_due)
            self._keeper.begin()
        return self._keeper

    def stage(self) -> DaysStage:
        """The page, made."""
        from ubrant.ui.days.stage import DaysStage

        made = DaysStage(self._bench, self.keeper)
        made.page_wanted.connect(self._window.files.print_page)
        return made

    def status(self) -> str:
        """What stands next; empty where nothing is planned."""
        return self._keeper.status() if self._keeper is not None else ""

    def due(self) -> list[Due]:
        """What is due of this logbook: what was asked for, visits, checks of meters."""
        from ubrant.runs.bench_days.words import visit_told

        now = self.clock()
        visits = [v for v in self.keeper.visits() if not v.done] if self._bench.logbook.bench_days() else []
        coming = [Due(datetime.fromtimestamp(v.at).astimezone(), visit_told(v), self.tr("days at the bench")) for v in visits]
        return soonest_first(self._window.reminders.pending(), coming, checks_due(self._bench.logbook.meters(), now))

    def show_due(self) -> None:
        """All of it in one list."""
        from ubrant.ui.window.due_dialog import DueDialog

        self._window.files.open_dialog(DueDialog(self.due, self._window.reminders, lambda: self.clock(), self._window))

    def _is_due(self, sentence: str) -> None:
        self._window.desktop.tell(self.tr("Your turn"), sentence)
        self._window.tell(sentence)
