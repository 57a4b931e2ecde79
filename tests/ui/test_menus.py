"""Menus by what one does: each key once, each of them on the page of keys, and what they do is done."""

from __future__ import annotations

import os
from collections import Counter

import pytest
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QAction, QGuiApplication, QShortcut
from PyQt6.QtWidgets import QFileDialog, QPushButton

from tests.window import click, needs, start, type_into
from ubrant.ui.shelf.meter_form import MeterForm
from ubrant.ui.window import zoom
from ubrant.ui.window.keys import KEYS
from ubrant.ui.window.shell import RUN, SHELF


@pytest.fixture(autouse=True)
def untouched(monkeypatch):
    """Nothing was set before, and nothing stays set."""
    for name in (zoom._QT, zoom._OURS):
        monkeypatch.delenv(name, raising=False)
    yield
    for name in ("zoom", "ground"):
        QSettings().remove(name)


def entries(menu) -> list[QAction]:
    return [one for action in menu.actions() for one in (entries(action.menu()) if action.menu() else [action]) if not action.isSeparator()]


def press(window, menu: str, text: str) -> None:
    found = [one for one in entries(getattr(window.menus, menu)) if one.text().replace("&", "").partition("\t")[0] == text]
    assert found, [one.text() for one in entries(getattr(window.menus, menu))]
    found[0].trigger()


def test_they_are_by_what_one_does(window):
    assert [action.text().replace("&", "") for action in window.menus.actions() if action.isVisible()] == [
        "File",
        "Edit",
        "View",
        "Bench",
        "Work out",
        "Help",
    ]


def test_no_key_does_two_things(window):
    """One that does is ambiguous to Qt, and does nothing."""
    keys = Counter(key.toString() for action in window.findChildren(QAction) for key in action.shortcuts() if not key.isEmpty())
    keys.update(one.key().toString() for one in window.findChildren(QShortcut) if one.parent() is window)
    assert {key: count for key, count in keys.items() if count > 1} == {}


def test_every_key_of_theirs_is_on_the_page_of_keys(window):
    page = " ".join(keys for keys, _ in KEYS).replace(",", " ").split()
    page += ["Ctrl+,"]
    shown = {action.shortcut().toString() for action in window.menus.findChildren(QAction) + window.findChildren(QAction)} - {""}
    assert {key for key in shown if key not in page and not key.startswith("Ctrl+Y")} == set()


def test_without_room_they_are_one_with_all_in_it(window):
    window.resize(1280, 700)
    wide = [entry.text() for menu in (window.menus.file, window.menus.aid) for entry in entries(menu)]
    window.resize(820, 600)
    shown = [action for action in window.menus.actions() if action.isVisible()]
    assert [action.text().replace("&", "") for action in shown] == ["Menu"]
    inside = [entry.text() for entry in entries(shown[0].menu())]
    assert set(wide) <= set(inside)
    window.resize(1280, 700)
    assert len([action for action in window.menus.actions() if action.isVisible()]) == 6


def test_cut_copy_and_paste_go_to_what_is_being_typed(window, qtbot):
    window.find_on_shelf()
    assert window.focusWidget() is window.shelf.search
    type_into(qtbot, window.shelf.search, "dome")
    window.shelf.search.selectAll()
    press(window, "edit", "Cut")
    assert (window.shelf.search.text(), QGuiApplication.clipboard().text()) == ("", "dome")
    press(window, "edit", "Paste")
    assert window.shelf.search.text() == "dome"


def test_a_meter_is_added_from_wherever_one_is(window):
    window.go_to(RUN)
    press(window, "bench", "Add a meter or an instrument …")
    assert window.stage() == SHELF
    assert window.shelf.findChild(MeterForm) is not None


def test_stop_ends_the_run_with_the_load_off(stocked, qtbot):
    needs("discharge")
    press(stocked, "bench", "Stop: load off, the run is kept")
    assert "No run is going on" in stocked.said()
    start(stocked, qtbot, speed=600.0, every="1 s")
    session = stocked.bench.session
    qtbot.waitUntil(lambda: session.progress.load_on_s is not None, timeout=10_000)
    stocked.go_to(SHELF)
    qtbot.keyClick(stocked, Qt.Key.Key_Period, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: any(e.kind == "load_off" for e in session.live.events()), timeout=10_000)
    assert stocked.stage() == RUN


def test_the_ground_is_chosen_there_too_and_kept(window):
    press(window, "view", "dark")
    assert QSettings().value("ground") == "dark"
    press(window, "view", "light")
    assert QSettings().value("ground") == "light"


def test_larger_is_kept_and_drawn_from_the_next_start_which_is_offered(window, qtbot):
    for key in (Qt.Key.Key_Plus, Qt.Key.Key_Plus):
        qtbot.keyClick(window, key, Qt.KeyboardModifier.ControlModifier)
    assert window.said() == "Everything is drawn at 125 % from the next start."
    zoom.prepare_zoom()
    assert os.environ["QT_SCALE_FACTOR"] == "1.25"
    qtbot.keyClick(window, Qt.Key.Key_Minus, Qt.KeyboardModifier.ControlModifier)
    zoom.prepare_zoom()  # as it is done once it was started again by itself
    assert os.environ["QT_SCALE_FACTOR"] == "1.1"
    click(qtbot, window, "Start again now")
    assert window.zoom.wants_start
    assert not window.isVisible()


def test_back_to_what_is_drawn_nothing_is_offered(window):
    window.zoom.step(1)
    window.zoom.step(0)
    assert window.said() == "Everything stays at 100 %."
    assert "Start again now" not in [b.text() for b in window.findChildren(QPushButton) if b.isVisible()]
    zoom.prepare_zoom()
    assert "QT_SCALE_FACTOR" not in os.environ


def test_what_somebody_told_qt_by_hand_stays(window, monkeypatch):
    window.zoom.step(1)
    monkeypatch.setenv("QT_SCALE_FACTOR", "1.7")
    zoom.prepare_zoom()
    assert os.environ["QT_SCALE_FACTOR"] == "1.7"


def test_the_ends_are_the_ends(window):
    for _ in range(20):
        window.zoom.step(1)
    assert zoom.zoom() == zoom.ZOOMS[-1]
    for _ in range(20):
        window.zoom.step(-1)
    assert zoom.zoom() == zoom.ZOOMS[0]
    QSettings().setValue("zoom", 333)
    assert zoom.zoom() == 100


def test_the_demo_opens_in_this_window_and_is_no_logbook_that_comes_back(window, monkeypatch, tmp_path, empty_logbook):
    import shutil

    from ubrant.demo import dome
    from ubrant.ui.window.shell import recent

    path = tmp_path / "demo.ubrant"
    shutil.copy(empty_logbook, path)
    monkeypatch.setattr(dome, "demo_path", lambda: path)
    press(window, "aid", "Open the demo logbook")
    assert window.bench.logbook.path == path
    assert path not in recent()


def test_import_asks_for_several(window, monkeypatch, tmp_path):
    asked: list[list] = []
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(tmp_path / "a.csv"), str(tmp_path / "b.csv")], ""))
    monkeypatch.setattr(window.imports, "bring_in", asked.append)
    press(window, "file", "Import logs …")
    assert [path.name for path in asked[0]] == ["a.csv", "b.csv"]
