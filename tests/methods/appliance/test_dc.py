"""Modes on DC: watts from volts and amperes, the law over the volts, where it gives up, amperes alone, a limiter."""

from __future__ import annotations

import pytest

from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.core.loads.dc_modes import Reading, dc_findings
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.quantities.stand_in import stand_in
from ubrant.core.record.head import Setup
from ubrant.methods.registry import method_of
from ubrant.ui.shelf.feeds_dialog import HoursDialog

V, A = Accuracy(0.005, 0.01, "V"), Accuracy(0.01, 0.005, "A")


@pytest.mark.parametrize(("power", "says"), [(0, "constant power"), (1, "constant current"), (2, "a resistance"), (3.2, "neither")])
def test_how_it_follows_its_volts(power, says):
    """P ∝ V to the power of 0, 1 or 2: physics."""
    rows = [Reading("on", v, 20 * (v / 12) ** power / v) for v in (10.0, 12.0, 14.0)]
    found, said = dc_findings(rows, V, A, None)
    assert found["law_1"].value == pytest.approx(power, abs=1e-6)
    assert says in said[0]
    assert "law_1" not in dc_findings(rows[1:2], V, A, None)[0]
    assert "law_1" not in dc_findings([Reading("on", v, 1.0) for v in (12.0, 12.5)], V, A, None)[0]


def test_where_it_gives_up_is_bracketed():
    found, _ = dc_findings([Reading("on", 12.0, 1.0), Reading("on", 10.0, 1.2), Reading("on", 9.0, None, works=False)], V, A, None)
    assert found["gives_up_1"].value == pytest.approx(9.5)
    assert found["gives_up_1"].standard_uncertainty == pytest.approx(0.5 / 3**0.5)


def test_amperes_alone_take_the_volts_of_the_system_with_their_doubt():
    found, said = dc_findings([Reading("on", None, 2.0, half_a=0.05)], V, A, stand_in(12.0))
    assert found["power_1"].value == pytest.approx(26.0)
    assert found["power_1"].standard_uncertainty > 1.5 * 2 / 3**0.5
    assert "12 V stand in" in said[-1]
    other, _ = dc_findings([Reading("on", 12.4, 2.0), Reading("low", None, 1.0)], V, A, None)
    assert other["power_2"].value == pytest.approx(12.4)
    with pytest.raises(ReadingsError, match="need the volts"):
        dc_findings([Reading("on", None, 2.0)], V, A, None)
    with pytest.raises(ReadingsError, match="No mode has amperes"):
        dc_findings([Reading("on", 12.0, None)], V, A, None)


def test_standby_a_limiter_a_turned_clamp():
    """40 mA at 5 V is 4.8 Wh a day: common practice, no source."""
    off, _ = dc_findings([Reading("off", 5.0, 0.040)], V, A, None)
    assert off["standby_day"].value == pytest.approx(4.8)
    _, said = dc_findings([Reading(n, 12.0, 2.0) for n in ("low", "middle", "high")], V, A, None)
    assert "something limits it" in said[0]
    found, said = dc_findings([Reading("on", 12.0, -2.0)], V, A, None)
    assert (found["power_1"].value, "other way round" in said[0]) == (24.0, True)


def test_watts_on_dc_lie_inside_their_uncertainty(share):
    def draw(rng):
        volts, amps = rng.uniform(9, 15), rng.uniform(0.05, 8)
        shown_v = round(volts * (1 + rng.uniform(-0.005, 0.005)) + rng.uniform(-0.01, 0.01), 2)
        shown_a = round(amps * (1 + rng.uniform(-0.01, 0.01)) + rng.uniform(-0.005, 0.005), 3)
        found, _ = dc_findings([Reading("on", shown_v, shown_a, 0.005, 0.0005)], V, A, None)
        return {"watts": (found["power_1"].value - volts * amps, found["power_1"])}

    trial("watts on DC", draw, share)


@pytest.mark.parametrize(("label", "fed"), [("12 V, 20 W", "dc"), ("230 V, 52 W", "ac"), ("5 V 2 A", "dc"), ("", "ac")])
def test_a_label_says_what_it_is_fed_with(label, fed):
    method = method_of("appliance")
    setup = Setup(Unit("x", "load", label), {})
    assert method.prepare(setup, {f.key: f.text for f in method.form(setup)} if False else {}).plan.fed == fed


def test_the_modes_of_a_load_against_the_batteries_of_the_shelf(bench_window, qtbot):
    """20 W at its most on 240 Wh by its label: 12 h, from 65 % of it on; and of its nameplate."""
    window = bench_window
    window.bench.keep_unit(Unit("Small block", "battery", "20 Ah 12 V lead-acid"))
    prepare(window, Unit("Lamp", "load", "12 V, 25 W"), "appliance", modes="low, high")
    begin(window, qtbot)
    for line in ("12.50 V 0.80 A low", "12.50 V 1.60 A high"):
        say_line(window, qtbot, line)
    account = close(window, qtbot)
    assert account.findings["of_nameplate"].value == pytest.approx(80.0)
    unit = next(u for u in window.bench.logbook.units() if u.name == "Lamp")
    dialog = HoursDialog(window.bench.logbook, unit, window)
    place = [dialog.table.verticalHeaderItem(k).text() for k in range(dialog.table.rowCount())].index("Small block")
    assert dialog.table.horizontalHeaderItem(1).text().startswith("high\n20.0")
    assert dialog.table.item(place, 1).text().startswith("12 h (7 h 5")
    other = HoursDialog(window.bench.logbook, window.bench.logbook.units()[0], window)
    assert "Measure its modes first" in other.sentence.text()
