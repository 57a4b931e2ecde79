"""What a person reads off a display is corrected as the meter was judged, like what an instrument says."""

from __future__ import annotations

import pytest

from tests.making import HUT, PACK
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.head import BY_HAND, Origin, RunHeader, Setup
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import Record, record_of
from ubrant.methods.registry import method_of

READS_LOW = Meter("Display", "0.1 % + 5 mV", "0.5 % + 5 mA", id=1, details=MeterDetails(gain_a=1.05, zero_a=0.1, zero_v=0.02))


def record(key: str, unit: Unit, tap: str, meter: Meter, *lines: tuple[float, str]) -> Record:
    entries = [TimedLine(t, Grammar().parse(line)) for t, line in lines]
    return record_of(RunHeader(key, Setup(unit, {tap: meter}), origin=Origin(BY_HAND)), {}, (), entries)


@pytest.mark.parametrize("named", ["", "battery ", "source ", "dc "])
def test_a_judged_display_is_corrected_by_any_name_of_its_place(named):
    kept = record("discharge", PACK, "battery", READS_LOW, (0.0, f"{named}12.82 V 4.10 A"))
    tap = named.strip() or "battery"
    assert kept.typed.at(tap, "V").value == pytest.approx([12.80])
    assert kept.typed.at(tap, "A").value == pytest.approx([4.2])
    assert kept.typed.half[(tap, "A")] == pytest.approx([0.005 * 1.05])


def test_a_clamp_marked_as_reversed_is_turned():
    turned = Meter("Clamp", "0.5 % + 10 mV", "1 % + 20 mA", details=MeterDetails(reversed=True))
    lines = ((0.0, "load on 12.80 V -4.0 A"), (3600.0, "12.70 V -4.0 A"), (7200.0, "12.6 V -4.0 A"))
    account = method_of("discharge").account(record("discharge", PACK, "battery", turned, *lines))
    assert account.findings["charge"].value == pytest.approx(8.0)
    assert not any("other way round" in w for w in account.warnings)


def test_an_idle_draw_by_a_judged_display():
    lines = ((0.0, "skip"), (10.0, "input 12.82 V 0.50 A"))
    account = method_of("idle").account(record("idle", HUT, "input", READS_LOW, *lines))
    assert account.findings["idle_power"].value == pytest.approx(12.80 * 0.4 * 1.05)


def test_a_zero_written_without_decimals_is_as_fine_as_the_rest():
    """*0 A* for nothing attached is no reading from −0.5 to 0.5 A."""
    lines = (
        (0.0, "12.00 V 0.031 A output 5.08 V 0 A"),
        (60.0, "12.00 V 0.262 A output 5.06 V 0.50 A"),
        (120.0, "12.00 V 0.929 A output 5.00 V 2.00 A"),
    )
    made = record("sweep", Unit("Step-down", "converter", "12 V to 5 V, 3 A"), "input", Meter("One", "0.5 % + 10 mV", "1 % + 2 mA"), *lines)
    assert made.typed.half[("output", "A")] == pytest.approx([0.005, 0.005, 0.005])
    idle = method_of("sweep").account(made).findings["idle_power"]
    assert idle.value == pytest.approx(0.372)
    assert idle.expanded_uncertainty < 0.1
