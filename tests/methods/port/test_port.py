"""An input port: its law learned from points, what each source would give, what is too high or too low; slips."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.making import prepared, problems, record_for
from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.sources.port import CURRENT, NEITHER, POWER, PortLabel, PortSource, analyse_port, read_candidates, read_port, would_give
from ubrant.methods.registry import method_of
from ubrant.ui.shelf.feeds_dialog import FeedsDialog

V, A = Accuracy(0.005, 0.01, "V"), Accuracy(0.01, 0.02, "A")
LABEL = PortLabel((11.0, 60.0), 13.0, 300.0)


def port(rows, label=LABEL, voltage=V, current=A):
    volts, amps = (np.array(column, float) for column in zip(*rows, strict=True))
    return analyse_port(volts, amps, [""] * len(volts), voltage, current, {}, label)


def test_the_same_amperes_at_two_voltages_are_a_current_limit_the_same_watts_a_power_limit():
    found = port([(12.4, 8.90), (14.2, 8.90), (25.0, 8.0), (28.8, 200 / 28.8)])
    assert found.findings["current_limit"].value == pytest.approx(8.90)
    assert found.findings["power_limit"].value == pytest.approx(200.0)
    assert found.findings["crossover"].value == pytest.approx(200 / 8.9)
    assert found.states == (CURRENT, CURRENT, POWER, POWER)
    gain = math.hypot(0.01 * 8.9, 0.02)
    assert found.findings["current_limit"].standard_uncertainty == pytest.approx(gain / math.sqrt(3))


def test_between_them_nothing_is_settled():
    found = port([(12.4, 8.90), (14.2, 8.90), (20.0, 5.0)])
    assert found.states[-1] == NEITHER
    assert "neither limit holds" in found.warnings[0]
    found = port([(12.4, 8.0), (12.6, 8.0)])
    assert "No limit has shown itself" in found.warnings[0]
    assert "current_limit" not in found.findings


def test_under_its_window_nothing_is_not_a_limit_that_fails_to_hold():
    found = port([(9.5, 0.0), (12.4, 8.90), (14.2, 8.90)])
    assert not any("neither limit holds" in line for line in found.warnings)
    assert any("under its window" in line for line in found.warnings)


def test_twelve_twenty_four_and_forty_eight_volts_into_a_port_of_thirteen_amperes():
    """At most P = min(V × I, P): common practice, no source. 12 V class is held by amperes, 48 V class by watts."""
    for candidate, watts in (
        (PortSource("12", 11.5, 14.6), (149.5, 189.8)),
        (PortSource("24", 23.0, 29.0), (299.0, 300.0)),
        (PortSource("48", 46.0, 58.0), (300.0, 300.0)),
    ):
        word, gives = would_give(candidate, LABEL, 13.0, 300.0)
        assert word == "works"
        assert gives == pytest.approx(watts)


@pytest.mark.parametrize(
    ("span", "words"),
    [
        ((60.0, 72.0), "too high: never plug it in"),
        ((3.0, 5.0), "too low: needs a step-up"),
        ((10.0, 14.6), "stops as it falls"),
        ((50.0, 60.0), "works"),
    ],
)
def test_it_is_judged_on_the_highest_and_the_lowest_loaded_voltage(span, words):
    assert words in would_give(PortSource("x", *span), LABEL, 13.0, 300.0)[0]


def test_over_the_window_is_refused_as_a_plan_and_a_red_remark_in_a_record():
    station = Unit("Station", "station", "500 Wh, input 11-60 V 13 A 300 W")
    made = prepared("port", station, candidates="panels 40-72 V")
    assert any(refused and "over the 60 V of the port" in text for refused, text in problems("port", made))
    found = port([(62.0, 4.0), (30.0, 8.0)])
    assert any("62.00 V are 2.0 ± 0.37 V over its window of 60 V" in text for text in found.warnings)
    assert found.findings["port_power_1"].value == pytest.approx(248.0)


def test_without_a_window_nothing_is_planned():
    assert any(
        refused and "Write the window" in text for refused, text in problems("port", prepared("port", Unit("Station", "station", "500 Wh")))
    )


@pytest.mark.parametrize(
    ("text", "label"),
    [
        ("500 Wh, input 12-60 V 10 A 200 W, output 230 V 600 W", PortLabel((12.0, 60.0), 10.0, 200.0)),
        ("solar 11–30 V, 8 A", PortLabel((11.0, 30.0), 8.0, None)),
        ("500 Wh", PortLabel()),
    ],
)
def test_what_is_printed(text, label):
    assert read_port(text) == label


def test_a_source_without_its_span_is_asked_for_it():
    assert read_candidates("pack 10.8-14.6 V; panel 16 to 24 V")[1] == PortSource("panel", 16.0, 24.0)
    with pytest.raises(QuantityError, match="no span of volts"):
        read_candidates("pack 12 V")


def test_what_cannot_be_is_refused(tmp_path):
    with pytest.raises(ReadingsError, match="flows out of the port"):
        port([(12.0, -3.0), (14.0, -3.0)])
    path = tmp_path / "port.jot"
    path.write_text("method: port\nunit: Station\nkind: station\nlabel: 500 Wh\n\n@10:00 input 12.4 V\n")
    done = ubrant("analyse", str(path))
    assert "No point was taken yet" in done.stdout + done.stderr


def test_a_table(tmp_path):
    path = tmp_path / "port.csv"
    path.write_text("Voltage (V),Current (A)\n12.4,8.9\n14.2,8.9\n25,8\n28.8,6.9444\n")
    found = said(str(path), "--method", "port", "--voltage-accuracy", "0.5 %", "--current-accuracy", "1 %")["findings"]
    assert found["current_limit"]["value"] == pytest.approx(8.9)
    assert found["power_limit"]["value"] == pytest.approx(200.0, rel=1e-3)


def test_the_truth_is_inside(share):
    """300 ports by meters of their own; generator apart from the sums."""

    def draw(rng):
        limit_a, limit_w = rng.uniform(3, 15), rng.uniform(80, 600)
        cross = limit_w / limit_a
        volts = np.array([0.55 * cross, 0.8 * cross, 1.3 * cross, 1.8 * cross])
        amps = np.minimum(limit_a, limit_w / volts)
        of_v = Accuracy(rng.uniform(0.001, 0.006), 0.005, "V")
        of_a = Accuracy(rng.uniform(0.002, 0.02), 0.001 * limit_a, "A")
        read = [c * (1 + rng.uniform(-1, 1) * one.gain) + rng.uniform(-1, 1) * one.zero for c, one in ((volts, of_v), (amps, of_a))]
        found = analyse_port(*read, [""] * 4, of_v, of_a, {}, PortLabel()).findings
        return {
            "current": (found["current_limit"].value - limit_a, found["current_limit"]),
            "power": (found["power_limit"].value - limit_w, found["power_limit"]),
        }

    trial("port", draw, share)


def test_through_the_window(bench_window, qtbot):
    window = bench_window
    prepare(
        window,
        Unit("Hall station", "station", "500 Wh 25.6 V, input 11-60 V 13 A 300 W"),
        "port",
        candidates="pack 11-14.6 V; pair 22-29.2 V",
    )
    begin(window, qtbot)
    assert [row.short for row in window.bench.session.hand.rows] == ["pack", "pair"]
    for text in ("input 12.4 V 8.90 A", "input 28.8 V 7.00 A", "input 14.2 V 8.90 A", "input 25.0 V 8.06 A"):
        say_line(window, qtbot, text)
    account = close(window, qtbot)
    assert account.findings["current_limit"].value == pytest.approx(8.9)
    assert "pack: works" in account.sentence
    assert account.findings["candidate_1"].value == pytest.approx(11 * 8.9)


def test_what_feeds_what_of_the_shelf(bench_window, qtbot):
    """Twelve-volt class works, twice of it in a row is too high for a narrow port and one too low for a high one; the window is a caution."""
    logbook = bench_window.bench.logbook
    for name, kind, label in (
        ("Low pack", "battery", "20 Ah 12.8 V LiFePO4"),
        ("High pack", "battery", "20 Ah 51.2 V LiFePO4"),
        ("Wide station", "station", "500 Wh, input 11-60 V 10 A 200 W"),
        ("No port", "station", "500 Wh, 12-14 V output"),
        ("Lead pack", "battery", "7 Ah 12 V lead-acid"),
        ("High station", "station", "900 Wh, input 30-60 V 8 A 400 W"),
    ):
        logbook.keep_unit(Unit(name, kind, label))
    dialog = FeedsDialog(logbook, bench_window)
    rows = [dialog.table.verticalHeaderItem(k).text().partition("\n")[0] for k in range(dialog.table.rowCount())]
    columns = [dialog.table.horizontalHeaderItem(k).text().partition("\n")[0] for k in range(dialog.table.columnCount())]

    def cell(feeder: str, port: str) -> str:
        return dialog.table.item(rows.index(feeder), columns.index(port)).text()

    assert cell("Low pack", "Wide station") == "works: 110 to 146 W, for 2 h"
    assert cell("High pack", "Wide station").startswith("works: 200 W")
    assert cell("Low pack", "High station") == "too low: needs a step-up, or 3 like it in series"
    assert cell("High pack", "High station").startswith("works: 352 to 400 W")
    assert "above its voltage window" in dialog.sentence.text()
    assert cell("Lead pack", "Wide station") == "works while it is high, and stops as it falls: up to 150 W"
    assert "No port" not in columns
    at = dialog.table.item(rows.index("Low pack"), columns.index("Wide station")).toolTip()
    assert "756 Wh in all" in at  # its own and what is added


def test_what_was_read_with_a_source_is_not_foretold_otherwise_by_the_label():
    """A pack that gave 110 W was said to give 143 to 190 W in the same ledger, by the amperes on the label."""
    station = Unit("Hall station", "station", "500 Wh 25.6 V, input 11-60 V 13 A 300 W")
    made = prepared("port", station, candidates="pack 11-14.6 V; pair 22-29.2 V")
    found = method_of("port").account(record_for("port", made, lines={0.0: "input 12.4 V 8.90 A pack"})).findings
    assert found["candidate_1"].value == pytest.approx(12.4 * 8.9)
    assert found["fills_1"].value == pytest.approx(3600 * 500 / (12.4 * 8.9))
    assert found["candidate_2"].value == pytest.approx(22 * 13)
    limited = method_of("port").account(record_for("port", made, lines={0.0: "input 12.4 V 8.90 A pack", 60.0: "input 14.2 V 7.77 A"}))
    assert limited.findings["power_limit"].value == pytest.approx(110.3, abs=0.1)
    assert limited.findings["candidate_1"].value == pytest.approx(110.3, abs=0.1)
    assert "as it was read" not in limited.findings["candidate_1"].working
