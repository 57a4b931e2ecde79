"""What a newcomer does from an empty logbook, counted in keys and clicks: from a label to an answer in words."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication

from tests.hands import Hands
from tests.window import needs
from ubrant.core.equipment.unit import KINDS, Unit, kind_by_label
from ubrant.runs.kept.answer_sheet import answer_sheet
from ubrant.ui.shelf.first_start import _EXAMPLES
from ubrant.ui.window.shell import FINDINGS, PREPARE, RUN, SHELF


@pytest.fixture
def hands(window, qtbot):
    window.go_to(SHELF)
    return Hands(window, qtbot)


def test_what_does_my_inverter_burn(hands):
    """89 keys and clicks before."""
    needs("idle")
    window = hands.window
    hands.add("Hut", "12 V to 230 V, 300 W")
    assert window.bench.logbook.units()[0].kind == "inverter"
    hands.measure("What does it burn just being on?", "Idle draw")
    hands.click(window.prepare, "Start the run")
    assert window.stage() == RUN
    window.run.tick()
    hands.say("0 A")
    hands.type_row("12.8 .37")
    hands.click(window.run, "Close the run")
    window.run.tick()
    assert window.stage() == FINDINGS
    assert "Idle draw 4.7" in window.findings.account.sentence
    print("keys and clicks:", hands.count)
    assert hands.count <= 45


def test_how_full_is_my_battery(hands):
    needs("fullness")
    window = hands.window
    hands.add("Van", "12 V 82 Ah lead-acid")
    hands.measure("How full is it now?", "How full it is")
    hands.keys(window.prepare.form.fields["rested_s"], "5 h")
    hands.click(window.prepare, "Start the run")
    window.run.tick()
    hands.say("12.37 V")
    hands.click(window.run, "Close the run")
    window.run.tick()
    assert "About 70 % full" in window.findings.account.sentence
    print("keys and clicks:", hands.count)
    assert hands.count <= 45


@pytest.mark.parametrize(
    ("label", "kind"),
    [
        ("50 Ah 12.8 V LiFePO4", "battery"),
        ("12 V 45 Ah AGM C20 to 10.5 V", "battery"),
        ("12 V 7.2 Ah lead-acid, to 10.5 V", "battery"),
        ("2500 mAh 1.2 V NiMH", "battery"),
        ("24 000 mAh / 88.8 Wh", "bank"),
        ("20000 mAh 3.7 V", "bank"),
        ("500 Wh; input 11-60 V 10 A 200 W", "station"),
        ("12 V to 230 V sine, 300 W", "inverter"),
        ("12 V to 5 V, 3 A", "converter"),
        ("10 V to 15 V in, 19 V 5 A out", "converter"),
        ("100-240 V to 19 V, 65 W", "charger"),
        ("30 A breaker", "lead"),
        ("300 W 12 V sine inverter", "inverter"),
        ("12 V charger, 10 A", "charger"),
        ("step-down 12 V, 5 V 3 A", "converter"),
        ("power bank 10 000 mAh", "bank"),
        ("20.000 mAh", "bank"),
        ("20,000mAh", "bank"),
        ("12v 1500w pure sine", "inverter"),
        ("Solar 100W", "source"),
        ("500 Wh, solar input 200 W", "station"),
        ("500 F 16 V", "source"),
        ("power station 512 Wh, inverter 300 W", "station"),
        ("60 W panel, 18 V", "source"),
        ("fridge 12 V 45 W", "load"),
        ("12 V 100 Ah LiFePO4 battery", "battery"),
        ("house bank, 12 V 200 Ah AGM", "battery"),
        ("230 V, 90 W", "load"),
        ("60 W", "load"),
        ("", "battery"),
    ],
)
def test_a_label_says_its_kind(label, kind):
    assert kind_by_label(label) == kind


def test_a_kind_that_was_chosen_stays(hands, qtbot):
    hands.click(hands.window.shelf, "Add a unit")
    form = hands.window.shelf._side.findChild(object, "open form")
    form.kind.setCurrentText("station")
    form.kind.activated.emit(form.kind.currentIndex())
    qtbot.keyClicks(form.label_text, "12 V to 230 V, 300 W")
    assert form.kind.currentText() == "station"


def test_is_my_battery_any_good(hands, qtbot):
    """A caravan owner with a multimeter and a clamp: 67 keys and clicks before, and no verdict. From the first page to *below*, readings pasted."""
    needs("discharge")
    window, first = hands.window, hands.window.shelf.first
    hands.add_meter("M", "1%", "2%")
    hands.keys(first.label_text, "45Ah 12V LiFePO4")
    row = next(one for one in first.answers.entries() if one.asked.text() == "Does it have the capacity it claims?")
    hands.count += 2
    next(a for a in row.menu_of_ways().actions() if a.text().startswith("Discharge")).trigger()
    hands.click(window.prepare, "Start the run")
    window.run.tick()
    assert window.stage() == RUN
    rows = (
        [(0, 13.3, 9.02)] + [(30 * k, 13.2 - 0.03 * k, 9.0) for k in range(1, 8)] + [(228, 12.1, 8.9), (232, 11.4, 8.9), (236, 10.8, 8.8)]
    )
    QGuiApplication.clipboard().setText("\n".join(f"{8 + m // 60}:{m % 60:02d}\t{v:.2f}\t{a:.2f}" for m, v, a in rows))
    qtbot.keyClick(window.run.table.view, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    hands.count += 1
    window.run.tick()
    hands.click(window.run, "Close the run")
    window.run.tick()
    assert window.stage() == FINDINGS
    print("keys and clicks:", hands.count)
    assert window.findings.account.sentence.startswith("Below its label: 35.2 ± 5.3 Ah is 78 ± 12 %")
    assert hands.count <= 40


def test_does_my_bank_hold_its_claim(hands, qtbot):
    """A student with a bank and an in-line USB meter that counts."""
    needs("output")
    window, first = hands.window, hands.window.shelf.first
    hands.add_meter("U", "1%", "1%")
    hands.keys(first.label_text, "20000mAh 74Wh")
    hands.click(next(one for one in first.answers.entries() if one.asked.text() == "Does it give what it claims?"), "Measure")
    assert window.stage() == PREPARE
    hands.click(window.prepare, "Start the run")
    window.run.tick()
    rows = [f"{8 + k}:00\t{5.06 - 0.005 * k:.2f}\t1.00\t{5.04 * k:.1f}\t{100 - 8 * k}" for k in range(12)] + [
        "19:40\t4.98\t1.00\t58.6\t0\tempty"
    ]
    rows[0] += "\tfull, load on"
    QGuiApplication.clipboard().setText("\n".join(rows))
    qtbot.keyClick(window.run.table.view, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    hands.count += 1
    window.run.tick()
    hands.click(window.run, "Close the run")
    window.run.tick()
    print("keys and clicks:", hands.count)
    assert window.findings.account.sentence.startswith("Gives 58.7 ± 1.0 Wh at its output, 11.67 ± 0.15 Ah; 79.3 ± 1.4 % of its label")
    assert hands.count <= 40


@pytest.mark.parametrize("kind", KINDS)
def test_every_question_of_every_kind_opens_its_test(window, qtbot, kind):
    """From the first page, by its example of a label: the test is the one that was asked for, and can be started, or says what is lacking."""
    unit = Unit(kind, kind, _EXAMPLES[kind])
    kept = window.bench.keep_unit(unit)
    hands = Hands(window, qtbot)
    window.go_to(SHELF)
    if window.shelf.answers.more.isVisible():
        hands.click(window.shelf.answers, window.shelf.answers.more.text())
    asked = [(row, way) for row in answer_sheet(kept, (), lambda _: None, datetime.now(UTC)) for way in row.ways]
    assert asked or kind == "lead"
    for row, way in asked:
        window.bench.measure_wanted.emit(kept.id, way.entry.key)
        window.prepare.look()
        assert window.stage() == PREPARE
        assert window.prepare.form.method.key == way.entry.key, row.enquiry.key
        assert window.prepare.start_button.isEnabled() or window.prepare.problems(), (row.enquiry.key, way.entry.key)


@pytest.mark.parametrize("kind", KINDS)
def test_the_first_page_takes_its_own_example(window, qtbot, kind):
    """The label that it shows for each kind is read as that kind, and its questions can be pressed."""
    first = window.shelf.first
    qtbot.keyClicks(first.label_text, _EXAMPLES[kind])
    assert first.kind.currentData() == kind
    first_rows = first.answers.entries()
    assert all(entry.button.isEnabled() for entry in first_rows)
    if first_rows:
        qtbot.keyClick(first.label_text, Qt.Key.Key_Return)
        assert window.focusWidget() is first_rows[0].button
