"""The menus, by what one does: with the logbook, with what is chosen, with the view, at the bench, with what was measured."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QActionGroup, QKeySequence, QUndoStack
from PyQt6.QtWidgets import QMenu, QWidget

from ubrant.ui.widgets.band import FoldingMenus
from ubrant.ui.widgets.settings import GROUNDS, ground
from ubrant.ui.widgets.text import in_a_menu

if TYPE_CHECKING:
    from ubrant.ui.window.shell import MainWindow

Entry = tuple[str, str, Callable[[], object]]
"""As it is called, its keys, what it does; keys behind a tab are only shown, since another has them already."""


class Menus(FoldingMenus):
    """Of one window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window.tr("&Menu"))
        self._window = window
        self.file, self.edit = self._menu(self.tr("&File")), self._menu(self.tr("&Edit"))
        self.view, self.bench = self._menu(self.tr("&View")), self._menu(self.tr("&Bench"))
        self.sums, self.aid = self._menu(self.tr("&Work out")), self._menu(self.tr("&Help"))
        self.recent = QMenu(self.tr("Open &recent"), self)
        self._fill()
        self.put(self.file, self.edit, self.view, self.bench, self.sums, self.aid)

    def _menu(self, name: str) -> QMenu:
        return QMenu(name, self)

    def _fill(self) -> None:
        window = self._window
        self._add(
            self.file,
            (self.tr("&New logbook …"), "Ctrl+N", window.new_logbook),
            (self.tr("&Open logbook …"), "Ctrl+O", window.open_logbook),
            None,
            (self.tr("&Import logs …"), "Ctrl+I", window.choose_logs),
            (self.tr("Import a log with &taps, or a scope's record …"), "", lambda: window.dialogs.wave()),
            (self.tr("&Bring in a logbook …"), "", lambda: window.dialogs.bring_in()),
            None,
            (self.tr("&Export the run …"), "Ctrl+E", lambda: window.files.export()),
            (self.tr("Save a re&port …"), "Ctrl+Shift+S", lambda: window.files.report()),
            (self.tr("Save the &figures …"), "", lambda: window.files.figures()),
            (self.tr("&Print the report …"), "Ctrl+P", lambda: window.files.print_report()),
            None,
            (self.tr("Save a &copy …"), "", lambda: window.files.save_copy()),
            (self.tr("Save &what can be read …"), "", lambda: window.files.save_what_reads()),
            None,
            (self.tr("&Settings …"), "Ctrl+,", window.show_settings),
            (self.tr("&Quit"), "Ctrl+Q", window.close),
        )
        self.file.insertMenu(self.file.actions()[2], self.recent)
        stages = (self.tr("&Shelf"), self.tr("&Prepare"), self.tr("&Run"), self.tr("&Findings"), self.tr("&Compare"), self.tr("&Outlook"))
        self._add(self.view, *((text, f"\tCtrl+{k}", partial(window.go_to, k - 1)) for k, text in enumerate(stages, start=1)), None)
        self._add(
            self.view,
            (self.tr("&Larger"), "Ctrl++", lambda: window.zoom.step(1)),
            (self.tr("S&maller"), "Ctrl+-", lambda: window.zoom.step(-1)),
            (self.tr("&As it was at first"), "Ctrl+0", lambda: window.zoom.step(0)),
            None,
        )
        self._add_grounds()
        self._add(self.view, None, (self.tr("&Readout across the screen"), "F11", lambda: window.run.readout.toggle()))
        self._add(
            self.bench,
            (self.tr("&Days at the bench"), "Ctrl+B", window.show_days),
            (self.tr("&What is due …"), "", lambda: window.days_in.show_due()),
            (self.tr("Add a &meter or an instrument …"), "", window.add_meter),
            (self.tr("&Commands and answers"), "Ctrl+L", window.show_commands),
            None,
            (self.tr("&Stop: load off, the run is kept"), "Ctrl+.", window.stop_all),
        )
        self._add(
            self.sums,
            (self.tr("Rank for a &job …"), "", lambda: window.dialogs.rank()),
            (self.tr("What &feeds what …"), "", lambda: window.dialogs.what_feeds()),
            (self.tr("Choose for a &load …"), "", lambda: window.dialogs.choose()),
            (self.tr("Verdicts measured &again …"), "", lambda: window.dialogs.verdicts()),
        )
        self._add(
            self.aid,
            (self.tr("&Guide"), "F1", window.show_guide),
            (self.tr("&Keys"), "Ctrl+F1", window.show_keys),
            (self.tr("&Open the demo logbook"), "", window.open_demo),
            None,
            (self.tr("Copy &diagnostics"), "", window.copy_diagnostics),
            (self.tr("&About Ubrant"), "", window.show_about),
        )

    def _add(self, menu: QMenu, *entries: Entry | None) -> None:
        for entry in entries:
            if entry is None:
                menu.addSeparator()
                continue
            text, keys, do = entry
            is_shown_only = keys.startswith("\t")
            made = QAction(text + keys if is_shown_only else text, self._window)
            if keys and not is_shown_only:
                made.setShortcut(QKeySequence(keys))
                if keys == "Ctrl++":
                    made.setShortcuts([QKeySequence(keys), QKeySequence("Ctrl+=")])  # where plus is the upper one of its key
            made.triggered.connect(lambda _, do=do: do())
            menu.addAction(made)

    def _add_grounds(self) -> None:
        chosen = QActionGroup(self)
        grounds = self.view.addMenu(self.tr("&Light or dark"))
        assert grounds is not None
        for key, name in GROUNDS:
            made = QAction(self.tr(name), self._window)
            made.setCheckable(True)
            made.triggered.connect(lambda _, key=key: self._window.choose_ground(key))
            chosen.addAction(made)
            grounds.addAction(made)
        grounds.aboutToShow.connect(lambda: chosen.actions()[[key for key, _ in GROUNDS].index(ground())].setChecked(True))

    def show_recent(self, paths: Sequence[Path]) -> None:
        """Logbooks that were open before."""
        self.recent.clear()
        self._add(self.recent, *((in_a_menu(str(path)), "", partial(self._window.open_path, path)) for path in paths))
        self.recent.setEnabled(bool(paths))

    def show_edit(self, stack: QUndoStack) -> None:
        """The menu of what is chosen, with what can be undone in the logbook that is open."""
        window, menu = self._window, self.edit
        menu.clear()
        undo, redo = stack.createUndoAction(window, self.tr("Undo")), stack.createRedoAction(window, self.tr("Redo"))
        assert undo is not None and redo is not None
        undo.setShortcut(QKeySequence.StandardKey.Undo)
        redo.setShortcuts([QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")])
        menu.addActions([undo, redo])
        self._add(
            menu,
            None,
            (self.tr("C&ut"), "\tCtrl+X", partial(self._at_focus, "cut")),
            (self.tr("&Copy"), "\tCtrl+C", partial(self._at_focus, "copy")),
            (self.tr("&Paste"), "\tCtrl+V", partial(self._at_focus, "paste")),
            (self.tr("Copy the &answer card"), "Ctrl+Shift+A", lambda: window.files.copy_card()),
            (self.tr("Copy the &ledger"), "Ctrl+Shift+C", lambda: window.files.copy_ledger()),
            None,
            (self.tr("&Find on the shelf"), "\tCtrl+F", window.find_on_shelf),
            (self.tr("&Same again …"), "Ctrl+R", window.same_again),
            (self.tr("&Throw the run away"), "Ctrl+Del", window.throw_away),
            (self.tr("Thrown a&way …"), "", lambda: window.dialogs.thrown()),
        )
        self._kept_actions = (undo, redo)  # the menu does not own them

    def _at_focus(self, what: str) -> None:
        """Of what is being typed, or of the table that the focus is in."""
        widget: QWidget | None = self._window.focusWidget()
        while widget is not None and not callable(getattr(widget, what, None)):
            widget = widget.parentWidget()
        if widget is not None:
            getattr(widget, what)()
