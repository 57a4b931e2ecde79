"""An audit by clamp: the base in the readings or not, the sum against all on, hours, the sun, slips; in the window."""

from __future__ import annotations

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.trials import trial
from tests.window import begin, close, prepare, say_line
from ubrant.core.battery.label_doubt import held_by_label, measured
from ubrant.core.equipment.unit import Unit
from ubrant.core.loads.audit import UNKNOWN, WITH, WITHOUT, Audit, ClampReading, analyse_audit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.record.head import Setup
from ubrant.methods.registry import method_of

LABEL = held_by_label(1140.0)
CLAMP, VOLTS = Accuracy(0.02, 0.03, "A"), Accuracy(0.005, 0.02, "V")


def audited(base, loads, all_on=None, base_in=WITH, solar=None, clamp=CLAMP, holds=LABEL, usable=0.5, ah=95.0):
    def one(name: str, amps: float | None) -> ClampReading | None:
        return None if amps is None else ClampReading(name, amps, 0.005)

    read = tuple(ClampReading(f"load {k}", amps, 0.005) for k, amps in enumerate(loads, start=1))
    audit = Audit(one("base", base), read, one("all on", all_on), one("sun", solar), base_in, 12.6, 0.005)
    return analyse_audit(audit, clamp, VOLTS, holds, usable, ah)


def test_with_the_base_in_them_and_without_differ_by_the_base_times_one_less():
    """Common practice, no source: base × (n − 1) for the sum of n readings and the base."""
    inside = audited(0.4, [2.4, 3.4, 1.4]).findings["sum_of_loads"].value
    outside = audited(0.4, [2.4, 3.4, 1.4], base_in=WITHOUT).findings["sum_of_loads"].value
    assert inside == pytest.approx(0.4 + 2.0 + 3.0 + 1.0)
    assert outside - inside == pytest.approx(0.4 * 3)


def test_what_nobody_said_is_told_by_all_on_or_both_are_shown():
    assert audited(0.4, [2.4, 3.4, 1.4], 6.4, UNKNOWN).base_in == WITH
    assert audited(0.4, [2.0, 3.0, 1.0], 6.4, UNKNOWN).base_in == WITHOUT
    both = audited(0.4, [2.4, 3.4, 1.4], None, UNKNOWN)
    assert both.base_in == UNKNOWN
    assert both.findings["sum_otherwise"].value == pytest.approx(6.4)
    assert "Nobody said" in both.said[0]


def test_it_adds_up_or_says_that_it_does_not():
    assert audited(0.4, [2.4, 3.4], 5.4).closes is True
    more = audited(0.4, [2.4, 3.4], 7.4)
    assert more.closes is False
    assert "something else draws too" in more.said[0]
    assert "one was off" in audited(0.4, [2.4, 3.4], 3.4).said[0]


def test_the_zero_of_the_clamp_cancels_in_a_load_and_not_in_the_base():
    found = audited(0.4, [2.4]).findings
    assert found["base_current"].standard_uncertainty == pytest.approx(np.hypot(0.03, 0.005) / 3**0.5, rel=0.05)
    assert not any(c.source.kind == "zero" and abs(c.amount) > 1e-9 for c in found["current_1"].contributions)


def test_hours_to_what_may_be_used_with_the_doubt_of_the_label_on_its_side():
    found = audited(0.5, [5.25], base_in=WITH).findings
    assert found["hours_all_on"].value == pytest.approx(3600 * 0.5 * 95 / 5.25)
    assert found["hours_all_on"].sides[0] == pytest.approx(0.35 * found["hours_all_on"].value)
    sure = audited(0.5, [5.25], holds=measured(1140.0, 22.8)).findings["hours_all_on"]
    assert sure.sides == (0.0, 0.0)
    assert sure.expanded_uncertainty > 0.02 * sure.value
    assert "hours_all_on" not in audited(0.5, [5.25], ah=None).findings


