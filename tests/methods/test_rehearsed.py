"""Methods whose instruments are mostly displays, on the simulated bench: a simulated person reads simulated things off and types."""

from __future__ import annotations

import pytest

from tests.window import click
from ubrant.bench.orders import Order
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.head import SIMULATED, Setup
from ubrant.methods.method import LoadRating
from ubrant.methods.registry import entries, method_of
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.runs.kept.shelf_order import newest_of
from ubrant.runs.making.begin import rehearsal_trouble, start
from ubrant.runs.making.benches import BenchChoice
from ubrant.runs.typed.jotting import take_down
from ubrant.ui.window.shell import FINDINGS

DC = Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60, max_a=20)
TWO = Meter("Second meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60, max_a=20)
CLAMP = Meter("Clamp", "0.5 % + 10 mV", "1.5 % + 20 mA", max_v=600, max_a=400)
PLUG = Meter("Plug meter", "0.5 % + 0.5 V", "1 % + 10 mA", max_v=250, max_a=16, details=MeterDetails(power_accuracy="1 % + 0.3 W"))
DISPLAY = Meter("Its display", details=MeterDetails(power_accuracy="3 % + 1 W", tap="source"))
BANK = Unit("Bank", "bank", "24 000 mAh / 88.8 Wh", stand_in={"health": 0.96})
STATION = Unit("Station", "station", "500 Wh 25.6 V, input 11-60 V 10 A 200 W", stand_in={"health": 0.97})
PACK = Unit("Pack", "battery", "12.8 V 20 Ah LiFePO4", stand_in={"soc": 0.6})
MODULE = Unit("Module", "battery", "3.7 V 600 mAh", stand_in={"again_v": 4.0, "charger_a": 0.9, "soc": 0.95})
BRICK = Unit("Brick", "charger", "230 V to 19 V, 65 W")
TABLET = Unit("Tablet", "load", "7.6 Ah 3.85 V", stand_in={"health": 0.97})
NODE = {"charger": CLAMP, "load": DC, "battery": TWO}
CASES = {
    "van": (
        "audit",
        Unit("Van battery", "battery", "12 V 95 Ah lead-acid"),
        {"battery": CLAMP},
        None,
        {"loads": "lights, pump, fridge"},
        "it adds up",
    ),
    "a short load": (
        "short-load",
        Unit("Van battery", "battery", "12 V 95 Ah lead-acid"),
        {"battery": DC},
        None,
        {"amps": "20 A", "lowest": "11 V"},
        "inside",
    ),
    "each outlet group": ("standing", STATION, {"battery": DC}, None, {"on": "AC; 12 V; all off"}, "all off:"),
    "there and back": ("round-trip", STATION, {"input": PLUG, "output": PLUG}, None, {}, "comes back"),
    "cycles of a cell": (
        "round-trip",
        Unit("Cell", "battery", "3.7 V 3.4 Ah"),
        {"input": DC, "output": DC},
        None,
        {"into": "counts Ah, shows volts", "out": "counts Ah, shows volts", "cycles": "2"},
        "of its charge",
    ),
    "on the shelf": ("standing", BANK, {"battery": DC}, None, {}, "a month"),
    "how full": (
        "fullness",
        Unit("Van battery", "battery", "12 V 95 Ah lead-acid"),
        {"battery": DC},
        None,
        {"rested_s": "5 h"},
        "full, between",
    ),
    "fridge": ("plug-day", Unit("Fridge", "load", "230 V, 90 W"), {"input": PLUG}, None, {"conditions": "21 °C"}, "on average"),
    "by the clock": ("endurance", STATION, {}, Unit("Desk", "load", "12 V, 36 W"), {"settings": "as used"}, "so it drew"),
    "desk handed over": (
        "handover",
        Unit("Desk", "load", "12 V, 36 W"),
        {"output": DC},
        None,
        {"sources": "mains, pack, its own"},
        "changes held",
    ),
    "modes on DC": ("appliance", Unit("Lamp", "load", "12 V, 20 W"), {"input": DC}, None, {"modes": "standby, low, high"}, "at its most"),
    "emptied into two": ("emptying", BANK, {}, None, {"devices": "tablet 7.6 Ah 3.85 V; phone 11 Wh"}, "nothing left"),
    "turned down": ("ladder", Unit("Lamp", "load", "12 V, 20 W"), {"input": DC}, None, {}, "goes off at"),
    "along a path": (
        "anything",
        Unit("Step-down", "converter", "12 V to 5 V, 8 A"),
        {"battery": DC, "input": DC, "output": DC},
        None,
        {},
        "lost in it",
    ),
    "bank, 5 V": ("output", BANK, {"output": DC}, None, {}, "of its label, by Wh"),
    "station, mains": ("output", STATION, {"output": PLUG}, None, {"volts": "230 V", "amps": "0.3 A"}, "of its label, by Wh"),
    "bank and tablet": ("recharge", BANK, {}, TABLET, {}, "charges from full"),
    "station and blower": (
        "ways",
        STATION,
        {"source": DISPLAY, "load": PLUG},
        Unit("Blower", "load", "12 V or 230 V, 38 W"),
        {},
        "lasts longer",
    ),
    "pack at a node": ("balance", PACK, NODE, None, {"loads": "0, 1, 2, 4, 7, 4, 2, 1, 0 A"}, "without running down"),
    "backup module": (
        "balance",
        MODULE,
        NODE,
        None,
        {"loads": "0, 0.1, 0.3, 0.6, 1.2, 0.6, 0.3, 0.1, 0 A"},
        "on battery although supplied",
    ),
    "panel": ("source", Unit("Panel", "charger", "60 W panel, 12 V class"), {"source": DC}, None, {"points": "8"}, "with nothing attached"),
    "weak cells": ("source", Unit("Cells", "battery", "8 × 1.2 V 2500 mAh NiMH"), {"source": DC}, None, {}, "with nothing attached"),
    "capacitors": ("capacitor", Unit("Caps", "battery", "10 F 5.4 V"), {"battery": DC}, None, {}, "of its label"),
    "charger walked": ("charger", Unit("Charger", "charger", "14.6 V 4 A"), {"battery": DC}, PACK, {}, "until"),
    "charger on its battery": ("charger", Unit("Charger", "charger", "14.6 V 4 A"), {"battery": DC}, PACK, {"into": "a battery"}, "until"),
    "station's port": ("port", STATION, {"input": DC}, None, {"candidates": "pack 10.8-14.6 V; brick 47-49 V"}, "works"),
    "brick": ("brick", BRICK, {"output": DC}, None, {}, "under load"),
    "clamp": ("meter-check", PACK, {"display": CLAMP, "reference": DC}, None, {"quantity": "amperes"}, "than there is at"),
    "projector": ("appliance", Unit("Projector", "load", "230 V, 52 W"), {"input": PLUG}, None, {}, "Draws"),
    "brick's efficiency": ("external-supply", BRICK, {"input": PLUG, "output": DC}, None, {}, "Average efficiency"),
}


def prepared(key, unit, meters, device, typed):
    method = method_of(key)
    return method, method.prepare(Setup(unit, meters, Leads(0.0), device=device), typed)


def rehearsed(logbook, key, unit, meters, device=None, typed=None):
    """A run by a simulated person from its begin to its end; its number and account."""
    method, made = prepared(key, unit, meters, device, typed or {})
    run, session = start(logbook, method, made, BenchChoice(unattended=True))
    while session.running:
        session.keep_up()
    record = logbook.kept(logbook.run(run.id)).record()
    return record, account_of_stored(record)


def offered():
    return {name for name, case in CASES.items() if case[0] in {e.key for e in entries()}}


@pytest.mark.parametrize("name", sorted(offered()))
def test_a_simulated_person_comes_to_an_answer(logbook, name):
    key, unit, meters, device, typed, words = CASES[name]
    record, account = rehearsed(logbook, key, unit, meters, device, typed)
    assert account.trouble == ""
    assert words in account.sentence
    assert record.head.origin.road == SIMULATED
    assert record.is_typed
    assert len(record.lines) >= (1 if key == "fullness" else 2)


def test_every_method_by_eye_has_one():
    assert {e.key for e in entries() if e.method.by_eye} == {CASES[name][0] for name in offered()}


def test_the_same_run_reads_the_same(logbook):
    method, made = prepared("output", BANK, {"output": DC}, None, {})
    lines = []
    for _ in range(2):
        _, session = start(logbook, method, made, BenchChoice(unattended=True))
        session.keep_up(40)
        lines.append([row.line for _, row in session.live.jots()])
    assert len(lines[0]) == len(lines[1])
    assert lines[0] != lines[1], "another run, another meter within its limits"


@pytest.mark.parametrize("health", [0.8, 1.0])
def test_a_bank_by_its_meter_and_by_percent_alone_agree(logbook, health):
    """Out of it by meter; and by what its percent says that a known recharge took: within their ±."""
    bank = Unit("Bank", "bank", "24 000 mAh / 88.8 Wh", stand_in={"health": health})
    out = rehearsed(logbook, "output", bank, {"output": DC})[1].findings
    found = rehearsed(logbook, "recharge", bank, {}, TABLET, {"usable": f"{out['energy_out'].value} Wh", "usable_u": "1 Wh"})[1].findings
    by_percent, stored = found["recharge_energy"], found["stored_energy"]
    by_meter = out["energy_per_point"].value * found["source_points"].value
    assert abs(by_percent.value - by_meter) < by_percent.expanded_uncertainty + found["source_points"].expanded_uncertainty
    assert by_percent.value > stored.value, "more leaves the bank than arrives"


def test_a_display_that_is_blind_is_told_by_its_percent(logbook):
    light = Unit("Exit light", "load", "12 V, 3 W")
    station = Unit("Station", "station", "500 Wh 25.6 V", stand_in={"blind_w": 18.0, "health": 0.97})
    typed = {"ways": "mains socket, 12 V socket"}
    record, account = rehearsed(logbook, "ways", station, {"source": DISPLAY, "load": PLUG}, light, typed)
    assert all(" W" not in line.text for line in (e.jotting for e in record.lines))
    first, second = (account.findings[f"runtime_from_full_{k}"] for k in (1, 2))
    assert second.value > first.value
    assert record.lines[-1].time_s > 24 * 3600, "most of a day each"


def test_a_label_that_says_too_little_is_said_before(logbook):
    method, made = prepared("output", Unit("Bank", "bank", "a red one"), {"output": DC}, None, {})
    assert "On the simulated bench it is made after its label." in rehearsal_trouble(method, made, BenchChoice())


def test_a_label_without_amperes_and_a_capacitor_without_a_load(logbook):
    method, made = prepared("brick", Unit("Brick", "charger", "230 V to 19 V, 0 A"), {"output": DC}, None, {})
    assert "no amperes" in rehearsal_trouble(method, made, BenchChoice())
    method, made = prepared("capacitor", CASES["capacitors"][1], {"battery": DC}, None, {"amps": "0 A"})
    assert any(p.refused and "over 0 A" in p.text for p in method.problems(made, LoadRating()))


def test_without_a_device_it_is_refused_and_nothing_breaks(window):
    """A recharge with nothing on the shelf that could be charged: one sentence, on whatever bench."""
    unit = window.bench.keep_unit(BANK)
    window.bench.test_wanted.emit(unit.id)
    form = window.prepare.form
    form.choose_method("recharge")
    for place in range(form.bench.count()):
        form.bench.setCurrentIndex(place)
        window.prepare.look()
        assert any("Put the device on the shelf first" in p for p in window.prepare.problems())
        assert not window.prepare.start_button.isEnabled()


def test_a_real_person_may_type_beside_it(logbook):
    method, made = prepared("source", CASES["weak cells"][1], {"source": DC}, None, {})
    run, session = start(logbook, method, made, BenchChoice())
    assert session.progress.phase == "asking"
    session.keep_up()
    assert session.live.jots() == [], "nothing before what is asked is done"
    session.order(Order.DONE)
    session.keep_up(2)
    take_down(logbook, run, Grammar().parse("9.9 V 1.0 A by hand"), session.clock.now_s(), session)
    while session.running:
        session.keep_up()
    assert any("by hand" in row.line for _, row in session.live.jots())


DOCK = Unit("Tablet's dock", "load", "12 V or 230 V, 8 W")
WEAK = Unit("Station", "station", "500 Wh 25.6 V", stand_in={"blind_w": 18.0, "health": 0.97})
SEEN = {
    "bank, 5 V": CASES["bank, 5 V"],
    "bank and tablet": CASES["bank and tablet"],
    "backup module": CASES["backup module"],
    "charger walked": CASES["charger walked"],
    "dock in two ways": ("ways", STATION, {}, DOCK, {"ways": "mains socket, 12 V socket"}, "12 V socket: "),
    "weak light over days": ("ways", WEAK, {}, Unit("Light", "load", "12 V, 3 W"), {"ways": "mains socket, 12 V socket"}, "from full"),
}


@pytest.mark.parametrize("name", [n for n, case in SEEN.items() if case[0] in {e.key for e in entries()}])
def test_through_the_window(bench_window, qtbot, name):
    """From the shelf to what was found, on the simulated bench, by keys and clicks."""
    key, unit, _, device, typed, words = SEEN[name]
    window = bench_window
    kept = window.bench.keep_unit(unit)
    fed = window.bench.keep_unit(device) if device is not None else None
    window.bench.test_wanted.emit(kept.id)
    form = window.prepare.form
    form.choose_method(key)
    if fed is not None:
        form.device.setCurrentIndex(form.device.findData(fed.id))
    for field, text in typed.items():
        form.fields[field].setText(text)
    form.bench.setCurrentIndex(form.bench.count() - 1)
    window.prepare.look()
    assert window.prepare.start_button.isEnabled(), window.prepare.problems()
    click(qtbot, window.prepare, "Start the run")
    window.run.tick()
    while window.bench.session.progress.phase == "asking":
        click(qtbot, window.run, "Done, go on")
        window.run.tick()
    for _ in range(400):
        if window.bench.session is None or not window.bench.session.running:
            break
        window.bench.session._paced.skip_to(window.bench.session.clock.now_s() + 3600.0)
        window.run.tick()
    window.run.tick()
    assert window.stage() == FINDINGS
    assert words in window.findings.account.sentence
    assert newest_of(window.bench.logbook, kept.id).head.origin.road == SIMULATED
