"""Everything on the shelf ranked for one load: straight and through what was measured; what cannot be told apart; what is not known stands empty."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.making import falling
from tests.window import keep_discharge
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Peak, Unit, UnitFacts, parse_peak
from ubrant.core.outlook.kit import Source, Way
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.quantities.quantity import QuantityError
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options
from ubrant.runs.kept.shelf_order import newest_of
from ubrant.runs.kits.measured import measured_in
from ubrant.runs.studies.choosing_for import _choice, _ranked, choices_for, chosen_sentence, rank_table, what_would_tell
from ubrant.ui.compare.choose_dialog import ChooseDialog


def pack(logbook, name: str, share: float = 1.0) -> None:
    unit = logbook.keep_unit(Unit(name, "battery", "50 Ah 12.8 V LiFePO4 5.2 kg"))
    body = falling()
    options = LogOptions(
        said={"cutoff": "11 V"}, meters={"battery": Meter("M", "0.1 %", "0.5 % + 5 mA")}, unit=unit, full=True, temperature_c=20.0
    )
    keep(logbook, under_options(from_log(LogFile("p.csv", body.time_s * share, body.voltage_v, body.current_a)), options), unit)


@pytest.fixture(autouse=True)
def few_draws(monkeypatch):
    monkeypatch.setattr("ubrant.runs.studies.choosing_for._DRAWS", 80)


@pytest.fixture
def shelf(logbook):
    pack(logbook, "Pack A")
    pack(logbook, "Pack B", 0.7)
    pack(logbook, "Pack C", 0.995)
    logbook.keep_unit(Unit("Never swept", "inverter", "12 V to 230 V sine, 300 W"))
    logbook.keep_unit(Unit("Bank", "bank", "88.8 Wh"))
    return logbook


def test_ranked_and_what_cannot_be_told_apart_shares_a_rank(shelf):
    found = choices_for(shelf, Uncertain(57.0, 0.5), 5 * 3600)
    names = [one.name for one in found]
    assert set(names[:2]) == {"Pack A straight", "Pack C straight"}
    assert [one.rank for one in found] == ["1 to 2", "1 to 2", "3", "4"]
    assert "cannot be told apart" in chosen_sentence(found)
    assert found[0].enough == 1.0
    assert found[-1].enough == 0.0
    assert found[0].wh_per_kg == pytest.approx(shelf_energy(found[0]) / 5.2, rel=0.01)
    assert (found[-1].wh_per_kg, found[0].efficiency, found[0].idle_w) == (None, None, None)
    assert found[-1].cells()[9] == ""
    assert not any("Never swept" in name for name in names)  # nothing is guessed of a converter


def test_what_would_tell_which_to_take(shelf):
    """Pack A was measured; of a pack that only its label speaks of one cannot know, and its discharge would tell."""
    measured = choices_for(shelf, Uncertain(57.0, 0.5), None, ("Pack A", "Pack C"))
    assert what_would_tell(measured).startswith("No need to measure: ")
    shelf.keep_unit(Unit("Pack D", "battery", "56 Ah 12.8 V LiFePO4"))
    found = choices_for(shelf, Uncertain(57.0, 0.5), None, ("Pack A", "Pack D"))
    assert found[0].rank == "1 to 2"
    told = what_would_tell(found)
    assert told.startswith("Discharge of Pack D would tell most: in ")
    assert 5 <= int(told.split(" in ")[1].split(" ")[0]) <= 60
    alone = choices_for(shelf, Uncertain(57.0, 0.5), None, ("Pack B",))
    assert what_would_tell(alone) == ""
    assert what_would_tell([]) == ""


def shelf_energy(one) -> float:
    return float(one.why.split(" ")[1])


def test_volts_and_words_narrow_it(shelf):
    assert choices_for(shelf, Uncertain(57.0), None, (), 230.0) == []
    assert [c.name for c in choices_for(shelf, Uncertain(57.0), None, ("pack b",))] == ["Pack B straight"]
    assert "Bank straight" not in [c.name for c in choices_for(shelf, Uncertain(57.0), None, (), 12.0)]
    with pytest.raises(QuantityError, match="Nothing is drawn"):
        choices_for(shelf, Uncertain(0.0), None)
    assert chosen_sentence([]) == "None of them runs it."


def test_a_pack_that_is_asked_for_too_much_does_not_run_and_says_why(shelf):
    found = choices_for(shelf, Uncertain(9000.0), 3600, ("pack",))
    assert all(one.seconds == 0 and one.why.startswith("does not run") for one in found)
    assert [one.rank for one in found] == ["", "", ""]


def test_through_the_window(bench_window, qtbot):
    book = bench_window.bench.logbook
    pack(book, "Pack A")
    dialog = ChooseDialog(book, bench_window)
    dialog.only.setText("Pack A")
    dialog.load.setText("57")
    dialog.work_out()
    assert "has no unit" in dialog.sentence.text()
    dialog.load.setText("57 W")
    dialog.work_out()
    worked_out(qtbot, dialog)
    assert dialog.sentence.text().startswith("Pack A straight lasts longest")
    assert dialog.table.item(0, 2).text() == "100 in 100"


def test_by_size_and_by_price_only_where_they_are_known(shelf):
    before, _ = rank_table(choices_for(shelf, Uncertain(57.0, 0.5), None))
    assert not {"Wh per litre", "Wh per price", "connectors", "long enough"} & set(before)
    pack_a = next(u for u in shelf.units() if u.name == "Pack A")
    shelf.keep_unit(replace(pack_a, facts=UnitFacts(price="199 €", volume_l=4.0, connectors="ring terminals")))
    found = choices_for(shelf, Uncertain(57.0, 0.5), None)
    one = next(c for c in found if c.name == "Pack A straight")
    assert one.wh_per_l == pytest.approx(shelf_energy(one) / 4.0, rel=0.01)
    assert one.wh_per_money == pytest.approx(shelf_energy(one) / 199.0, rel=0.01)
    columns, rows = rank_table(found)
    line = rows[found.index(one)]
    assert line[columns.index("Wh per price")].endswith("per €")
    assert line[columns.index("connectors")] == "ring terminals"
    other = rows[next(k for k, c in enumerate(found) if c.name == "Pack B straight")]
    assert other[columns.index("Wh per price")] == ""


def way(name: str, proportional: float) -> Way:
    return Way(name, Uncertain(1.0), loss=(Uncertain(1.0, 0.05), Uncertain(proportional, 0.002), Uncertain(0.0)))


def test_two_ways_from_one_label_are_told_apart_two_labels_are_not(shelf):
    """A label is right to a third; which way loses less is known to a percent all the same."""
    unit = Unit("Labelled", "battery", "50 Ah 12.8 V LiFePO4")
    source = Source("Labelled", Uncertain(640.0, 0.0, 416.0, 640.0), nominal_v=12.8)
    chosen = [_choice(n, unit, source, way(n, p), Uncertain(57.0, 0.5), None, 3) for n, p in (("frugal", 0.05), ("wasteful", 0.2))]
    assert [c.rank for c in _ranked(chosen)] == ["1", "2"]
    other = _choice("another", unit, source, way("another", 0.2), Uncertain(57.0, 0.5), None, 4)
    assert [c.rank for c in _ranked([chosen[0], other])] == ["1 to 2", "1 to 2"]


def test_a_whole_run_counts_before_a_later_one_that_was_stopped(logbook):
    tried, only = (logbook.keep_unit(Unit(name, "battery", "50 Ah 12.8 V LiFePO4")) for name in ("Tried", "Only"))
    whole = keep_discharge(logbook, tried)
    stopped = falling(hours=1.0, end_v=12.6)
    for unit in (tried, only):
        options = LogOptions(said={"cutoff": "11 V"}, meters={"battery": Meter("M", "0.1 %", "0.5 % + 5 mA")}, unit=unit, full=True)
        part = keep(
            logbook, under_options(from_log(LogFile("part.csv", stopped.time_s, stopped.voltage_v, stopped.current_a)), options), unit
        )
    measured = measured_in(logbook)
    assert newest_of(logbook, tried.id).id != whole.id
    assert (measured.newest("source", "Tried"), measured.newest("source", "Only")) == (whole.id, part.id)
    first, last = choices_for(logbook, Uncertain(57.0, 0.5), None)
    assert (first.name, "at least" in first.why, "at least" in last.why) == ("Tried straight", False, True)


def test_how_long_without_a_unit_is_asked_not_guessed(shelf, qtbot):
    dialog = ChooseDialog(shelf)
    qtbot.addWidget(dialog)
    for hours, said in (("5", "5 of what?"), ("3 charges", "How long is it to last?"), ("5 hh", "not a unit"), ("0 h", "more than none")):
        dialog.hours.setText(hours)
        dialog.work_out()
        assert said in dialog.sentence.text()
    dialog.hours.setText("2 days")
    dialog.work_out()
    worked_out(qtbot, dialog)
    assert "lasts longest" in dialog.sentence.text() or "cannot be told apart" in dialog.sentence.text()


def worked_out(qtbot, dialog) -> None:
    """Beside the window: it never holds it up."""
    qtbot.waitUntil(lambda: "Working it out" not in dialog.sentence.text(), timeout=10_000)


def told(shelf, **more):
    return {one.name: one for one in choices_for(shelf, Uncertain(57.0, 0.5), 45 * 60.0, (), None, **more)}


def test_what_it_draws_at_first_is_held_against_what_each_gives_for_a_moment(shelf):
    units = {u.name: u for u in shelf.units()}
    shelf.keep_unit(replace(units["Pack A"], facts=UnitFacts(peak="600 W for 3 s")))
    shelf.keep_unit(replace(units["Pack B"], facts=UnitFacts(peak="80 W 3 s", apart="no load while charging")))
    shelf.keep_unit(replace(units["Pack C"], max_current_a=10.0))
    found = told(shelf, starts=Peak(96.0, 2.0))
    assert found["Pack A straight"].starts == "yes"
    assert found["Pack B straight"].seconds == 0
    assert found["Pack B straight"].why == "does not start it: 96 W for 2 s, and Pack B gives 80 W 3 s"
    assert found["Pack B straight"].apart == "no load while charging"
    assert found["Pack C straight"].starts == "yes"  # 128 W for ever
    assert found["Bank straight"].starts == "not known"
    assert told(shelf, starts=Peak(96.0, 5.0))["Pack A straight"].seconds == 0  # not for so long
    assert told(shelf)["Pack A straight"].starts == ""


def test_jobs_a_charge_does_and_how_many_of_its_own_batteries_it_is_worth(shelf):
    one = told(shelf, own_wh=20.0)["Pack A straight"]
    assert one.jobs == pytest.approx(one.seconds / 2700)
    assert one.of_own == pytest.approx(one.seconds / 3600 * 57.0 / 20.0)
    headings, rows = rank_table([one])
    assert rows[0][headings.index("jobs per charge")] == f"{one.jobs:.0f}"
    assert "starts it" not in headings
    assert told(shelf)["Pack A straight"].of_own is None


@pytest.mark.parametrize("text", ["600 W", "3 s", "600 for 3", "600 W for 0 s", "much"])
def test_a_peak_is_watts_for_so_long(text):
    with pytest.raises(QuantityError, match="600 W for 3 s"):
        parse_peak(text)


def test_a_peak_as_people_write_it():
    assert parse_peak("1.2 kW 500 ms") == Peak(1200.0, 0.5)
    assert parse_peak(" ") is None