def test_the_sun_is_netted_out_with_the_base_under_it_and_a_turned_clamp_is_said():
    assert audited(0.4, [2.4], solar=-1.1).findings["solar_current"].value == pytest.approx(1.5)
    turned = audited(-0.4, [-2.4, -3.4], -5.4)
    assert turned.findings["sum_of_loads"].value == pytest.approx(5.4)
    assert "other way round" in turned.said[0]


def test_audits_lie_inside_their_uncertainty(share):
    def draw(rng):
        base, loads = rng.uniform(0.1, 1.0), rng.uniform(0.5, 8.0, int(rng.integers(2, 6)))
        gain, zero = 1 + rng.uniform(-0.02, 0.02), rng.uniform(-0.03, 0.03)

        def shown(amps: float) -> float:
            return round(amps * gain + zero, 2)

        found = audited(shown(base), [shown(base + x) for x in loads], shown(base + loads.sum())).findings
        truth = {"base_current": base, "current_1": loads[0], "sum_of_loads": base + loads.sum(), "left_over": 0.0}
        return {key: (found[key].value - value, found[key]) for key, value in truth.items()}

    trial("audits", draw, share, low=0.75)


NOTES = "method: audit\nunit: Van\nkind: battery\nlabel: 12 V 95 Ah lead-acid\namps: 2 % + 3 digits of 10 mA\nplan loads: lights, pump\n\n"


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        ("@10:00 126.3 V\n@10:02 0.42 A\n@10:04 2.1 A lights\n", "no volts of a 12 V system"),
        ("@10:02 0.42 A\n@10:04 2.1 A lights\n", "12 V stand in"),
        ("@10:00 12.6 V\n@10:02 0.42 A\n@10:04 2.1 A lights\n@10:06 4 A pump\n@10:08 9.9 A all on\n", "does not add up"),
        ("@10:00 12.6 V\n@10:02 0.42 A\n@10:04 2.1 A lights\n", "starter battery is not for deep discharge"),
    ],
)
def test_slips(tmp_path, lines, says):
    notes = tmp_path / "van.jot"
    notes.write_text(NOTES + lines)
    found = said(str(notes))
    assert says in " ".join([found["sentence"], *found["warnings"]])


def test_nothing_read_is_said(tmp_path):
    notes = tmp_path / "van.jot"
    notes.write_text(NOTES + "@10:00 12.6 V\n")
    done = ubrant("analyse", str(notes))
    assert done.returncode == 2
    assert "No load was read yet" in done.stderr


def test_typed_by_clamp_through_the_window(bench_window, qtbot):
    window = bench_window
    prepare(window, Unit("Van battery", "battery", "12 V 95 Ah lead-acid"), "audit", loads="lights, pump")
    begin(window, qtbot)
    for line in ("12.63 V", "0.42 A", "2.10 A lights", "4.42 A pump", "6.10 A"):
        say_line(window, qtbot, line)
    close(window, qtbot)
    account = window.findings.account
    assert account.findings["sum_of_loads"].value == pytest.approx(0.42 + 1.68 + 4.0)
    assert "it adds up" in account.sentence


@pytest.mark.parametrize(("name", "said"), [("House block", False), ("Starter battery", True), ("Tow van battery", True)])
def test_only_what_starts_an_engine_is_told_to_keep_back_for_it(name, said):
    from ubrant.core.equipment.unit import Unit
    from ubrant.methods.audit.method import _starts_an_engine

    assert _starts_an_engine(Unit(name, "battery", "12 V 80 Ah lead-acid")) is said


def test_a_load_called_sunshade_is_a_load():
    from ubrant.core.quantities.jot import TypedLine, TypedReading
    from ubrant.methods.audit.method import _read
    from ubrant.methods.rows import RowAnswer

    def line(amps: float, name: str, key: str = "") -> RowAnswer:
        return RowAnswer(0.0, TypedLine(name, readings=(TypedReading("", "A", amps, 0.005),)), name, key)

    plan = type("Plan", (), {"base_in": "with"})()
    audit, _ = _read([line(0.1, "base", "base"), line(1.2, "sunshade motor"), line(-2.0, "with the sun")], plan, None)
    assert [one.name for one in audit.loads] == ["sunshade motor"]
    assert audit.solar.amps == -2.0


