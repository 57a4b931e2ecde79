"""A stage stands still: whatever is typed, erred and mended, or arrives late, nothing moves but the row that grows."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton, QScrollArea, QTableView, QWidget

from tests.making import PLUG
from tests.methods.samples import SAMPLES
from tests.window import begin, prepare, settle, type_into
from ubrant.core.equipment.meter import Meter
from ubrant.methods.registry import entries
from ubrant.ui.shelf.answers import AnswerEntry
from ubrant.ui.widgets.jot_line import JotLine
from ubrant.ui.widgets.plot import PlotView
from ubrant.ui.widgets.power_path_view import PowerPathView
from ubrant.ui.widgets.trace import Trace
from ubrant.ui.window.shell import PREPARE, RUN, SHELF

_LOOKED_AT = (PowerPathView, PlotView, Trace, QTableView, QPushButton, QLineEdit, QComboBox, AnswerEntry)
_KEYS = [
    entry.key for entry in entries() if entry.key in {"discharge", "sweep", "idle", "output", "recharge", "appliance", "audit", "steps"}
]


def places(stage: QWidget) -> dict[QWidget, tuple[int, int]]:
    """Where everything is that a person works with: its corner, as seen in the stage; not the buttons of a callout, which come and go with it."""
    return {
        one: (one.mapTo(stage, QPoint(0, 0)).x(), one.mapTo(stage, QPoint(0, 0)).y())
        for kind in _LOOKED_AT
        for one in stage.findChildren(kind)
        if one.isVisibleTo(stage) and not _is_inside(one, QTableView, stage)
    }


def _is_inside(one: QWidget, kind: type[QWidget], stage: QWidget) -> bool:
    parent = one.parentWidget()
    while parent is not None and parent is not stage:
        if isinstance(parent, kind):
            return True
        parent = parent.parentWidget()
    return False


def moved(before: dict[QWidget, tuple[int, int]], stage: QWidget) -> list[str]:
    now = places(stage)
    return [
        f"{type(one).__name__} {one.accessibleName()}: {was} → {now[one]}" for one, was in before.items() if one in now and now[one] != was
    ]


@pytest.fixture
def still(window):
    for meter in (Meter("In", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60, max_a=100), PLUG):
        window.bench.logbook.keep_meter(meter)
    window.resize(1280, 800)
    return window


@pytest.mark.parametrize("key", _KEYS)
def test_prepare_while_every_field_is_mistyped_and_mended(still, qtbot, key):
    unit = still.bench.keep_unit(SAMPLES[key].unit)
    still.bench.measure_wanted.emit(unit.id, key)
    stage, form = still.prepare, still.prepare.form
    assert still.stage() == PREPARE
    stage.look()
    settle()
    before = places(stage)
    for name, field in form.fields.items():
        if not isinstance(field, QLineEdit) or not field.isVisibleTo(stage) or not field.isEnabled():
            continue
        held = field.text()
        for text in ("about seven", "-3 X", "", held):
            field.setText(text)
            stage.look()
            settle()
            assert moved(before, stage) == [], f"{name}: “{text}”"
    assert stage.start_button.isEnabled() or stage.problems()


def test_run_while_a_row_is_mistyped_and_mended(still, qtbot):
    key = next(k for k in _KEYS if k in {"audit", "discharge"})
    prepare(still, SAMPLES[key].unit, key)
    begin(still, qtbot)
    stage = still.run
    assert still.stage() == RUN
    while stage.done_button.isVisible():
        stage.done_button.click()
        stage.tick()
    settle()
    before = places(stage)
    line = stage.findChild(JotLine)
    for text in ("12,8 bananas", "12.8 V 999 A 3 A", "12.8 V", ""):
        type_into(qtbot, line, text)
        stage.tick()
        settle()
        assert moved(before, stage) == [], text


def test_the_sheet_of_answers_while_a_word_is_typed_and_cleared(still, qtbot):
    unit = still.bench.keep_unit(SAMPLES["audit"].unit if "audit" in SAMPLES else next(iter(SAMPLES.values())).unit)
    still.bench.choose_unit(unit.id)
    still.go_to(SHELF)
    settle()
    before = places(still.shelf)
    for text in ("zzz", "long", ""):
        type_into(qtbot, still.shelf.answers.sought, text)
        QApplication.processEvents()
    settle()
    assert moved(before, still.shelf) == []
    assert still.shelf.findChildren(QScrollArea)
