"""A meter's page: how sure it is, when it was checked, what it would settle; and one that is as good as such meters usually are."""

from __future__ import annotations

import math
from datetime import UTC, date, datetime

import pytest
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel

from tests.methods.samples import SAMPLES
from tests.window import click, type_into
from ubrant.core.equipment.certificates import MeterCheck
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.equipment.usual_meters import USUAL
from ubrant.runs.kept.meter_told import checked_when, how_sure
from ubrant.ui.shelf.meter_form import MeterForm
from ubrant.ui.shelf.meter_page import MeterPage

NOW = datetime(2026, 12, 1, 12, tzinfo=UTC)
HAND = Meter("Hand meter", "0.5 % + 20 mV", "1.5 % + 30 mA", max_v=60.0)


def seen(widget) -> str:
    QApplication.processEvents()
    return " | ".join(w.text() for w in widget.findChildren(QLabel) if w.isVisible())


def page_of(window, name):
    window.shelf.show_meter(next(meter for meter in window.bench.logbook.meters() if meter.name == name))
    return window.shelf.findChild(MeterPage)


def test_how_sure_it_is_of_what_it_reads():
    volts, amps = how_sure(HAND, NOW)
    half = (0.5 / 100 * 12 / math.sqrt(3), 0.02 / math.sqrt(3))  # both terms anywhere inside their limits: JCGM 100, 4.3.7
    assert f"12.000 ± {2 * math.hypot(*half):.3f} V" in volts.examples
    assert not any(text.endswith("48.00 V") or "230" in text for text in volts.examples), "it does not read so much"
    assert volts.told.endswith("as its manual says")
    assert volts.least == ""
    # 10 % of I = 1.5 % of I + 30 mA, at 0.35 A
    assert amps.least == "Under 0.35 A it may be off by more than a tenth."


def test_what_is_assumed_or_was_found_is_said():
    assumed = Meter("Clamp", "", "2.5 % + 0.15 A", details=MeterDetails(assumed="a cheap DC clamp"))
    assert "assumed, as good as a cheap DC clamp" in how_sure(assumed, NOW)[0].told
    check = MeterCheck("2026-10-10", "Bench meter", "A", 3.2, 0.03, 0.014, 0.99, 0.0, "0.44 % + 10 mA")
    found = Meter("Clamp", "", "2 % + 50 mA", details=MeterDetails(checks=(check,)))
    assert "as found on 10 Oct 2026" in how_sure(found, NOW)[0].told


@pytest.mark.parametrize(
    ("due", "says"),
    [("", "never checked here"), ("2027-05-01", "next check is due on 1 May 2027"), ("2026-05-01", "has been due since 1 May 2026")],
)
def test_when_it_is_due(due, says):
    assert says in checked_when(Meter("Clamp", details=MeterDetails(due=due)), date(2026, 12, 1))


def test_a_page_says_what_it_would_settle_and_opens_it(window, qtbot):
    sample = SAMPLES["discharge"]
    for name in ("Gate block", "Hall block"):
        window.bench.keep_unit(Unit(name, "battery", sample.unit.label_text))
    window.bench.keep_meter(HAND)
    window.bench.keep_meter(Meter("Old one"))
    page = page_of(window, "Hand meter")
    text = seen(page)
    assert "How full is it now?" in text
    assert "Gate block, Hall block" in text
    settles = next(one for one in page.settles if one.enquiry.text.startswith("Does it have the capacity"))
    menu = page.menu_of(settles)
    assert [action.text() for action in menu.actions()] == ["Gate block", "Hall block"]
    menu.actions()[1].trigger()
    assert window.prepare.unit_box.currentText().startswith("Hall block")
    window.go_to(0)
    nothing = seen(page_of(window, "Old one"))
    assert "Nobody said how good it is" in nothing
    assert "can be answered by it alone" in nothing


