"""At 150 % on 1280×800 a window has 853×533 of what it draws in: all of it can be reached there, by scrolling or because it stands closer."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, QSize
from PyQt6.QtWidgets import QApplication, QComboBox, QMenuBar, QScrollArea

from tests.ui.test_plain_text import dialogs
from ubrant.ui.widgets.fitting import fit_screen
from ubrant.ui.window.shell import COMPARE, FINDINGS, OUTLOOK, PREPARE, RUN, SHELF

SMALL = QSize(853, 533)


@pytest.mark.parametrize("wide", [1280, 1100, 1024, 853, 800])
def test_every_menu_and_stage_is_there(window, wide):
    window.resize(wide, 700)
    QApplication.processEvents()
    bar = window.findChild(QMenuBar)
    for action in (one for one in bar.actions() if one.isVisible()):
        place = bar.actionGeometry(action)
        assert place.width() > 20 and place.right() <= bar.width(), f"{action.text()} at {wide}"
    edges = [(stage.mapTo(window, QPoint(0, 0)).x(), stage.width(), stage.sizeHint().width()) for stage in window._buttons]
    assert all(w >= wants for _, w, wants in edges)
    assert edges[0][0] >= bar.mapTo(window, QPoint(bar.width(), 0)).x()
    assert edges[-1][0] + edges[-1][1] <= wide


@pytest.mark.parametrize("stage", [SHELF, PREPARE, RUN, FINDINGS, COMPARE, OUTLOOK])
def test_a_stage_that_has_no_room_is_scrolled(stocked, stage):
    window = stocked
    window.go_to(stage)
    window.resize(SMALL)
    QApplication.processEvents()
    assert window.size() == SMALL
    pages = window._stack
    wants = pages.currentWidget().minimumSizeHint()
    assert pages.width() >= max(wants.width(), 1000)
    assert pages.height() >= wants.height()
    across, down = pages.area.horizontalScrollBar(), pages.area.verticalScrollBar()
    assert across.maximum() >= pages.width() - window.width() - 20
    assert down.maximum() >= max(0, pages.height() - pages.area.viewport().height())


def test_with_room_for_it_nothing_is_scrolled(stocked):
    for stage in (SHELF, PREPARE, RUN, FINDINGS, COMPARE, OUTLOOK):
        stocked.go_to(stage)
        stocked.resize(1024, 700)
        QApplication.processEvents()
        area = stocked._stack.area
        assert not area.horizontalScrollBar().maximum() and not area.verticalScrollBar().maximum(), stage


@pytest.mark.parametrize("room", [QSize(1024, 700), SMALL])
def test_every_dialog_is_inside_its_screen_with_its_longest_content(window, tmp_path, room):
    for dialog in dialogs(window, tmp_path, "a name & more of it " * 12):
        dialog.show()
        fit_screen(dialog, room)
        QApplication.processEvents()
        assert dialog.width() <= room.width() and dialog.height() <= room.height(), type(dialog).__name__
        least = dialog.minimumSizeHint()
        assert least.width() <= room.width() and least.height() <= room.height(), type(dialog).__name__
        dialog.close()


def test_a_dialog_that_is_scrolled_still_works(window, qtbot):
    from ubrant.ui.window.settings_dialog import SettingsDialog

    dialog = SettingsDialog(window)
    qtbot.addWidget(dialog)
    dialog.show()
    fields = {box.accessibleName() for box in dialog.findChildren(QComboBox)}
    fit_screen(dialog, QSize(700, 120))
    assert dialog.findChild(QScrollArea) is not None
    assert dialog.height() == 120
    assert {box.accessibleName() for box in dialog.findChildren(QComboBox)} == fields != set()
    dialog.reject()
    assert not dialog.isVisible()


@pytest.mark.parametrize(("count", "scrolls"), [(3, False), (20, False), (60, True)])
def test_a_drop_down_is_whole_or_visibly_scrolls(window, qtbot, count, scrolls):
    from ubrant.ui.widgets.forms import Choice

    box = Choice("many")
    qtbot.addWidget(box)
    box.addItems(f"method number {k} with a name that is long" for k in range(count))
    box.show()
    box.showPopup()
    QApplication.processEvents()
    view = box.view()
    bar = view.verticalScrollBar()
    assert view.isVisible()
    assert bar.isVisible() is scrolls or (not scrolls and not bar.maximum())
    if not scrolls:
        last = view.visualRect(view.model().index(count - 1, 0))
        assert 0 < last.bottom() <= view.viewport().height()
    assert view.viewport().width() >= view.sizeHintForColumn(0)
    screen = box.screen().availableGeometry()
    assert screen.contains(view.window().frameGeometry())
    box.hidePopup()