def test_what_was_skipped_has_answered_and_moves_nothing(logbook):
    """The resting volts skipped: the next reading is the base, and no load."""
    from tests.making import by_hand
    from tests.methods.samples import SAMPLES
    from ubrant.runs.kept.accounts import account_of

    sample = SAMPLES["audit"]
    lines = {120.0: "skip", 240.0: "0.35 A", 360.0: "2.10 A"}
    run, _ = by_hand(logbook, "audit", sample.prepared("audit", by_hand=True), lines)
    found = account_of(logbook, logbook.run(run.id))[1].findings
    assert found["base_current"].value == 0.35


@pytest.mark.parametrize(
    ("label", "usable"), [("12 V 100 Ah AGM", "50 %"), ("12.8 V 100 Ah LiFePO4", "80 %"), ("14.8 V 20 Ah li-ion", "80 %")]
)
def test_what_may_be_used_goes_by_the_kind_of_its_cells(label, usable):
    form = method_of("audit").form(Setup(Unit("Van", "battery", label)))
    assert next(field.usual for field in form if field.key == "usable") == usable


HEAD = "method: audit\nunit: Van battery\nkind: battery\nlabel: 12 V 95 Ah lead-acid\namps: 2 % + 3 digits of 10 mA\nvolts: 0.5 % + 2 digits of 10 mV\nplan loads: lights, pump\nplan base_in: with\n\n"


def told_at(tmp_path, volts: str) -> dict:
    notes = tmp_path / "van.jot"
    notes.write_text(f"{HEAD}@10:00 {volts} V\n@10:02 0.42 A\n@10:04 5.42 A lights\n@10:06 5.42 A pump\n@10:08 10.42 A all on\n")
    return said(str(notes))


def test_how_long_it_lasts_begins_with_what_is_in_it_now(tmp_path):
    """12.20 V at rest is about 57 % by the usual chart, ± 10 points and the voltmeter's share: of 95 Ah at most some 20 points are left above a half: 1.8 h at 10.4 A."""
    found = told_at(tmp_path, "12.20")["findings"]
    low, high = (
        found["charge_now"]["value"] - found["charge_now"]["expanded_uncertainty"],
        found["charge_now"]["value"] + found["charge_now"]["expanded_uncertainty"],
    )
    assert low < 57 < high
    assert found["hours_now"]["bound"] == "at most"
    assert found["hours_now"]["value"] == pytest.approx(
        36 * (high - 50) * 95 / (10.42 - found["sum_of_loads"]["expanded_uncertainty"]), rel=0.01
    )
    assert found["hours_now"]["value"] < 0.45 * found["hours_all_on"]["value"]


def test_it_says_so_first_and_from_full_beside_it(tmp_path):
    sentence = told_at(tmp_path, "12.40")["sentence"]
    assert "from now, 59 to 85 % full by its volts at rest, and 2:58 to 4:40 h from full" in sentence
    assert told_at(tmp_path, "12.40")["findings"]["hours_now"]["bound"] == "between"


def test_where_nothing_is_left_above_what_stays_in_it_no_hours_are_promised(tmp_path):
    out = told_at(tmp_path, "11.60")
    assert "nothing is left above the 50 % that stay in it; from full it would last 2:58 to 4:40 h" in out["sentence"]
    assert "hours_now" not in out["findings"]


def test_what_may_be_next_to_nothing_lasts_at_least_so_long():
    """0.02 A that may be 0.1: a negative end of its hours is none."""
    found = audited(0.02, [5.0], clamp=Accuracy(0.02, 0.1, "A")).findings["hours_base"]
    assert found.bound == "at least"
    assert 0 < found.value < 3600 * 0.5 * 95 / 0.1
