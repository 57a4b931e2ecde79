"""A device recharged from a bank: by percent displays alone, by a counter, from any percent to any, several in a row; slips."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.trials import trial
from tests.window import begin, close, prepare, say_line, typed_row
from ubrant.core.battery.device_charge import DeviceRecharge, may_fly, other_device, recharge_findings
from ubrant.core.battery.label_doubt import held_by_label, in_quarters, measured
from ubrant.core.battery.percent import PercentChange, change_between, points_finding, too_small
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.readings import Series

NOTES = """unit bank: 24000 mAh 3.7 V
unit tablet: 7.6 Ah 3.85 V
method recharge: bank -> tablet

@09:40 bank 97 %
@09:40 tablet empty
@12:25 bank 54 %
@12:25 tablet full
"""
EMPTY_TO_FULL = PercentChange(0.0, 100.0, 0.0, 0.0, 0.0, 7200.0)


def fell(start: float, end: float, stood_s: float = 0.0) -> PercentChange:
    return PercentChange(start, end, 0.5, 0.5, 0.0, 7200.0, stood_s)


def notes(folder, text: str = NOTES) -> str:
    path = folder / "recharge.jot"
    path.write_text(text, "utf-8")
    return str(path)


@pytest.mark.parametrize(("points", "share"), [(28, 17.7), (90, 5.5)])
def test_points_are_known_to_so_much_of_themselves(points, share):
    """Common practice, no source: ± 3 points and half a point at each end, rectangular, k = 2."""
    found = points_finding("p", "P", fell(95.0, 95.0 - points))
    assert 100 * found.expanded_uncertainty / points == pytest.approx(share, abs=0.05)


@pytest.mark.parametrize(("points", "share"), [(28, 2.9), (3, 27)])
def test_by_coarseness_alone(points, share):
    """Common practice, no source."""
    assert 100 * fell(90.0, 90.0 - points).coarse_u / points == pytest.approx(share, rel=0.02)


def test_a_known_end_has_no_term():
    full = PercentChange(100.0, 60.0, 0.0, 0.5, 0.0, 7200.0)
    assert points_finding("p", "P", full).expanded_uncertainty == pytest.approx(2 * math.hypot(0.5, 3.0) / math.sqrt(3))
    assert points_finding("p", "P", EMPTY_TO_FULL).expanded_uncertainty == 0


def test_a_tool_pack_through_inverter_and_charger():
    """Common practice, no source: 28 points at 5.18 Wh a point are 145 Wh for a 108 Wh pack, 74 %."""
    found, _ = recharge_findings(
        [DeviceRecharge(fell(80.0, 52.0), EMPTY_TO_FULL)], measured(518.0, 20.0), measured(108.0, 2.0, "of the pack")
    )
    assert found["recharge_energy"].value == pytest.approx(145.0, abs=0.1)
    assert found["chain_efficiency"].value == pytest.approx(74.5, abs=0.1)
    energy = found["recharge_energy"]
    relative = math.hypot(points_finding("p", "P", fell(80.0, 52.0)).expanded_uncertainty / 28, 20.0 / 518)
    assert energy.expanded_uncertainty / energy.value == pytest.approx(relative)
    both = math.hypot(relative, 2.0 / 108)
    assert found["chain_efficiency"].expanded_uncertainty / found["chain_efficiency"].value == pytest.approx(both)


def test_the_labels_doubt_is_on_one_side_and_cancels_in_charges():
    found, _ = recharge_findings([DeviceRecharge(fell(97.0, 54.0), EMPTY_TO_FULL)], held_by_label(88.8), held_by_label(29.26))
    energy, charges, share = (found[key] for key in ("recharge_energy", "charges_from_full", "chain_efficiency"))
    assert energy.value == pytest.approx(0.43 * 88.8)
    assert energy.sides == pytest.approx((0.35 * energy.value, 0.0))
    low, high = energy.span
    assert low == pytest.approx(energy.value - math.hypot(0.35 * energy.value, energy.expanded_uncertainty))
    assert high == pytest.approx(energy.value + energy.expanded_uncertainty)
    assert charges.value == pytest.approx(100 / 43)
    assert charges.sides == (0.0, 0.0)
    assert share.span[1] <= 100.0 + 1e-9
    assert share.span[0] < 0.66 * share.value
    assert energy.with_uncertainty() == "38.2 Wh (24 to 43)"


def test_from_any_percent_to_any_and_several_in_a_row():
    part = PercentChange(20.0, 80.0, 0.5, 0.5, 0.0, 3600.0)
    found, _ = recharge_findings(
        [DeviceRecharge(fell(90.0, 70.0), part), DeviceRecharge(fell(70.0, 40.0), EMPTY_TO_FULL)], held_by_label(100.0), held_by_label(30.0)
    )
    assert found["charges_from_full"].value == pytest.approx(60 / 20)
    assert found["charges_from_full_2"].value == pytest.approx(100 / 30)
    assert found["stored_energy"].value == pytest.approx(18.0)
    assert found["stored_energy"].contributions
    assert found["taken_energy"].value == pytest.approx(20.0)
    assert found["recharge_energy"].value == pytest.approx(20 / 0.6), "of a whole one, so that charges times it is what the source holds"
    assert found["recharge_energy_2"].value == pytest.approx(30.0)
    little, _ = recharge_findings(
        [DeviceRecharge(fell(60.0, 57.0), PercentChange(95.0, 100.0, 0.5, 0.0, 0.0, 3600.0))], held_by_label(100.0), None
    )
    assert "recharge_energy" not in little, "five points say nothing of a whole one"
    assert little["taken_energy"].bound == "at most"


def test_a_display_that_stands_at_its_top_hides_energy():
    """An hour at 100 %, then 20 points in 3 h: as much again in that hour as in each of the others, at most."""
    series = Series(np.array([0.0, 1800.0, 3600.0, 7200.0, 14400.0]), np.array([100.0, 100.0, 100.0, 93.0, 80.0]))
    change = change_between(series, np.full(5, 0.5), 0.0, 14400.0)
    assert change.stood_s == 3600.0
    assert change.hidden == pytest.approx(20 / 3)
    found, told = recharge_findings([DeviceRecharge(change, EMPTY_TO_FULL)], measured(100.0, 1.0), None)
    assert found["recharge_energy"].sides == pytest.approx((0.0, 20 / 3))
    assert found["charges_from_full"].sides[0] == pytest.approx(5.0 * (1 / 3) / (4 / 3))
    assert any("stood at 100 %" in text for text in told)


def test_too_small_a_drop_is_said_with_the_one_that_would_do():
    assert "A drop of 50 would be known to ± 10 %" in too_small(fell(90.0, 80.0))
    assert too_small(fell(90.0, 40.0)) == ""


@pytest.mark.parametrize(
    ("value", "text"), [(1.78, "about 1¾"), (2.33, "about 2¼"), (0.5, "about ½"), (3.96, "about 4"), (6.4, "about 6"), (0.05, "hardly any")]
)
def test_as_people_say_it(value, text):
    assert in_quarters(value) == text


def test_another_device_by_its_label(tmp_path):
    """Charges × the measured device's Wh ÷ the other's, ± 10 % rectangular more."""
    charges = recharge_findings([DeviceRecharge(fell(97.0, 54.0), EMPTY_TO_FULL)], None, measured(29.26, 0.0))[0]["charges_from_full"]
    found = other_device(charges, measured(29.26, 0.0), measured(11.0, 0.0), "phone")
    assert found.value == pytest.approx(100 / 43 * 29.26 / 11)
    u = math.hypot(charges.expanded_uncertainty / charges.value, 2 * 0.1 / math.sqrt(3))
    assert found.expanded_uncertainty / found.value == pytest.approx(u)
    assert "measured with another device" in found.working


@pytest.mark.parametrize(("wh", "words"), [(99.0, "without asking"), (120.0, "approval"), (161.0, "may not fly")])
def test_may_it_fly(wh, words):
    """IATA Dangerous Goods Regulations; from memory."""
    assert words in may_fly(wh)


def test_notes_from_a_file(tmp_path):
    """The same by the command line; the units are called as they are in the lines."""
    made = said(notes(tmp_path))
    found = made["findings"]
    assert found["recharge_energy"]["value"] == pytest.approx(0.43 * 88.8)
    assert found["stored_energy"]["value"] == pytest.approx(29.26)
    assert found["chain_efficiency"]["value"] == pytest.approx(100 * 29.26 / (0.43 * 88.8))
    assert found["charges_from_full"]["value"] == pytest.approx(100 / 43)
    assert found["recharge_energy"]["low"] < found["recharge_energy"]["value"] < found["recharge_energy"]["high"]
    assert found["charges_two_thirds"]["value"] == pytest.approx(2 / 3 * 24 / 7.6)
    assert found["duration"]["value"] == pytest.approx(9900.0)


def test_a_counter_between_them_needs_no_label(tmp_path):
    lines = "meter: USB meter\nvolts: 1 %\namps: 1 %\n" + NOTES.replace("bank 97 %", "output 1.20 Wh").replace(
        "bank 54 %", "output 39.60 Wh"
    )
    found = said(notes(tmp_path, lines))["findings"]
    assert found["recharge_energy"]["value"] == pytest.approx(38.4)
    assert "low" not in found["recharge_energy"]
    digits = 0.005 * math.sqrt(2 / 3)
    assert found["recharge_energy"]["expanded_uncertainty"] == pytest.approx(
        2 * math.hypot(0.01 * 38.4 / math.sqrt(3), 0.01 * 38.4 / math.sqrt(3), digits)
    )


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("@12:25 tablet full", ""), "One reading of the device only"),
        (("tablet", "case"), "The device's percent is missing"),
        (("bank 54 %", "bank 99 %"), "The source's percent rises"),
        (("tablet empty\n@12:25 bank 54 %\n@12:25 tablet full", "tablet full\n@12:25 bank 99 %\n@12:25 tablet 60 %"), "are they swapped?"),
        (("tablet full", "tablet empty"), "never rose"),
    ],
)
def test_what_cannot_be_is_refused(tmp_path, change, words):
    head, lines = NOTES.split("\n\n")
    done = ubrant("analyse", notes(tmp_path, f"{head}\n\n{lines.replace(*change)}"))
    assert words in done.stderr + done.stdout


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("tablet empty", "tablet 12 %"), "It was not known to be empty: 12 %"),
        (("tablet full", "tablet 90 %"), "was not charged to full"),
        (("bank 54 %", "bank 97 %"), "never moved"),
        (("bank 54 %", "bank 90 %"), "is small for a display"),
        (("unit bank: 24000 mAh 3.7 V", "unit bank: 24000 mAh"), ""),
    ],
)
def test_what_may_be_is_remarked(tmp_path, change, words):
    done = ubrant("analyse", notes(tmp_path, NOTES.replace(*change)))
    assert done.returncode == 0, done.stderr
    assert words in " ".join(done.stdout.split())


def test_over_midnight(tmp_path):
    text = NOTES.replace("09:40", "22:10").replace("12:25", "00:55")
    assert said(notes(tmp_path, text))["findings"]["duration"]["value"] == pytest.approx(9900.0)


def test_by_percent_the_truth_is_inside(share):
    """300 recharges: displays that are off by anything up to 3 points at each end and show whole ones; what the bank holds is known to ± 2 %."""

    def draw(rng):
        held, device = rng.uniform(40, 400), rng.uniform(5, 60)
        chain = rng.uniform(0.6, 0.9)
        taken = 100 * device / chain / held
        if not 8 < taken < 90:
            return {}
        start = rng.uniform(taken + 4, 96)
        shown = [round(true + rng.uniform(-3, 3)) for true in (start, start - taken)]
        if shown[0] - shown[1] < 4:
            return {}
        stated = held * (1 + rng.normal(0, 0.01))
        found, _ = recharge_findings(
            [DeviceRecharge(fell(*map(float, shown)), EMPTY_TO_FULL)], measured(stated, 0.02 * stated), measured(device, 0.0)
        )
        energy, points = found["recharge_energy"], found["source_points"]
        if energy.bound:
            return {}
        return {"points": (points.value - taken, points), "energy": (energy.value - device / chain, energy)}

    trial("recharge", draw, share)


def test_a_labels_doubt_is_kept_in_all_but_a_few(share):
    """What comes out is anywhere from 65 to 100 % of the label: the truth is outside in under 5 %, and the span no wider than it has to be."""
    rng = np.random.default_rng(7)
    outside, width, least = [], [], []
    for _ in range(max(int(300 * share), 100)):
        label = rng.uniform(40, 400)
        held = label * rng.uniform(0.65, 1.0)
        taken = rng.uniform(15, 85)
        shown = [round(x + rng.uniform(-3, 3)) for x in (95, 95 - taken)]
        energy = recharge_findings([DeviceRecharge(fell(*map(float, shown)), EMPTY_TO_FULL)], held_by_label(label), None)[0][
            "recharge_energy"
        ]
        low, high = energy.span
        outside.append(not low <= held * taken / 100 <= high)
        width.append(high - low)
        least.append(math.hypot(0.95 * 0.35 * label * taken / 100, 2 * energy.expanded_uncertainty))
    assert np.mean(outside) < 0.05
    assert np.median(np.array(width) / np.array(least)) < 1.5


def test_through_the_window(bench_window, qtbot):
    """Device chosen from the shelf; percent typed into the table, full and empty as words; at the jot line by the units' names."""
    window = bench_window
    window.bench.keep_unit(Unit("Tablet", "load", "7.6 Ah 3.85 V"))
    prepare(window, Unit("Ticket bank", "bank", "24000 mAh 3.7 V"), "recharge")
    assert window.prepare.form.device.currentText() == "Tablet"
    begin(window, qtbot)
    typed_row(qtbot, window, "97")
    typed_row(qtbot, window, "empty")
    window.clock.time_s += 5400.0
    typed_row(qtbot, window, "70")
    typed_row(qtbot, window, "61")
    window.clock.time_s += 4500.0
    say_line(window, qtbot, "ticket bank 54 % tablet full")
    account = close(window, qtbot)
    assert account.findings["charges_from_full"].value == pytest.approx(100 / 43)
    assert account.sentence.startswith("One recharge takes 38.2 Wh (24 to 43) of Ticket bank; about 2¼ charges from full")


