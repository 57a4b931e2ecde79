"""What can be taken out of the Findings stage: report, export, figures, the ledger as text; and a copy of the logbook."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QWidget

from ubrant.core.finding import Finding
from ubrant.logbook.exporting import export_csv, export_jots, export_package
from ubrant.logbook.file import LogbookError
from ubrant.logbook.records import Run
from ubrant.ui.settings import folder
from ubrant.ui.widgets.work import in_background
from ubrant.ui.workbench import Workbench
from ubrant.workshop.paths import kept_path
from ubrant.workshop.trials.trial import TrialView
from ubrant.workshop.views import RunView


class RunFiles(QObject):
    """Asks where to, does it beside the window, says how it went. ``shown`` gives the run that is looked at, or None."""

    def __init__(
        self, window: QWidget, bench: Workbench, shown: Callable[[], RunView | None], shown_trial: Callable[[], TrialView | None]
    ) -> None:
        super().__init__(window)
        self._window, self._bench, self._shown, self._shown_trial = window, bench, shown, shown_trial

    def report(self) -> None:
        """Save a report of the run that is shown."""
        view = self._any_view()
        if view is None:
            return
        from ubrant.report.document import write_report

        name = self._name_of(view.run)
        path = self._ask(self.tr("Save a report"), f"{name}.pdf", "PDF (*.pdf);;HTML (*.html)")
        if path is None:
            return
        self._write(self.tr("Writing the report …"), path, lambda target: write_report(view, name, target))
        findings, sentence = _said(view)
        self._bench.logbook.keep_statement(view.run.id, datetime.now(UTC).isoformat(timespec="seconds"), findings, sentence)

    def export(self) -> None:
        """Export the readings of the run that is shown."""
        view = self._any_view()
        if view is None:
            return
        run = view.run
        name = self._name_of(run)
        path = self._ask(
            self.tr("Export the run"),
            f"{name}.csv",
            "CSV (*.csv);;" + self.tr("Jot text (*.jot)") + ";;" + self.tr("Data Package, a folder (*)"),
        )
        if path is None:
            return
        logbook = self._bench.logbook
        if path.suffix.lower() == ".csv":
            self._write(self.tr("Writing the readings …"), path, lambda target: export_csv(logbook, run, target))
        elif path.suffix.lower() == ".jot":
            self._write(self.tr("Writing the readings …"), path, lambda target: export_jots(logbook, run, target, name))
        else:
            in_background(
                self._window,
                self.tr("Writing the readings …"),
                lambda: export_package(logbook, run, path, name),
                lambda _: self._done(path),
                self._failed,
            )

    def figures(self) -> None:
        """Save the trace (or what a trial is drawn as) and the path as figures beside each other."""
        view = self._any_view()
        if view is None:
            return
        from ubrant.report.figures import path_figure, save, trace_figure
        from ubrant.report.trial_figures import trial_figure

        name = self._name_of(view.run)
        path = self._ask(self.tr("Save the figures"), f"{name} trace.svg", "SVG (*.svg);;PNG (*.png)")
        if path is None:
            return
        other = path.with_name(path.stem.removesuffix(" trace") + " path" + path.suffix)

        def draw() -> None:
            if isinstance(view, RunView):
                save(trace_figure(view), path)
                save(path_figure(kept_path(view, name)), other)
            elif (figure := trial_figure(view)) is not None:
                save(figure, path)

        in_background(self._window, self.tr("Drawing …"), draw, lambda _: self._done(path), self._failed)

    def copy_ledger(self) -> None:
        """The ledger as text with tabs, for a sheet or a letter."""
        clipboard, view = QGuiApplication.clipboard(), self._any_view()
        if view is None or clipboard is None:
            return
        findings, sentence = (
            (view.found.findings, view.found.verdict.sentence) if isinstance(view, RunView) else (view.findings, view.sentence)
        )
        rows = [(f.name, f.value_text(), f.doubt_text(), f.working) for f in findings.values() if f.value is not None]
        clipboard.setText("\n".join(["\t".join(row) for row in rows] + [sentence]))
        self._bench.told.emit(self.tr("The ledger is on the clipboard."))

    def save_copy(self) -> None:
        """A copy of the whole logbook, also while a run is going on."""
        logbook = self._bench.logbook
        path = self._ask(self.tr("Save a copy of the logbook"), f"{logbook.path.stem} copy.ubrant", self.tr("Ubrant logbook (*.ubrant)"))
        if path is None:
            return
        try:
            logbook.save_copy(path)
        except LogbookError as error:
            self._bench.said.emit(str(error))
        else:
            self._done(path)

    def _any_view(self) -> RunView | TrialView | None:
        view = self._shown() or self._shown_trial()
        if view is None:
            self._bench.said.emit(self.tr("No run is shown: open one in Findings first."))
        return view

    def _name_of(self, run: Run) -> str:
        return self._bench.logbook.unit(run.unit_id).name if run.unit_id else run.source

    def _ask(self, title: str, name: str, kinds: str) -> Path | None:
        path, kind = QFileDialog.getSaveFileName(self._window, title, str(folder() / name.replace("/", "-")), kinds)
        if not path:
            return None
        ending = kind[kind.find("*") + 1 : kind.find(")")]
        return Path(path) if Path(path).suffix or not ending.startswith(".") else Path(path + ending)

    def _write(self, sentence: str, path: Path, write: Callable[[Path], None]) -> None:
        """Write beside the target and put it in place only when it is whole and still wanted."""
        unfinished = path.with_name(f".{path.stem}.{os.getpid()}{path.suffix}")

        def done(_: object) -> None:
            unfinished.replace(path)
            self._done(path)

        in_background(self._window, sentence, lambda: write(unfinished), done, self._failed)

    def _done(self, path: Path) -> None:
        self._bench.told.emit(self.tr("Saved as {path}.").format(path=path))

    def _failed(self, error: Exception) -> None:
        self._bench.said.emit(str(error))


def _said(view: RunView | TrialView) -> tuple[Mapping[str, Finding], str]:
    """What a run says: its findings, and the sentence over all."""
    return (view.found.findings, view.found.verdict.sentence) if isinstance(view, RunView) else (view.findings, view.sentence)
