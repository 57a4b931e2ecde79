"""Is your meter good enough for this? What is foretold of the ± is what comes of the run."""

from __future__ import annotations

import pytest

from tests.making import prepared, record_for
from tests.methods.samples import SAMPLES
from tests.window import click, keep_discharge, needs
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import entries, method_of
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.making.meter_fit import HARDLY, ROUGHLY, YES, foretold_account, meter_fit

PACK, HUT = Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"), Unit("Hut", "inverter", "12 V to 230 V, 300 W")
CLAMP = Meter("Clamp", "0.5 % + 20 mV", "2 % + 0.1 A")
KEYS = sorted(entry.key for entry in entries() if entry.key in SAMPLES)


def fit(key: str, unit: Unit, meter: Meter):
    return meter_fit(method_of(key), prepared(key, unit, (meter, meter)))


def share(finding) -> float:
    return finding.expanded_uncertainty / abs(finding.value)


def test_a_clamp_hardly_tells_what_an_inverter_burns():
    needs("idle")
    told = fit("idle", HUT, CLAMP)
    assert told.word == HARDLY
    assert told.sentence.startswith("Your meters hardly tell it: Idle draw about ± ")
    assert "Most of it is the zero of Clamp's amperes." in told.sentence
    assert "five times" in told.sentence
    tiny = fit("idle", Unit("Tiny", "converter", "12 V to 5 V, 3 A"), CLAMP)
    assert tiny.word == HARDLY
    assert tiny.sentence.startswith("Your meters cannot tell it: Idle draw would be less than they may be off.")


def test_five_turns_make_the_same_clamp_tell_it_five_times_as_well():
    """Its zero counts a fifth."""
    needs("idle")
    once, turned = (
        foretold_account(method_of("idle"), prepared("idle", HUT, (meter, meter)))
        for meter in (CLAMP, Meter("Clamp", "0.5 % + 20 mV", "2 % + 0.02 A"))
    )
    ratio = share(once.findings["idle_power"]) / share(turned.findings["idle_power"])
    assert 3 < ratio < 5
    assert fit("idle", HUT, Meter("Clamp", "0.5 % + 20 mV", "2 % + 0.02 A")).word == ROUGHLY
    assert fit("idle", HUT, Meter("Bench", "0.05 % + 5 mV", "0.2 % + 1 mA")).word == YES


def test_what_was_foretold_of_a_discharge_is_what_comes_of_it(logbook):
    needs("discharge")
    meter = Meter("Bench meter", "0.1 % + 3 mV", "0.5 % + 5 mA")
    run = keep_discharge(logbook, logbook.keep_unit(PACK))
    found = account_of(logbook, run)[1].findings["charge"]
    foretold = foretold_account(method_of("discharge"), prepared("discharge", PACK, (meter, meter))).findings["charge"]
    assert share(foretold) == pytest.approx(share(found), rel=0.25)
    assert foretold.value == pytest.approx(50, rel=0.06)
    assert fit("discharge", PACK, meter).word == YES
    assert fit("discharge", PACK, Meter("Old", "1 %", "5 %")).sentence == (
        "Your meters tell it roughly: Charge delivered about ± 5.8 %. Most of it is the gain of Old's amperes. A check of it against a better one makes it less."
    )


def test_of_an_idle_draw_too(logbook):
    needs("idle")
    made = prepared("idle", HUT, (CLAMP, CLAMP))
    typed = record_for("idle", made, lines={0.0: "input 12.80 V 0.000 A", 60.0: "input 12.80 V 0.250 A", 120.0: "input 12.80 V 0.250 A"})
    found = method_of("idle").account(typed).findings["idle_power"]
    assert share(foretold_account(method_of("idle"), made).findings["idle_power"]) == pytest.approx(share(found), rel=0.25)


@pytest.mark.parametrize("key", KEYS)
def test_every_method_foretells_or_keeps_still(key):
    """No method falls over its own label; without an accuracy nothing is said to be good."""
    sample = SAMPLES[key]
    told = meter_fit(method_of(key), sample.prepared(key, by_hand=True))
    assert told is None or told.sentence.endswith(".")
    bare = prepared(key, sample.unit, (Meter("One"), Meter("Two")), sample.battery, device=sample.device, **sample.typed)
    told = meter_fit(method_of(key), bare)
    assert told is None or told.word != YES


def test_what_no_meter_can_tell_is_not_laid_at_the_meters():
    """A chart of resting volts is that wide, whatever reads them."""
    needs("fullness")
    bench = Meter("Bench", "0.01 %", "0.01 %")
    told = meter_fit(
        method_of("fullness"), prepared("fullness", Unit("Van", "battery", "12 V 82 Ah lead-acid"), (bench, bench), rested_s="5 h")
    )
    assert told.sentence.startswith("Charge left about ± ")
    assert "whatever the meters are" in told.sentence


def test_prepare_says_it_above_the_button_and_keeps_its_room(window, qtbot):
    needs("idle")
    book = window.bench.logbook
    for meter in (Meter("Clamp", "0.5 % + 20 mV", "2 % + 0.1 A"), Meter("Bench", "0.05 % + 5 mV", "0.2 % + 1 mA"), Meter("Old")):
        book.keep_meter(meter)
    unit = window.bench.keep_unit(HUT)
    window.bench.measure_wanted.emit(unit.id, "idle")
    stage = window.prepare
    qtbot.waitUntil(lambda: stage.fit.text().startswith("Your meters hardly tell it"), timeout=10_000)
    place = stage.start_button.mapTo(stage, stage.start_button.rect().topLeft())
    for name, begin in (("Bench", "Your meters are good enough: Idle draw"), ("Old", "")):
        box = stage.form.meters["input"]
        box.setCurrentIndex(box.findText(name))
        stage.look()
        qtbot.waitUntil(lambda begin=begin: stage.fit.text().startswith(begin) and bool(begin) == bool(stage.fit.text()), timeout=10_000)
        assert stage.start_button.mapTo(stage, stage.start_button.rect().topLeft()) == place
    click(qtbot, stage, "Start the run")
