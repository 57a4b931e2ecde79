"""Files from elsewhere, brought in: read in the background, shown in one table, kept at once."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QProgressDialog, QWidget

from ubrant.core.record.head import label_of
from ubrant.ui.widgets.work import quietly

_BEAT_MS = 60
_SHOWN_AFTER_MS = 300

if TYPE_CHECKING:
    from collections.abc import Callable

    from ubrant.runs.coming_in.arriving import Arrival
    from ubrant.ui.common.workbench import Workbench


class Imports:
    """Brings logs, Data Packages and runs that Ubrant exported into the logbook of a window."""

    def __init__(self, window: QWidget, bench: Workbench, say: Callable[[str], None]) -> None:
        self._window, self._bench, self._say = window, bench, say

    def bring_in(self, paths: list[Path]) -> None:
        """Read them, with progress and a way to leave it; then ask what is not in them."""
        from ubrant.runs.coming_in.arriving import FileReader, files_of  # loads the readers, which nobody needs before
        from ubrant.ui.findings.mapping_dialog import columns_remembered

        paths = files_of(paths)
        window, reading = self._window, FileReader(paths, columns_remembered)
        one = window.tr("Reading {name} …").format(name=paths[0].name)
        sentence = one if len(paths) == 1 else window.tr("Reading {count} files …").format(count=len(paths))
        dialog = QProgressDialog(sentence, window.tr("Leave it"), 0, len(paths) if len(paths) > 1 else 0, window)
        dialog.setWindowModality(Qt.WindowModality.WindowModal)
        dialog.setMinimumDuration(_SHOWN_AFTER_MS)
        dialog.setValue(0)
        beat = QTimer(dialog)
        beat.setInterval(_BEAT_MS)

        def look() -> None:
            reading.left = reading.left or dialog.wasCanceled()
            if not reading.left and len(paths) > 1:
                dialog.setValue(min(reading.done, len(paths) - 1))

        def done(result: object) -> None:
            beat.stop()
            left = reading.left or dialog.wasCanceled()
            dialog.close()
            dialog.deleteLater()
            if left:
                self._say(window.tr("Left: nothing was kept."))
            elif isinstance(result, Exception):
                self._say(str(result))
            elif isinstance(result, list):
                self._were_read(result)

        beat.timeout.connect(look)
        beat.start()
        quietly(window, reading.read, done)

    def _were_read(self, rows: list[Arrival]) -> None:
        """What says everything itself is kept as it was; one file that cannot be read is mended or named; the rest is asked about."""
        from ubrant.runs.coming_in.arriving import Arrivals
        from ubrant.ui.findings.mapping_dialog import columns_asked

        if rows and all(row.whole is not None for row in rows):
            self._bench.keep_arrivals(Arrivals(rows))
            return
        if len(rows) == 1 and rows[0].columns_can_be_said:
            found = columns_asked(rows[0].path, rows[0].trouble, self._window, self._volts())
            if found is None:
                self._say(rows[0].trouble)
            elif found:
                self._ask(found)
        elif all(row.trouble and not row.columns_can_be_said for row in rows):
            self._say(" ".join(dict.fromkeys(row.trouble for row in rows[:2])))
        else:
            self._ask(rows)

    def _ask(self, rows: list[Arrival]) -> None:
        from ubrant.ui.findings.import_dialog import ImportDialog

        dialog = ImportDialog(self._bench, rows, self._window)
        dialog.exec()
        dialog.deleteLater()

    def _volts(self) -> list[float]:
        """Of the labels on the shelf, that of the unit which is shown first."""
        bench = self._bench
        units = sorted(bench.logbook.units(), key=lambda u: u.id != bench.unit_id)
        return [found.voltage_v for unit in units if (found := label_of(unit)) is not None and found.voltage_v]
