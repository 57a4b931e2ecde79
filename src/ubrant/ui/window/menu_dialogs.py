"""What the menus open in a window of its own; each is imported when it is first wanted."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from ubrant.logbook.logs.formats import patterns
from ubrant.ui.common.workbench import Workbench

ENDINGS = {".jpg", ".jpeg", ".png", ".webp", ".bmp"}
"""Of pictures."""


class MenuDialogs:
    """Of one window and its logbook."""

    def __init__(self, window: QWidget, bench: Workbench) -> None:
        self._window, self._bench = window, bench

    def rank(self) -> None:
        from ubrant.ui.findings.rank_dialog import RankDialog

        RankDialog(self._bench.logbook, self._window).exec()

    def what_feeds(self) -> None:
        from ubrant.ui.shelf.feeds_dialog import FeedsDialog

        FeedsDialog(self._bench.logbook, self._window).exec()

    def choose(self) -> None:
        from ubrant.ui.compare.choose_dialog import ChooseDialog

        ChooseDialog(self._bench.logbook, self._window).exec()

    def verdicts(self) -> None:
        from ubrant.ui.shelf.verdicts_dialog import VerdictsDialog

        VerdictsDialog(self._bench.logbook, self._window).exec()

    def thrown(self) -> None:
        from ubrant.ui.shelf.thrown_dialog import ThrownDialog

        ThrownDialog(self._bench, self._window).exec()

    def wave(self) -> None:
        """A log with its taps named, or a scope's record."""
        from ubrant.ui.findings.taps_dialog import TapsDialog

        tr = self._window.tr
        kinds = tr("Records ({patterns});;All files (*)").format(patterns=patterns())
        path, _ = QFileDialog.getOpenFileName(self._window, tr("Import a log with taps, or a scope's record"), "", kinds)
        if path:
            TapsDialog(self._bench, Path(path), self._window).exec()

    def pictures(self, paths: list[Path], run_id: int | None) -> None:
        """Files that were dropped: of the run that is shown, or of the unit that is chosen."""
        from ubrant.ui.common.photos import take_pictures

        unit_id = self._bench.unit_id or None
        if run_id is None and unit_id is None:
            self._bench.said.emit(
                self._window.tr("Whose picture is it? Choose a unit on the shelf, or open a run in Findings, and drop it again.")
            )
        else:
            take_pictures(self._bench, paths, self._window, None if run_id is not None else unit_id, run_id)

    def bring_in(self) -> None:
        """What another logbook holds, into this one."""
        tr = self._window.tr
        path, _ = QFileDialog.getOpenFileName(self._window, tr("Bring in a logbook"), "", tr("Logbooks (*.ubrant)"))
        if path:
            self._bench.bring_in(Path(path))
