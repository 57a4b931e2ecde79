"""The main window: the band with its stages, the stages, menus, files dropped on it, and an orderly end."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import QApplication, QFileDialog, QMainWindow, QVBoxLayout, QWidget

from ubrant.diagnostics import diagnostics
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.formats import patterns
from ubrant.runs.kept.shelf_order import newest_of
from ubrant.ui.common.workbench import Workbench
from ubrant.ui.run.commands import CommandsDialog
from ubrant.ui.shelf.stage import ShelfStage
from ubrant.ui.widgets import theme
from ubrant.ui.widgets.band import Band
from ubrant.ui.widgets.callout import Callout
from ubrant.ui.widgets.forms import button
from ubrant.ui.widgets.jot_line import JotLine
from ubrant.ui.widgets.pages import Pages
from ubrant.ui.widgets.run_drag import TakesRun
from ubrant.ui.widgets.text import Text, in_a_line
from ubrant.ui.window.collecting import Collector
from ubrant.ui.window.days_in import DaysInWindow
from ubrant.ui.window.desktop import Desktop, open_with_desktop
from ubrant.ui.window.files_in import Imports
from ubrant.ui.window.files_out import RunFiles
from ubrant.ui.window.keys import KeysDialog
from ubrant.ui.window.leaving import Leaving
from ubrant.ui.window.logbook_watch import LogbookWatch
from ubrant.ui.window.may_be_on import MayBeOn
from ubrant.ui.window.menu_dialogs import ENDINGS, MenuDialogs
from ubrant.ui.window.menus import Menus
from ubrant.ui.window.opening import open_or_ask
from ubrant.ui.window.reminders import Reminders
from ubrant.ui.window.settings_dialog import SettingsDialog
from ubrant.ui.window.zoom import Zoom

if TYPE_CHECKING:
    from ubrant.ui.compare.stage import CompareStage
    from ubrant.ui.days.stage import DaysStage
    from ubrant.ui.findings.stage import FindingsStage
    from ubrant.ui.outlook.stage import OutlookStage
    from ubrant.ui.prepare.stage import PrepareStage
    from ubrant.ui.run.stage import RunStage
    from ubrant.ui.window.guide import GuideDialog

Stage = TypeVar("Stage", bound=QWidget)
SHELF, PREPARE, RUN, FINDINGS, COMPARE, OUTLOOK = range(6)
_MOST_RECENT = 8
_PAGES, _DAYS = 7, 6
_IN_THE_GUIDE = ("Begin with", "Prepare:", "Run,", "Findings:", "Compare:", "Outlook:")
"""What the guide's heading of each stage begins with."""


def recent() -> list[Path]:
    """Logbooks opened before, the last one first, as far as they are still there."""
    return [p for p in map(Path, QSettings().value("recent", [], list) or []) if p.exists()]


def remember(path: Path) -> None:
    """Put a logbook first among the recent ones."""
    paths = [str(path.resolve()), *(str(p) for p in recent() if p.resolve() != path.resolve())]
    QSettings().setValue("recent", paths[:_MOST_RECENT])