def test_one_that_is_taken_off_comes_back_by_undo(window, qtbot):
    window.bench.keep_meter(HAND)
    page = page_of(window, "Hand meter")
    click(qtbot, page, "Remove")
    assert window.bench.logbook.meters() == []
    assert window.shelf.findChild(MeterPage) is None
    window.bench.keep_meter(Meter("Another"))
    assert [meter.id for meter in window.bench.logbook.meters()] == [2], "its number is not another's"
    window.bench.undo.undo()
    window.bench.undo.undo()
    assert [meter.name for meter in window.bench.logbook.meters()] == ["Hand meter"]


def test_a_page_follows_what_is_kept(window, qtbot):
    window.bench.keep_meter(HAND)
    page = page_of(window, "Hand meter")
    click(qtbot, page, "Edit")
    form = window.shelf.findChild(MeterForm)
    type_into(qtbot, form.amps, "0.8 % + 10 mA")
    click(qtbot, form, "Keep it")
    assert window.bench.logbook.meters()[0].current_accuracy == "0.8 % + 10 mA"
    assert "0.80 % + 10 mA" in seen(page_of(window, "Hand meter"))


def test_one_whose_manual_is_not_at_hand_is_assumed(window, qtbot):
    click(qtbot, window.shelf, "Add a meter")
    form = window.shelf.findChild(MeterForm)
    assert isinstance(form.like, QComboBox)
    place = next(k for k in range(form.like.count()) if form.like.itemData(k) is USUAL[0])
    form.like.setCurrentIndex(place)
    form.like.activated.emit(place)
    assert (form.name.text(), form.volts.text(), form.amps.text()) == ("Hand meter", USUAL[0].volts, USUAL[0].amps)
    click(qtbot, form, "Keep it")
    kept = window.bench.logbook.meters()[0]
    assert kept.details.assumed == USUAL[0].kind
    assert "assumed" in seen(page_of(window, "Hand meter"))
    window.shelf.start_meter(kept)
    form = window.shelf.findChild(MeterForm)
    assert form.like.currentData() is USUAL[0]
    type_into(qtbot, form.volts, "0.3 % + 10 mV")
    assert form.meter().details.assumed == USUAL[0].kind  # its amperes still are
    type_into(qtbot, form.amps, "1 % + 20 mA")
    click(qtbot, form, "Keep it")
    assert window.bench.logbook.meters()[0].details.assumed == ""


def test_what_was_assumed_is_not_taken_for_the_manuals(window, qtbot):
    click(qtbot, window.shelf, "Add a meter")
    form = window.shelf.findChild(MeterForm)
    for place in (form.like.findText("as a cheap hand meter usually is (assumed)"), 0):
        form.like.setCurrentIndex(place)
        form.like.activated.emit(place)
    assert (form.volts.text(), form.amps.text(), form.meter().details.assumed) == ("", "", "")


def test_what_is_seldom_known_is_behind_more(window, qtbot):
    click(qtbot, window.shelf, "Add a meter")
    form = window.shelf.findChild(MeterForm)
    assert not form.burden.isVisibleTo(form)
    click(qtbot, form, "More …")
    assert form.burden.isVisibleTo(form)
    window.shelf.start_meter(Meter("Clamp", details=MeterDetails(burden_ohm=0.01)))
    form = window.shelf.findChild(MeterForm)
    assert form.burden.isVisibleTo(form), "what is known of it is seen"


def test_what_cannot_be_read_of_an_older_logbook_breaks_nothing(window):
    window.bench.keep_unit(Unit("Gate block", "battery", "12 V 45 Ah lead-acid"))
    window.bench.logbook.keep_meter(Meter("Old", "three digits or so", "1 % + 10 mA"))
    page = page_of(window, "Old")
    assert "Amperes" in seen(page)
    assert "Volts" not in seen(page)


def test_one_that_was_put_right_is_as_its_manual_says_again():
    check = MeterCheck("2026-10-10", "Bench meter", "A", 3.2, 0.03, 0.014, 0.99, 0.0, "0.44 % + 10 mA", adjusted=True)
    found = Meter("Clamp", "", "2 % + 50 mA", details=MeterDetails(checks=(check,)))
    assert "as its manual says" in how_sure(found, NOW)[0].told
