"""The demo logbook while it is being made: its shelf is there at once, its runs come in as the simulated bench makes them."""

from __future__ import annotations

import shutil
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, QProcess, QTimer

from ubrant.demo.dome import being_made
from ubrant.logbook.file import LogbookError
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.ui.common.workbench import Workbench

_LOOKS_MS = 150


class GrowingDemo(QObject):
    """Has the runs made in a process beside the window, and brings each in once it is whole. What is there already stays."""

    def __init__(self, bench: Workbench, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._bench = bench
        self._folder = Path(tempfile.mkdtemp(prefix="ubrant-demo-"))
        self._made: Logbook | None = None
        self._due: list[int] = []
        self._is_over = False
        self._there = {self._what(run, name) for run, name in bench.logbook.runs(limit=-1)}
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._told)
        self._process.finished.connect(lambda code: self._ended(code))
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOKS_MS)
        self._timer.timeout.connect(self._bring_one)
        bench.closing.connect(self.stop)

    @property
    def _path(self) -> Path:
        return self._folder / "made.ubrant"

    def start(self) -> None:
        self._process.start(sys.executable, ["-m", "ubrant.demo.dome", str(self._path)])
        self._timer.start()
        self._bench.told.emit(
            self.tr("The demo's runs are being made on the simulated bench: they appear on the shelf one after the other.")
        )

    def _told(self) -> None:
        """A run is whole: its number in a line."""
        words = bytes(self._process.readAllStandardOutput().data()).decode("ascii", "replace").split()
        self._due += [int(word) for word in words if word.isdigit()]

    def _bring_one(self) -> None:
        """Between events, one at a time: the window stays quick."""
        if self._bench.is_running:
            return
        if not self._due:
            self._end_when_whole()
            return
        try:
            if self._made is None:
                self._made = Logbook(self._path)
            run = self._made.run(self._due.pop(0))
            name = self._made.unit(run.unit_id).name if run.unit_id else ""
            if self._what(run, name) not in self._there:
                kept = self._made.kept(run)
                own = next((unit for unit in self._bench.logbook.units() if unit.name == name), None)
                summary = self._made.summary(run.id)
                new = self._bench.logbook.keep_import(replace(kept, run=replace(run, unit_id=own.id if own else None)))
                if summary is not None:
                    self._bench.logbook.keep_summary(new.id, summary)
                self._bench.shelf_changed.emit()
        except LogbookError as error:
            self.stop()
            self._bench.said.emit(str(error))
            return

    def _end_when_whole(self) -> None:
        if self._is_over:
            being_made(self._bench.logbook.path).unlink(missing_ok=True)
            self.stop()
            self._bench.told.emit(self.tr("The demo is whole."))

    def _ended(self, code: int) -> None:
        self._told()
        self._is_over = not code
        if code:
            self.stop()
            self._bench.said.emit(self.tr("Not all of the demo could be made; the rest is made when it is opened again."))

    def stop(self) -> None:
        """No more: what is missing is made the next time."""
        self._timer.stop()
        if self._process.state() != QProcess.ProcessState.NotRunning:
            self._process.finished.disconnect()
            self._process.terminate()
            if not self._process.waitForFinished(2000):
                self._process.kill()
                self._process.waitForFinished(1000)
        if self._made is not None:
            self._made.close()
            self._made = None
        shutil.rmtree(self._folder, ignore_errors=True)

    @staticmethod
    def _what(run: Run, name: str) -> tuple[str, str, str]:
        return name, run.method, run.started