class MainWindow(QMainWindow):
    """One logbook in one window."""

    def __init__(self, logbook: Logbook, title: str = "") -> None:
        super().__init__()
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(800, 480)
        self._name = Text()
        self._status = Text()
        self._message = Callout("bad")
        self._stack = Pages()
        self._built: dict[int, QWidget] = {}
        self.desktop = Desktop(self)
        self.reminders = Reminders(
            self, lambda: self.bench.run.source if self.bench.run else "", self.desktop, self.tell, lambda: str(self.bench.logbook.path)
        )
        self.guide: GuideDialog | None = None
        self.zoom = Zoom(self)
        self._quiet = QTimer(self)
        self._quiet.setSingleShot(True)
        self._quiet.timeout.connect(self._hush)
        self.watch = LogbookWatch(self, self._warn)
        self._collector = Collector(self)
        self._beat = QTimer(self)
        self._beat.setInterval(500)
        self._beat.timeout.connect(self._look_after)
        central = QWidget()
        layout = self._layout = QVBoxLayout(central)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        band = self._band_of_stages()
        self._buttons = band.stages
        layout.addWidget(band)
        layout.addWidget(self._message)
        layout.addWidget(self._stack.area, 1)
        self.setCentralWidget(central)
        slash = QShortcut(QKeySequence("/"), self)
        slash.activated.connect(self._focus_jot_line)
        self._open(logbook, title)
        if (kept := QSettings().value("window")) is not None:
            self.restoreGeometry(kept)

    # the band at the top

    def _band_of_stages(self) -> Band:
        stages = (self.tr("Shelf"), self.tr("Prepare"), self.tr("Run"), self.tr("Findings"), self.tr("Compare"), self.tr("Outlook"))
        self.menus = Menus(self)
        band = Band(self.menus, self._name, self._status, stages)
        for index, stage in enumerate(band.stages):
            stage.setToolTip(f"Ctrl+{index + 1}")
            stage.clicked.connect(lambda _, k=index: self.go_to(k))
            QShortcut(QKeySequence(f"Ctrl+{index + 1}"), self).activated.connect(lambda k=index: self.go_to(k))
        TakesRun(band.stages[COMPARE], self._lay_in)
        return band

    def show_guide(self) -> None:
        """Beside the window, at what it says of the stage that is shown: what is read there can be done here."""
        from ubrant.ui.window.guide import GuideDialog

        if self.guide is None:
            self.guide = GuideDialog(self)
        self.guide.show()
        self.guide.raise_()
        self.guide.go_to_section(_IN_THE_GUIDE[self.stage()])

    def show_about(self) -> None:
        from ubrant.ui.window.guide import AboutDialog

        AboutDialog(self).exec()

    def copy_diagnostics(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(diagnostics())
        self.say(self.tr("Versions and the last lines of the log are on the clipboard. Look through them before you send them to anybody."))

    def show_commands(self) -> None:
        session = self.bench.session
        CommandsDialog(session.commands if session else None, self).exec()

    def show_keys(self) -> None:
        KeysDialog(self).exec()

    def choose_ground(self, wish: str) -> None:
        """Light, dark, or as the desktop has it; kept."""
        QSettings().setValue("ground", wish)
        app = QApplication.instance()
        if isinstance(app, QApplication):
            theme.choose_ground(app, wish)

    def add_meter(self) -> None:
        self.go_to(SHELF)
        self.shelf.start_meter()

    def find_on_shelf(self) -> None:
        self.go_to(SHELF)
        self.shelf.search.setFocus()

    def stop_all(self) -> None:
        """The run that is going on ends, with the load off; nothing that was typed is dropped."""
        if not self.bench.is_running:
            self.say(self.tr("No run is going on. What may still be on is asked about at the top of the window."))
            return
        self.go_to(RUN)
        self.run.stop()

    def show_settings(self) -> None:
        dialog = SettingsDialog(self)
        dialog.changed.connect(self.bench.shelf_changed)
        dialog.exec()

    def _look_after(self) -> None:
        """Twice a second: how things stand, and whether the open file is still there."""
        self._show_status()
        self.watch.look()
        self.may_be_on.look()

    def _warn(self, sentence: str) -> None:
        """Said until something else is: it does not go by itself."""
        self._quiet.stop()
        self._message.say("bad", sentence)

    def _show_status(self) -> None:
        bench = self.bench
        if bench.is_running and bench.run is not None and bench.session is not None:
            self._status.setText(f"{bench.run.source} · {bench.session.progress.phase}")
        else:
            elsewhere = bench.logbook.why_read_only == "open in another window"
            why = self.tr("open elsewhere: only to look at") if elsewhere else self.tr("cannot be written: only to look at")
            read_only = why if bench.logbook.read_only else ""
            self._status.setText(read_only or in_a_line(self.days_in.status()) or self.tr("no run going on"))

    # stages

    def _open(self, logbook: Logbook, title: str) -> None:
        """Build the stages for a logbook."""
        old = [self._stack.widget(k) for k in range(self._stack.count())]
        self.bench = Workbench(logbook)
        self._ask_what_is_on()
        self._name.setText(in_a_line(title or logbook.path.stem))
        self.setWindowTitle(in_a_line(title or logbook.path.stem))  # the desktop puts the program behind it
        self._built = {}
        for _ in range(_PAGES):
            self._stack.addWidget(QWidget())  # a stage takes this place when it is first wanted
        self._stack.setCurrentWidget(self.shelf)  # before the old ones go: none of them may be shown again
        for widget in old:
            if widget is not None:
                self._stack.removeWidget(widget)
                widget.deleteLater()
        self.imports = Imports(self, self.bench, self.say)
        self.dialogs = MenuDialogs(self, self.bench)
        self.files = RunFiles(self, self.bench, lambda: self.findings.shown() if FINDINGS in self._built else None)
        self.days_in = DaysInWindow(self, self.bench)
        self._to_follow: set[int] = set()
        self.bench.unit_chosen.connect(self._unit_chosen)
        self.bench.test_wanted.connect(self._prepare_test)
        self.bench.measure_wanted.connect(self._prepare_test)
        self.bench.outlook_wanted.connect(self._into_outlook)
        self.bench.check_wanted.connect(self._check_meter)
        self.bench.compare_wanted.connect(self._into_compare)
        self.bench.again_wanted.connect(self._prepare_again)
        self.bench.run_started.connect(self._run_started)
        self.bench.run_opened.connect(self._show_run)
        self.bench.run_ended.connect(self._after_run)
        self.bench.remind.connect(self.reminders.remind)
        self.bench.said.connect(self.say)
        self.bench.told.connect(self.tell)
        self.bench.saved.connect(self._say_saved)
        self._fill_recent()
        self.menus.show_edit(self.bench.undo)
        self._leaving_asked = Leaving(self, self.bench)
        self._beat.start()
        self.watch.begin(self.bench.logbook)
        self._show_status()
        self.go_to(SHELF)
        self.days_in.begin()
        self.reminders.begin()

    def _ask_what_is_on(self) -> None:
        """What may still be on is asked above everything else."""
        if (before := getattr(self, "may_be_on", None)) is not None:
            self._layout.removeWidget(before)
            before.deleteLater()
        self.may_be_on = MayBeOn(self.bench)
        self._layout.insertWidget(1, self.may_be_on)
        self.may_be_on.told.connect(self.tell)
        self.may_be_on.settled.connect(self._refresh_findings)
        self.may_be_on.begin()

    def _refresh_findings(self, run_id: int) -> None:
        self.bench.shelf_changed.emit()
        if FINDINGS in self._built and (shown := self.findings.shown()) is not None and shown[0].id == run_id:
            self.findings.open_run(run_id)

    def go_to(self, stage: int) -> None:
        self._follow(stage)
        self._stack.setCurrentWidget(
            (lambda: self.shelf, lambda: self.prepare, lambda: self.run, lambda: self.findings, lambda: self.compare, lambda: self.outlook)[
                stage
            ]()
        )
        self._buttons[stage].setChecked(True)
        if self.focusWidget() is None or self.focusWidget() in self._buttons:
            self._buttons[stage].setFocus()

    def _unit_chosen(self, unit_id: int) -> None:
        """What is selected on the shelf is what the other stages show from the next time they are gone to."""
        self._to_follow = {PREPARE, FINDINGS} if unit_id else set()

    def _follow(self, stage: int) -> None:
        if stage not in self._to_follow:
            return
        self._to_follow.discard(stage)
        if stage == PREPARE:
            self.prepare.choose(self.bench.unit_id)
        elif (run := newest_of(self.bench.logbook, self.bench.unit_id)) is not None:
            self.findings.open_run(run.id)

    def show_days(self) -> None:
        """Days at the bench, a page of Prepare."""
        self._stack.setCurrentWidget(self.days)
        self._buttons[PREPARE].setChecked(True)

    def stage(self) -> int:
        place = self._stack.currentIndex()
        return PREPARE if place == _DAYS else place

    # Stages are built when they are first wanted: a window is there sooner for it.

    @property
    def shelf(self) -> ShelfStage:
        def build() -> ShelfStage:
            stage = ShelfStage(self.bench)
            stage.first.imported.connect(self.choose_logs)
            stage.first.demo.connect(self.open_demo)
            return stage

        return self._stage(SHELF, build)

    @property
    def prepare(self) -> PrepareStage:
        from ubrant.ui.prepare.stage import PrepareStage

        def build() -> PrepareStage:
            stage = PrepareStage(self.bench)
            stage.days_wanted.connect(self.show_days)
            return stage

        return self._stage(PREPARE, build)

    @property
    def days(self) -> DaysStage:
        def build() -> DaysStage:
            stage = self.days_in.stage()
            stage.one_test.connect(lambda: self.go_to(PREPARE))
            return stage

        return self._stage(_DAYS, build)

    @property
    def run(self) -> RunStage:
        from ubrant.ui.run.stage import RunStage

        def build() -> RunStage:
            stage = RunStage(self.bench)
            stage.attention.connect(lambda text: None if self.isActiveWindow() else self.desktop.tell(self.tr("Your turn"), text))
            stage.due.connect(self._reading_is_due)
            return stage

        return self._stage(RUN, build)

    @property
    def findings(self) -> FindingsStage:
        from ubrant.ui.findings.stage import FindingsStage

        def build() -> FindingsStage:
            stage = FindingsStage(self.bench)
            stage.report_wanted.connect(self.files.report)
            stage.export_wanted.connect(self.files.export)
            stage.card_wanted.connect(self.files.copy_card)
            return stage

        return self._stage(FINDINGS, build)

    @property
    def compare(self) -> CompareStage:
        from ubrant.ui.compare.stage import CompareStage

        return self._stage(COMPARE, lambda: CompareStage(self.bench))

    @property
    def outlook(self) -> OutlookStage:
        from ubrant.ui.outlook.stage import OutlookStage

        return self._stage(OUTLOOK, lambda: OutlookStage(self.bench))

    def _stage(self, index: int, build: Callable[[], Stage]) -> Stage:
        if index not in self._built:
            stage = build()
            self._built[index] = stage
            place = self._stack.count() - _PAGES + index  # behind those of a logbook that is going
            empty = self._stack.widget(place)
            self._stack.insertWidget(place, stage)
            if empty is not None:
                self._stack.removeWidget(empty)
                empty.deleteLater()
        return self._built[index]  # type: ignore[return-value]  # built by the same index

    def same_again(self) -> None:
        """Of the run that is shown, or the newest of the unit that is chosen."""
        shown = self.findings.shown() if FINDINGS in self._built and self.stage() == FINDINGS else None
        run = shown[0] if shown is not None else newest_of(self.bench.logbook, self.bench.unit_id) if self.bench.unit_id else None
        if run is None or not run.head.plan:
            self.say(self.tr("Choose a run that was planned here first: open it in Findings, or choose its unit."))
        else:
            self.bench.again_wanted.emit(run.id)

    def throw_away(self) -> None:
        """The run that Findings shows."""
        shown = self.findings.shown() if FINDINGS in self._built and self.stage() == FINDINGS else None
        if shown is None:
            self.say(self.tr("Open the run in Findings first: what is thrown away is the one that is shown."))
        else:
            self.bench.throw_away([shown[0]])

    def _prepare_again(self, run_id: int) -> None:
        self._to_follow.discard(PREPARE)
        self.go_to(PREPARE)
        self.prepare.again(self.bench.logbook.run(run_id))

    def _prepare_test(self, unit_id: int, method: str = "") -> None:
        self._to_follow.discard(PREPARE)
        self.prepare.choose(unit_id, method)
        self.go_to(PREPARE)

    def _check_meter(self, meter_id: int) -> None:
        self._to_follow.discard(PREPARE)
        self.prepare.check_meter(next(m for m in self.bench.logbook.meters() if m.id == meter_id))
        self.go_to(PREPARE)

    def _run_started(self) -> None:
        self.run.begin()
        self.go_to(RUN)
        self.desktop.keep_awake(self.tr("A run is going on"))

    def _show_run(self, run_id: int) -> None:
        self._to_follow.discard(FINDINGS)
        self.findings.open_run(run_id)
        self.go_to(FINDINGS)

    def _after_run(self, run_id: int) -> None:
        self._to_follow.discard(FINDINGS)
        self.desktop.let_sleep()
        watching = self.stage() == RUN
        self.findings.open_run(run_id)
        self.desktop.tell(self.findings.title.text(), self.findings.trouble.text() or self.findings.verdict.text())
        if watching:
            self.go_to(FINDINGS)
        if self._leaving_asked.wanted:
            QTimer.singleShot(0, self.close)

    def _focus_jot_line(self) -> None:
        for line in self._stack.currentWidget().findChildren(JotLine):  # type: ignore[union-attr]
            if line.isEnabled():
                line.setFocus(Qt.FocusReason.ShortcutFocusReason)
                return

    def _hush(self) -> None:
        """A method and no lambda: a window that is being taken apart must not be called by its timer."""
        self._message.say("bad", "")

    def _reading_is_due(self, sentence: str) -> None:
        """A band across the window, and the desktop's own notice with its sound; gone once the reading was taken."""
        self._quiet.stop()
        self._message.say("caution", sentence)
        if sentence:
            self.desktop.tell(self.tr("Your turn"), sentence)

    def say(self, sentence: str) -> None:
        """One sentence under the band; it goes by itself after a while."""
        self._message.say("bad", sentence)
        self._quiet.start(15_000)

    def tell(self, sentence: str) -> None:
        """One sentence of good news, for a little while."""
        self._message.say("good", sentence)
        self._quiet.start(6_000)

    def _say_saved(self, sentence: str, path: str) -> None:
        """A file was written: it can be opened, or its folder, from there."""
        self._message.say("good", sentence)
        self._message.offer(
            button(self.tr("Open"), lambda: open_with_desktop(path), "link"),
            button(self.tr("Show in folder"), lambda: open_with_desktop(str(Path(path).parent)), "link"),
        )
        self._quiet.start(20_000)

    def offer(self, thing: QWidget) -> None:
        """Something that can be done about what was said last."""
        self._message.offer(thing)
        self._quiet.start(20_000)

    def said(self) -> str:
        return self._message.text()

    # files

    def new_logbook(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, self.tr("New logbook"), "", self.tr("Ubrant logbook (*.ubrant)"))
        if path:
            self.open_path(Path(path if path.endswith(".ubrant") else path + ".ubrant"))

    def open_logbook(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, self.tr("Open a logbook"), "", self.tr("Ubrant logbook (*.ubrant)"))
        if path:
            self.open_path(Path(path))

    def open_path(self, path: Path, *, is_kept: bool = True) -> None:
        """Another logbook in this window, unless a run is going on; ``is_kept`` among those that were open before."""
        if self.bench.is_running:
            self.say(self.tr("A run is going on: stop it before you open another logbook."))
            return
        if path.exists() and path.resolve() == self.bench.logbook.path.resolve():
            return
        logbook = open_or_ask(path, self)
        if logbook is None:
            return
        self._beat.stop()
        self.watch.stop()
        self.bench.close()
        self._open(logbook, "")
        if is_kept:
            remember(path)
        self._fill_recent()

    def _fill_recent(self) -> None:
        here = self.bench.logbook.path.resolve()
        self.menus.show_recent([path for path in recent() if path.resolve() != here])

    def open_demo(self) -> None:
        """The demo logbook in this window; where it is not there yet its shelf at once, and its runs as they are made."""
        from ubrant.demo.dome import being_made, demo_path, furnish

        path = demo_path()
        if not path.exists():
            furnish(path)
        self.open_path(path, is_kept=False)
        if self.bench.logbook.path == path and being_made(path).exists() and not self.bench.logbook.read_only:
            from ubrant.ui.window.growing import GrowingDemo

            QTimer.singleShot(0, GrowingDemo(self.bench, self).start)

    def choose_logs(self) -> None:
        kinds = self.tr("Logs ({patterns});;All files (*)").format(patterns=patterns((".jot", ".json")))
        paths, _ = QFileDialog.getOpenFileNames(self, self.tr("Import logs"), "", kinds)
        self._dropped([Path(path) for path in paths])

    def _into_compare(self, run_id: int) -> None:
        """One more run beside those that are compared."""
        self.compare.add_run(run_id)
        self.go_to(COMPARE)

    def _lay_in(self, run_id: int) -> None:
        """One that was dropped on the stage's name; others can follow."""
        self.compare.add_run(run_id)
        self.tell(self.tr("Compare holds {count} runs now.").format(count=self.compare.count))

    def _into_outlook(self, unit_id: int) -> None:
        """A unit of the shelf as one more piece of the outlook."""
        unit = self.bench.logbook.unit(unit_id)
        self.outlook.add_unit(unit.name, unit.kind)
        self.go_to(OUTLOOK)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is None or data is None:
            return
        event.acceptProposedAction()
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        QTimer.singleShot(0, lambda: self._dropped(paths))  # the dialog must not hold up whoever dropped it

    def _dropped(self, paths: list[Path]) -> None:
        for path in paths:
            if path.suffix == ".ubrant":
                self.open_path(path)
                return
        pictures = [path for path in paths if path.suffix.lower() in ENDINGS]
        if pictures:
            shown = self.findings.shown() if self.stage() == FINDINGS else None
            self.dialogs.pictures(pictures, shown[0].id if shown is not None else None)
        if others := [path for path in paths if path not in pictures]:
            self.imports.bring_in(others)

    # the end

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if self.bench.is_running and not self._leaving_asked.may_close():
            event.ignore()
            return
        self._beat.stop()
        self.watch.stop()
        if RUN in self._built:
            self.run.readout.close()
        self.desktop.let_sleep()
        QSettings().setValue("window", self.saveGeometry())
        self.watch.last_look()
        self.bench.close()
        event.accept()