def test_a_chain_that_loses_much_may_lose_less_by_the_sources_label():
    """40 % arrives by both labels: where the source gives 65 % of its own, 40 ÷ 0.65; where the device takes 65 % of its, 0.65 × 40."""
    found, _ = recharge_findings([DeviceRecharge(fell(90.0, 40.0), EMPTY_TO_FULL)], held_by_label(100.0), held_by_label(20.0))
    share = found["chain_efficiency"]
    assert share.value == pytest.approx(40.0)
    assert share.sides == pytest.approx((0.35 * 40, 40 / 0.65 - 40))


def test_another_devices_doubts_are_on_their_sides():
    charges = recharge_findings([DeviceRecharge(fell(90.0, 40.0), EMPTY_TO_FULL)], None, None)[0]["charges_from_full"]
    found = other_device(charges, held_by_label(30.0), held_by_label(15.0), "phone")
    assert found.value == pytest.approx(4.0)
    assert found.sides == pytest.approx((0.35 * 4, 4 * 0.35 / 0.65))


def test_the_second_one_is_called_so():
    found, _ = recharge_findings(
        [DeviceRecharge(fell(90.0, 70.0), EMPTY_TO_FULL), DeviceRecharge(fell(70.0, 48.0), EMPTY_TO_FULL)], None, None
    )
    assert found["charges_from_full"].name == "Charges from full"
    assert found["charges_from_full_2"].name == "Charges from full, number 2"
