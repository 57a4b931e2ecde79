"""Prepare always has a unit, a method and a road to go; what is lacking is asked in place, and nothing of the unit before stays."""

from __future__ import annotations

import itertools

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLineEdit

from tests.window import click, needs, settle, type_into
from ubrant.core.equipment.unit import KINDS, Unit
from ubrant.core.record.head import Setup
from ubrant.methods.registry import begun_with, suiting
from ubrant.ui.window.shell import PREPARE

LABELS = (
    "520 Wh",
    "75 Wh",
    "110 Wh",
    "24 V to 230 V sine",
    "",
    "hello",
    "12.8 V",
    "0 Ah 12 V",
    "50 Ah 12.8 V",
    "24000mAh/88.8Wh",
    "24,000mAh 3.7V",
    "4S 3.2V 50Ah LiFePO4",
    "3,0 Ah",
    "8 × 1.2 V 2500 mAh NiMH",
    "12 V 45 mAh lead-acid 7 kg",
    "14 V 50 Ah LiFePO4",
    "10000mAh 3.7V output 12000mAh 5V",
    "520 Wh, 110 V 500 W",
    "12 V to 5 V",
    "12 V to 19 V, 90 W",
    "14.4 V 5 A",
    "100 F 5.4 V",
    "C16",
    "30 A breaker",
    "52 W",
)


@pytest.fixture(scope="module")
def named():
    """Every kind with every label, by a name that no other has."""
    return [
        Unit(f"Thing-{k}-of-{kind}", kind, text)
        for kind, (k, text) in itertools.product(KINDS, enumerate(LABELS))
        if suiting(Unit("x", kind, text))
    ]


def look_at(window, unit: Unit) -> None:
    window.bench.test_wanted.emit(window.bench.keep_unit(unit).id)
    window.prepare.look()
    settle()


def said(window) -> str:
    texts = [w.text() for kind in (QLabel, QLineEdit) for w in window.prepare.findChildren(kind) if w.isVisibleTo(window.prepare)]
    return " ".join([*texts, window.prepare.path_view.accessibleDescription()])


def test_every_kind_with_every_label_has_a_method_and_a_start_or_a_question(named):
    for unit in named:
        entries = [e for e in suiting(unit) if e.method.is_started]
        assert entries, unit
        entry = entries[begun_with(entries, unit)]
        try:
            fields = entry.method.form(Setup(unit))
        except ValueError as error:
            assert "like “" in str(error), (unit, entry.key, str(error))
            continue
        entry.method.prepare(Setup(unit), {one.key: one.usual for one in fields})


@pytest.mark.needs("discharge", "source", "charger")  # without them nothing but a check of its meters is left for some kinds
def test_in_the_window_nothing_of_the_unit_before_stays(window, qtbot, named, request):
    """A start, or a question in place; every eleventh of them (with --all each)."""
    window.go_to(PREPARE)
    before = "Nothing of mine"
    for unit in named if request.config.getoption("--all") else named[::11]:
        look_at(window, unit)
        stage, form = window.prepare, window.prepare.form
        assert stage.unit_box.currentText() == unit.name
        assert unit.name in stage.title.text(), unit
        assert form.method_box.count() >= 1
        assert before not in said(window).replace(f"{unit.name}", ""), (unit, before)
        if form.lacks:
            assert form.label_field.isVisibleTo(stage) and "like “" in " ".join(stage.problems()), unit
            assert not form.fields and not form.meters
        else:
            assert stage.start_button.isEnabled() or stage.problems(), unit
        before = unit.name


@pytest.mark.parametrize(
    ("kind", "label", "method", "starts"),
    [
        ("station", "520 Wh", "output", True),
        ("bank", "75 Wh", "output", True),
        ("battery", "110 Wh", "discharge", False),
        ("inverter", "24 V to 230 V sine", "idle", True),
    ],
)
def test_seen_without_a_way_on(window, qtbot, kind, label, method, starts):
    for key in (method, "discharge"):
        needs(key)
    window.go_to(PREPARE)
    look_at(window, Unit("The one before", "battery", "50 Ah 12.8 V LiFePO4"))
    look_at(window, Unit("This one", kind, label))
    stage = window.prepare
    assert stage.form.method.key == method
    assert stage.start_button.isEnabled() is starts, stage.problems()
    assert "The one before" not in said(window)
    assert "10 A" not in [w.text() for w in stage.form.findChildren(QLineEdit) if w.isVisible()]


def test_what_a_label_lacks_is_completed_in_place_and_taken_back(window, qtbot):
    needs("discharge")
    window.go_to(PREPARE)
    look_at(window, Unit("Watt-hours", "battery", "110 Wh"))
    form = window.prepare.form
    assert any("complete it, like “110 Wh, 12.8 V”" in p for p in window.prepare.problems())
    type_into(qtbot, form.label_field, "110 Wh, 12.8 V")
    qtbot.keyClick(form.label_field, Qt.Key.Key_Return)
    window.prepare.look()
    assert window.prepare.start_button.isEnabled(), window.prepare.problems()
    assert form.fields["load"].text() == "1.719 A"
    window.bench.undo.undo()
    window.prepare.look()
    assert form.lacks
    type_into(qtbot, form.label_field, "110 Wh, 12.8 V LiFePO4")
    click(qtbot, window.prepare, "Complete its label")
    assert form.fields


def test_another_method_is_chosen_where_the_usual_one_lacks_something(window, qtbot):
    for key in ("discharge", "endurance"):
        needs(key)
    window.go_to(PREPARE)
    look_at(window, Unit("Watt-hours", "battery", "110 Wh"))
    form = window.prepare.form
    form.choose_method("endurance")
    window.prepare.look()
    assert not form.lacks and window.prepare.start_button.isEnabled(), window.prepare.problems()
    form.choose_method("discharge")
    window.prepare.look()
    assert form.lacks and not window.prepare.start_button.isEnabled()
    assert window.prepare.title.text() == "Watt-hours"
