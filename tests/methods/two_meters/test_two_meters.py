"""A meter against another: differences, the correction, drift; slips; by every road; what is kept with the meter and what it changes."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.making import METER, PACK, problems
from tests.making import prepared as made_ready
from tests.trials import trial
from tests.window import begin, click, close, needs, prepare, say_line, typed_row, write_cell
from ubrant.core.equipment.certificates import MeterCheck
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.meter_checks.against import Both, Pairs, analyse_pairs
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import ReadingsError
from ubrant.runs.kept.shelf_order import newest_of
from ubrant.ui.shelf.meter_form import MeterForm
from ubrant.ui.window.shell import SHELF

GOOD, CLAMP = Accuracy(0.001, 0.005, "A"), Accuracy(0.02, 0.05, "A")


def held(shown, read, own=CLAMP, reference=GOOD, history=(), half=0.005):
    n = len(shown)
    pairs = Pairs(np.array(shown, float), np.array(read, float), np.full(n, half), np.full(n, 0.0005), "A")
    return analyse_pairs(pairs, Both("Clamp", own, "Bench", reference), history, "2026-05-01T10:00:00+00:00")


def test_one_that_shows_three_percent_more():
    found = held([1.03, 5.15, 10.30], [1.0, 5.0, 10.0])
    assert found.findings["gain_error"].value == pytest.approx(3.0)
    assert found.findings["off"].value == pytest.approx(0.15)
    assert found.findings["of_nothing"].value == pytest.approx(0.0, abs=1e-9)
    assert found.findings["point_3"].value == pytest.approx(0.30)
    u = 2 * math.hypot(0.001 * 5 / 3**0.5, 0.005 / 3**0.5)
    assert found.findings["off"].expanded_uncertainty == pytest.approx(u, rel=0.25)
    assert found.off == pytest.approx([0.03, 0.15, 0.30])
    scatter = 0.005 / 3**0.5 * math.sqrt(1 / 3 + (10.30 - 5.4933) ** 2 / 43.3131)  # of the line at its end, by half a digit
    by_hand = 2 * 100 * 1.03 * math.hypot(0.001 / 3**0.5, math.sqrt(2) * scatter / 9.27)
    assert found.findings["gain_error"].expanded_uncertainty == pytest.approx(by_hand, rel=0.01)
    assert found.check.gain == pytest.approx(1 / 1.03)
    assert (found.check.at, found.check.off, found.check.against) == (5.0, pytest.approx(0.15), "Bench")
    assert "Clamp shows 0.1500 ± 0.0088 " in found.sentence
    assert "A more than there is at 5 A" in found.sentence


def test_three_points_of_which_one_is_a_slip_say_which_and_correct_nothing():
    found = held([1.03, 5.51, 10.30], [1.0, 5.0, 10.0])
    assert found.sentence.startswith("Clamp and Bench do not agree at point 2, at 5 A: 3.9 times")
    assert found.check is None
    assert [w for w in found.warnings if "scatter too much" in w]
    assert not [w for w in found.warnings if "no better" in w]  # the reference is ten times as good
    assert held([1.03, 5.15, 10.30], [1.0, 5.0, 10.0]).findings["left_over"].value == 0.0


def test_they_agree_within_what_both_may_be_off_by():
    """|difference| ≤ √(U₁² + U₂²), JCGM 100; at 10 A by hand: U₁ = 2·√(0.2² + 0.05²)/√3, U₂ = 2·√(0.01² + 0.005²)/√3, digits besides."""
    found = held([1.0, 5.05, 10.1], [1.0, 5.0, 10.0])
    by_hand = 2 * math.sqrt((0.2**2 + 0.05**2 + 0.01**2 + 0.005**2 + 0.005**2 + 0.0005**2) / 3)
    assert found.may_be[2] == pytest.approx(by_hand, rel=1e-6)
    assert found.sentence.startswith("Clamp agrees with Bench at all 3 points: at most 0.1")
    assert found.check is not None


@pytest.mark.parametrize(
    ("shown", "read", "words"),
    [
        ([1.0, 5.0, 0.0103], [1.0, 5.0, 10.0], "At point 3 the one shows 0.0103 A and the other 10 A"),
        ([-1.0, -5.0], [1.0, 5.0], "in the same unit and sign"),
        ([5.0], [5.0], "Two pairs at least"),
        ([0.0, 0.0], [0.0, 0.0], "Nothing was there to be read"),
        ([0.01, 0.02], [0.0, 0.0], "Nothing was there to be read"),
        ([5.0, math.nan], [5.0, 5.0], "Two pairs at least"),
    ],
)
def test_what_cannot_be_the_same_thing_is_refused(shown, read, words):
    with pytest.raises(ReadingsError, match=words):
        held(shown, read)


def test_what_the_reference_is_good_for_limits_what_is_said():
    poor = held([1.0, 10.1], [1.0, 10.0], reference=Accuracy(0.05, 0.1, "A"))
    assert poor.check is None
    assert any("no better than Clamp" in w for w in poor.warnings)
    unknown = held([1.0, 10.1], [1.0, 10.0], reference=None)
    assert unknown.check is None
    assert unknown.findings["off"].expanded_uncertainty is None
    assert any("Nobody said how accurate Bench is" in w for w in unknown.warnings)
    near = held([10.0, 10.1], [10.0, 10.05])
    assert any("All of it was read near 10 A" in w for w in near.warnings)
    assert "of_nothing" not in near.findings
    typo = held([1.03, 3.09, 5.15, 7.21, 9.97, 10.30], [1.0, 3.0, 5.0, 7.0, 9.0, 10.0])
    assert any(w.startswith("Point 5, at 9 A, lies") for w in typo.warnings)
    assert typo.check is None
    assert held([1.03, 3.09, 5.15, 7.21, 9.27, 10.30], [1.0, 3.0, 5.0, 7.0, 9.0, 10.0]).check is not None


def test_one_that_drifted_by_its_own_history():
    history = [MeterCheck(f"202{k}-01-01", "Bench", "A", 10.0, 0.03 + k / 1000, 0.01, 1.0, 0.0, "1 %") for k in range(4)]
    assert any("It has drifted: 3.0 % off" in w for w in held([1.03, 5.15, 10.30], [1.0, 5.0, 10.0], history=history).warnings)
    moved = [*history, replace(history[0], made="2025-01-01", adjusted=True)]
    assert not any("drifted" in w for w in held([1.03, 5.15, 10.30], [1.0, 5.0, 10.0], history=moved).warnings)


def test_before_it_is_begun():
    same = made_ready("meter-check", PACK, (METER, METER))
    assert problems("meter-check", same)[0] == (True, "A meter is not checked against itself: choose another one as the reference.")
    blank = made_ready("meter-check", PACK, (METER, Meter("Blank")))
    assert "nothing can be corrected by it" in problems("meter-check", blank)[0][1]
    near = made_ready("meter-check", PACK, (METER, replace(METER, name="Other")))
    assert "Other is 1 times as accurate as Meter" in problems("meter-check", near)[0][1]
    with pytest.raises(ValueError, match="no number of points"):
        made_ready("meter-check", PACK, (METER, METER), points="1")


def test_a_table_and_notes(tmp_path):
    path = tmp_path / "two.csv"
    path.write_text("display current / A,reference current / A\n1.03,1.00\n5.15,5.00\n10.30,10.00\n")
    assert said(str(path), "--method", "meter-check")["findings"]["gain_error"]["value"] == pytest.approx(3.0)
    notes = tmp_path / "two.jot"
    notes.write_text(
        "method: meter-check\nunit: Pack\nkind: battery\nlabel: 50 Ah 12.8 V\nmeter: Clamp\namps: 2 % + 50 mA\nmeter reference: Bench\n"
        "amps reference: 0.1 % + 5 mA\nplan quantity: A\n\n+1min display 1.03 A reference 1.00 A\n+2min display 10.30 A ref 10.00 A\n"
    )
    notes.write_text(notes.read_text().replace("plan quantity: A\n", ""))
    assert "1.3 times as far apart as both may be" in " ".join(ubrant("analyse", str(notes)).stdout.split())


def test_the_truth_is_inside(share):
    """300 meters off by a gain and a zero, checked by references of their own; generator apart from the sums."""

    def draw(rng):
        of_reference = Accuracy(rng.uniform(0.0005, 0.005), rng.uniform(0.001, 0.02), "A")
        gain, zero = rng.uniform(-0.03, 0.03), rng.uniform(-0.05, 0.05)
        true = np.sort(rng.uniform(0.5, 15, int(rng.integers(3, 9))))
        read = true * (1 + rng.uniform(-1, 1) * of_reference.gain) + rng.uniform(-1, 1) * of_reference.zero
        found = held(np.round(true * (1 + gain) + zero, 2), read, None, of_reference)
        at = float(np.sort(true)[len(true) // 2])
        off = found.findings["off"]
        nothing = found.findings.get("of_nothing")
        made = {
            "off": (off.value - (at * gain + zero), off),
            "gain": (found.findings["gain_error"].value - 100 * gain, found.findings["gain_error"]),
        }
        return made if nothing is None else made | {"nothing": (nothing.value - zero, nothing)}

    trial("meter-check", draw, share)


VAN = Unit("Van battery", "battery", "12 V 95 Ah lead-acid")


def lights(window, qtbot):
    """An audit by the old clamp: 10.30 A shown of the lights."""
    prepare(window, VAN if not any(u.name == VAN.name for u in window.bench.logbook.units()) else kept_van(window), "audit", loads="lights")
    box = window.prepare.form.meters["battery"]
    box.setCurrentIndex(box.findText("Old clamp"))
    window.prepare.look()
    begin(window, qtbot)
    for line in ("12.63 V", "0.00 A", "10.30 A lights", "10.30 A"):
        say_line(window, qtbot, line)
    return close(window, qtbot).findings["sum_of_loads"]


def kept_van(window):
    return next(u for u in window.bench.logbook.units() if u.name == VAN.name)


def test_a_clamp_checked_against_the_bench_meter_and_the_finding_that_changes(bench_window, qtbot):
    """From the shelf: the meter, Check it …, both typed at three currents, the correction kept; the run before says what it would be, the next one uses it."""
    needs("audit")
    window = bench_window
    book = window.bench.logbook
    clamp = book.keep_meter(Meter("Old clamp", "0.5 % + 10 mV", "3 % + 50 mA"))
    before = lights(window, qtbot)
    assert before.value == pytest.approx(10.30)
    early = window.findings._run
    window.go_to(SHELF)
    window.shelf.start_meter(clamp)
    click(qtbot, window.shelf, "Check it …")
    form = window.prepare.form
    assert form.method.key == "meter-check"
    assert form.meters["display"].currentText() == "Old clamp"
    assert form.meters["reference"].currentText() == "In"
    form.fields["quantity"].setCurrentIndex(form.fields["quantity"].findData("A"))
    form.fields["points"].setText("3")
    window.prepare.look()
    window.clock.time_s += 3600.0
    begin(window, qtbot)
    for text in ("1.03 1.00", "5.15 5.00", "10.30 10.00"):
        typed_row(qtbot, window, text)
        window.clock.time_s += 60.0
    assert close(window, qtbot).findings["gain_error"].value == pytest.approx(3.0)
    assert "agrees with In at all 3 points: at most 0.30 A apart" in window.findings.verdict.text()
    assert window.findings.title.text().startswith("Old clamp against In, ")
    assert window.findings.run_box.currentText().startswith("Old clamp against In · ")
    click(qtbot, window.findings, window.findings.keep_found.text())
    assert not window.findings.keep_found.isVisible()
    kept = next(m for m in book.meters() if m.id == clamp.id)
    assert [c.against for c in kept.details.checks] == ["In"]
    assert kept.current_accuracy == "3 % + 50 mA"
    assert newest_of(book, kept_van(window).id).id == early.id  # two meters held to it say nothing of a battery
    after = lights(window, qtbot)
    assert after.value == pytest.approx(10.0, abs=0.02)
    assert after.expanded_uncertainty < before.expanded_uncertainty
    window.bench.run_opened.emit(early.id)
    assert window.findings.account.findings["sum_of_loads"].value == pytest.approx(10.30)
    while kept.details.checks:
        window.bench.undo.undo()
        kept = next(m for m in book.meters() if m.id == clamp.id)
    assert kept == clamp


def test_a_line_mended_later_is_offered_anew(bench_window, qtbot):
    window = bench_window
    book = window.bench.logbook
    clamp = book.keep_meter(Meter("Old clamp", "0.5 % + 10 mV", "3 % + 50 mA"))
    prepare(window, PACK, "meter-check", points="2")
    window.prepare.form.choose_meter("display", clamp.uid)
    window.prepare.look()
    begin(window, qtbot)
    for text in ("1.20 1.00", "10.10 10.00"):
        typed_row(qtbot, window, text)
        window.clock.time_s += 60.0
    close(window, qtbot)
    click(qtbot, window.findings, window.findings.keep_found.text())
    window.findings.table._go(0, ("display", "V"))
    write_cell(qtbot, window.findings.table, 0, ("display", "V"), "1.02")
    assert window.findings.keep_found.isVisible()
    click(qtbot, window.findings, window.findings.keep_found.text())
    kept = next(m for m in book.meters() if m.id == clamp.id)
    assert len(kept.details.checks) == 1
    assert kept.details.checks[0].gain == pytest.approx((10 - 1) / (10.10 - 1.02))


def test_the_form_lists_what_was_found_and_leaves_one_out(dressed, qtbot):
    checks = tuple(MeterCheck(f"202{k}-01-01", "Bench", "A", 10.0, 0.1 * k, 0.02, 1.0, 0.0, "1 %") for k in range(1, 4))
    form = MeterForm(Meter("Clamp", id=1, details=MeterDetails(checks=checks)))
    qtbot.addWidget(form)
    form.show()
    form.drift.setText("0.1 %")
    form.tempco.setText("much")
    assert "“much” is not understood" in form.trouble()
    form.tempco.setText("0.01 %")
    form.standard.setText("2.5 V ± 1 mV")
    assert form.trouble() == ""
    click(qtbot, form, "leave out")  # the newest
    meter = form.meter()
    assert [c.made for c in meter.details.checks] == ["2021-01-01", "2022-01-01"]
    assert (meter.details.drift_a_year, meter.details.tempco, meter.details.standard) == (0.001, 0.0001, "2.5 V ± 1 mV")
