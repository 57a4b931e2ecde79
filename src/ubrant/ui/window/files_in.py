"""Files from elsewhere, brought in: read in the background, asked about, kept."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QProgressDialog, QWidget

from ubrant.core.record.head import label_of
from ubrant.logbook.logs.log_file import ColumnsError, LogError, LogFile
from ubrant.logbook.records import StoredRun
from ubrant.ui.widgets.work import in_background, quietly

_BEAT_MS = 60

if TYPE_CHECKING:
    from ubrant.runs.coming_in.bringing_in import Answered, Batch
    from ubrant.ui.common.workbench import Workbench
    from ubrant.ui.findings.import_dialog import ImportDialog


def read_with(path: Path) -> list[LogFile]:
    """A log by the columns that were chosen for its like before, or else by its headings."""
    from ubrant.runs.coming_in.bringing_in import logs_in
    from ubrant.ui.findings.mapping_dialog import columns_remembered

    columns = columns_remembered(path)
    if columns is not None:
        with contextlib.suppress(LogError):
            return logs_in(path, columns)
    return logs_in(path)


def read_any(path: Path) -> StoredRun | list[LogFile]:
    """A run that Ubrant exported, a jot text that names its method, or else the logs of a file."""
    from ubrant.runs.coming_in.bringing_in import named_run, own_run  # loads the readers, which nobody needs before

    return own_run(path) or named_run(path) or read_with(path)


class Imports:
    """Brings a log, a Data Package or a run that Ubrant exported into the logbook of a window."""

    def __init__(self, window: QWidget, bench: Workbench, say: Callable[[str], None], tell: Callable[[str], None]) -> None:
        self._window, self._bench, self._say, self._tell = window, bench, say, tell
        self._rest: list[Path] = []

    def import_log(self, path: Path) -> None:
        """Read a log or a Data Package, ask what is not in it, keep it as a run, show its findings. What Ubrant exported is kept as it was."""
        in_background(
            self._window,
            self._window.tr("Reading {name} …").format(name=path.name),
            lambda: read_any(path),
            lambda found: self._was_read(path, found),
            lambda error: self._ask_for_columns(path, error),
        )

    def import_many(self, paths: list[Path]) -> None:
        """The first is asked about; where the others are to be kept the same way they are read in the background, with one undo for all."""
        self._rest = paths[1:]
        self.import_log(paths[0])

    def _read_rest(self, said: Answered) -> None:
        """With progress, and a way to leave it."""
        from ubrant.runs.coming_in.bringing_in import Batch
        from ubrant.ui.findings.mapping_dialog import columns_remembered

        window, batch = self._window, Batch(self._rest, said, columns_remembered)
        self._rest = []
        dialog = QProgressDialog(
            window.tr("Reading {count} logs …").format(count=len(batch.paths)), window.tr("Leave it"), 0, len(batch.paths), window
        )
        dialog.setWindowModality(Qt.WindowModality.WindowModal)
        dialog.setMinimumDuration(0)
        beat = QTimer(dialog)
        beat.setInterval(_BEAT_MS)

        def look() -> None:
            batch.left = batch.left or dialog.wasCanceled()
            if not batch.left:
                dialog.setValue(min(batch.done, len(batch.paths) - 1))

        def done(result: object) -> None:
            beat.stop()
            left = batch.left or dialog.wasCanceled()
            dialog.close()
            dialog.deleteLater()
            if isinstance(result, Exception):
                self._say(str(result))
            elif left:
                self._say(window.tr("Left: none of the {count} logs were kept.").format(count=len(batch.paths)))
            else:
                self._keep_all(batch)

        beat.timeout.connect(look)
        beat.start()
        quietly(window, batch.read, done)

    def _keep_all(self, batch: Batch) -> None:
        """All that could be read, with one undo; what could not be is said."""
        from ubrant.runs.coming_in.bringing_in import keep

        bench = self._bench
        bench.keep_imports([partial(keep, bench.logbook, made, batch.said.unit) for made in batch.made])
        told = self._window.tr("{count} more were kept.").format(count=len(batch.made))
        if batch.troubles:
            more = self._window.tr("{count} could not be read: {first}").format(count=len(batch.troubles), first=batch.troubles[0])
            self._say(f"{told} {more}")
        else:
            self._tell(told)

    def _was_read(self, path: Path, found: StoredRun | list[LogFile]) -> None:
        """A run that Ubrant exported is kept as it was; the rest is asked about."""
        if isinstance(found, StoredRun):
            from ubrant.runs.coming_in.bringing_in import keep, unit_for

            self._bench.keep_import(lambda: keep(self._bench.logbook, found, unit_for(self._bench.logbook, found)))
        else:
            self._ask_about(path, found)

    def _ask_about(self, path: Path, logs: list[LogFile]) -> None:
        """Whose each log is and how it is judged; the rest can be kept like the first. Its columns can be mended from there."""
        from ubrant.ui.findings.import_dialog import ImportDialog

        before: ImportDialog | None = None
        for place, log in enumerate(logs):
            dialog = ImportDialog(self._bench, log, self._window, like=before, more=len(logs) - place - 1 + len(self._rest))
            if before is not None and before.all_alike.isChecked():
                dialog.take()
            else:
                dialog.exec()
            dialog.deleteLater()
            if dialog.columns_wanted:
                self._mend_columns(path, "")
                return
            if dialog.looks_anew:
                self.import_log(path)
                return
            before = dialog
        self._go_on_with_rest(before)

    def _go_on_with_rest(self, last: ImportDialog | None) -> None:
        """The other files: like the last one, or each asked about in its turn."""
        if not self._rest or last is None:
            return
        if last.answered is not None and last.all_alike.isChecked():
            self._read_rest(last.answered)
        elif last.kept is not None:
            self.import_many(self._rest)

    def _ask_for_columns(self, path: Path, error: Exception) -> None:
        """A log whose headings do not say which column is what: the person does; anything else that is wrong is said."""
        if isinstance(error, ColumnsError):
            self._mend_columns(path, error.sentence)
        else:
            self._say(str(error))

    def _volts(self) -> list[float]:
        """Of the labels on the shelf, that of the unit which is shown first."""
        bench = self._bench
        units = sorted(bench.logbook.units(), key=lambda u: u.id != bench.unit_id)
        return [found.voltage_v for unit in units if (found := label_of(unit)) is not None and found.voltage_v]

    def _mend_columns(self, path: Path, why: str) -> None:
        """Which column is what, and in which unit."""
        from ubrant.logbook.logs.read import table_in
        from ubrant.ui.findings.mapping_dialog import MappingDialog

        sheet = None
        with contextlib.suppress(LogError):
            sheet = table_in(path)
        if sheet is None or len(sheet.headings) < 2:
            self._say(why or self._window.tr("{name} has no columns to choose from.").format(name=path.name))
            return
        dialog = MappingDialog(path, sheet, why, self._window, self._volts())
        used = dialog.exec()
        dialog.deleteLater()
        if used:
            self._ask_about(path, dialog.logs)
