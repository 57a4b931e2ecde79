"""What can be taken out of the Findings stage: report, export, figures, the ledger as text; and a copy of the logbook."""

from __future__ import annotations

import os
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QDialog, QFileDialog, QMessageBox, QWidget

from ubrant.core.account import Account
from ubrant.core.record.record import Record
from ubrant.logbook.file import LogbookError, salvage
from ubrant.logbook.records import Run
from ubrant.runs.kept.naming import name_in
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.widgets.settings import folder
from ubrant.ui.widgets.text import message_box
from ubrant.ui.widgets.work import in_background

Shown = tuple[Run, Record, Account]


class RunFiles(QObject):
    """Asks where to, does it beside the window, says how it went. ``shown`` gives the run that is looked at, or None."""

    def __init__(self, window: QWidget, bench: Workbench, shown: Callable[[], Shown | None]) -> None:
        super().__init__(window)
        self._window, self._bench, self._look = window, bench, shown
        self.open_dialog: Callable[[QDialog], object] = lambda dialog: dialog.exec()
        self.wants_damaged: Callable[[str], bool] = self._asks_of_damage

    def report(self) -> None:
        """Save a report of the run that is shown."""
        shown = self._shown()
        if shown is None:
            return
        from ubrant.report.document import write_report

        run, record, account = shown
        name = name_in(self._bench.logbook, run)
        path = self._ask(self.tr("Save a report"), f"{name}.pdf", "PDF (*.pdf);;HTML (*.html)")
        if path is None:
            return
        photos = self._bench.logbook.photos_of(run)
        self._write(self.tr("Writing the report …"), path, lambda target: write_report(run, record, account, name, target, photos))
        self._state(run, account)

    def print_report(self) -> None:
        """The report of the run that is shown on paper, looked at first."""
        shown = self._shown()
        if shown is None:
            return
        from ubrant.report.document import html_of

        run, record, account = shown
        name, photos = name_in(self._bench.logbook, run), self._bench.logbook.photos_of(run)
        if self._lay_out(name, lambda: html_of(run, record, account, name, photos)):
            self._state(run, account)

    def print_page(self, name: str, page: str) -> None:
        """A page of HTML on paper, looked at first."""
        self._lay_out(name, lambda: page)

    def _lay_out(self, name: str, page: Callable[[], str]) -> bool:
        """Lay a page out beside the window and show it as it will be printed; false where nothing can be printed."""
        try:
            from ubrant.ui.window.printing import preview
        except ImportError as error:
            self._failed(
                RuntimeError(
                    self.tr("Printing needs a system library ({error}): save the report as a PDF and print that.").format(error=error)
                )
            )
            return False
        from ubrant.report.document import pdf_of

        in_background(
            self._window,
            self.tr("Laying out the pages …"),
            lambda: pdf_of(page()),
            lambda pdf: preview(pdf, self.tr("Print {name}").format(name=name), self._window, self.open_dialog),
            self._failed,
        )
        return True

    def _state(self, run: Run, account: Account) -> None:
        """What a report said, and by which sums, stays known."""
        self._bench.logbook.keep_statement(run.id, datetime.now(UTC).isoformat(timespec="seconds"), account.findings, account.sentence)

    def copy_card(self) -> None:
        """The answer with its ±, conditions and working on the clipboard, as text and as a picture."""
        shown = self._shown()
        if shown is None:
            return
        from ubrant.report.card import card_of
        from ubrant.ui.window import answer_card

        run, record, account = shown
        answer_card.copy(card_of(run, record, account, name_in(self._bench.logbook, run)))
        self._bench.told.emit(self.tr("The answer card is on the clipboard, as text and as a picture."))

    def export(self) -> None:
        """Export the readings of the run that is shown."""
        from ubrant.logbook.exporting import export_csv, export_package
        from ubrant.runs.typed.jot_heads import export_jots, lost_in_jots

        shown = self._shown()
        if shown is None:
            return
        run = shown[0]
        name = name_in(self._bench.logbook, run)
        kinds = ("CSV (*.csv)", self.tr("Jot text (*.jot)"), self.tr("Data Package, a folder (*)"))
        path = self._ask(self.tr("Export the run"), f"{name}.csv", ";;".join(kinds))
        if path is None:
            return
        kept, working = self._bench.logbook.leaving(run, damaged_too=bool(shown[1].damage)), self.tr("Writing the readings …")
        if path.suffix.lower() == ".csv":
            self._write(working, path, lambda target: export_csv(kept, target))
        elif path.suffix.lower() == ".jot":
            self._write(working, path, lambda target: export_jots(kept, target, name), lost_in_jots(kept))
        else:
            in_background(self._window, working, lambda: export_package(kept, path, name), lambda _: self._done(path), self._failed)

    def figures(self) -> None:
        """Save what the run is drawn as and its path as figures beside each other."""
        shown = self._shown()
        if shown is None:
            return
        from ubrant.report.figures import figures_of, path_figure, save

        run, _, account = shown
        name = name_in(self._bench.logbook, run)
        path = self._ask(self.tr("Save the figures"), f"{name} trace.svg", "SVG (*.svg);;PNG (*.png)")
        if path is None:
            return
        other = path.with_name(path.stem.removesuffix(" trace") + " path" + path.suffix)

        def draw() -> None:
            for number, figure in enumerate(figures_of(account.drawings())):
                save(figure, path if not number else path.with_stem(f"{path.stem} {number + 1}"))
            if (flows := account.path()) is not None:
                save(path_figure(flows), other)

        in_background(self._window, self.tr("Drawing …"), draw, lambda _: self._done(path), self._failed)

    def copy_ledger(self) -> None:
        """The ledger as text with tabs, for a sheet or a letter."""
        clipboard, shown = QGuiApplication.clipboard(), self._shown()
        if shown is None or clipboard is None:
            return
        account = shown[2]
        rows = [(f.name, f.value_text(), f.uncertainty_text(), f.working) for f in account.findings.values() if f.value is not None]
        clipboard.setText("\n".join(["\t".join(row) for row in rows] + [account.sentence]))
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

    def save_what_reads(self) -> None:
        """A sound logbook of what can be read of this one; this one stays as it is."""
        path = self._ask(
            self.tr("Save what can be read as"), f"{self._bench.logbook.path.stem} saved.ubrant", self.tr("Ubrant logbook (*.ubrant)")
        )
        if path is not None:
            damaged = self._bench.logbook.path
            in_background(
                self._window,
                self.tr("Reading what can be read …"),
                lambda: salvage(damaged, path),
                lambda _: self._done(path),
                self._failed,
            )

    def _shown(self) -> Shown | None:
        """The run that is shown, to be taken away: one that is damaged only where the person wants it all the same."""
        shown = self._look()
        if shown is None:
            self._bench.said.emit(self.tr("No run is shown: open one in Findings first."))
        elif shown[1].damage and not self.wants_damaged(shown[1].damage):
            return None
        return shown

    def _asks_of_damage(self, damage: str) -> bool:
        box = message_box(self._window, self.tr("This run is damaged"), damage)
        agreed = box.addButton(self.tr("Take it as it is"), QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(self.tr("Leave it"), QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is agreed

    def _ask(self, title: str, name: str, kinds: str) -> Path | None:
        path, kind = QFileDialog.getSaveFileName(self._window, title, str(folder() / name.replace("/", "-")), kinds)
        if not path:
            return None
        ending = kind[kind.find("*") + 1 : kind.find(")")]
        return Path(path) if Path(path).suffix or not ending.startswith(".") else Path(path + ending)

    def _write(self, sentence: str, path: Path, write: Callable[[Path], object], lost: str = "") -> None:
        """Write beside the target and put it in place only when it is whole and still wanted; ``lost`` is what the file cannot hold."""
        unfinished = path.with_name(f".{path.stem}.{os.getpid()}{path.suffix}")

        def done(_: object) -> None:
            unfinished.replace(path)
            self._done(path, lost)

        in_background(self._window, sentence, lambda: write(unfinished), done, self._failed)

    def _done(self, path: Path, lost: str = "") -> None:
        self._bench.saved.emit(" ".join((self.tr("Saved as {path}.").format(path=path), lost)).strip(), str(path))

    def _failed(self, error: Exception) -> None:
        self._bench.said.emit(str(error))
