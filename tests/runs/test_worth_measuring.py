"""What to measure next for an outlook: which test is named, with what meters, and on the command line the same."""

from __future__ import annotations

import json
from datetime import UTC, datetime

import pytest

from tests.command_line import ubrant
from tests.making import falling
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.outlook.answers import look
from ubrant.core.worth.narrowing import half_width_told
from ubrant.logbook.logs.log_file import LogFile
from ubrant.logbook.records import StoredOutlook
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options
from ubrant.runs.kept.answer_sheet import row_told, sheet_of_unit
from ubrant.runs.kept.promised import promises_of
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_parts import parse_kit
from ubrant.runs.kits.measured import measured_in
from ubrant.runs.kits.next_tests import next_in
from ubrant.runs.kits.promised_tests import promises_kept, score_told, what_came
from ubrant.runs.kits.worth_measuring import worth_measuring

LABEL = '[source]\nname = "Pack"\nlabel = "50 Ah 12.8 V LiFePO4"\n'
FRIDGE = '[[load]]\nname = "fridge"\npower = "36..40 W"\n'
METER = Meter("Bench", "0.1 % + 3 mV", "0.5 % + 5 mA")


def worth(text: str, wanted_h: float | None = None, units=(), meters=(METER,)):
    kit = kit_of(parse_kit(text))
    return worth_measuring(kit, look(kit), units, meters, wanted_h * 3600 if wanted_h else None)


def test_the_label_is_most_of_the_doubt_and_a_discharge_takes_it():
    found = worth(LABEL + FRIDGE)
    assert found is not None
    assert found.tests[0].entry.key == "discharge"
    assert found.tests[0].unit == "Pack"
    assert found.tests[0].meters == "Bench"
    assert "what Pack holds" in found.mostly
    assert found.tests[0].gain.share < 0.4
    assert found.no_need == ""


def test_a_bank_is_emptied_at_its_output():
    found = worth('[source]\nname = "Bank"\nlabel = "20000 mAh 3.7 V"\n' + FRIDGE, units=(Unit("Bank", "bank", "20000 mAh 3.7 V"),))
    assert found is not None
    assert found.tests[0].entry.key == "output"


def test_a_better_meter_promises_more():
    rough = worth(LABEL + FRIDGE, meters=(Meter("Clamp", "2 % + 0.1 V", "8 % + 0.1 A"),))
    fine = worth(LABEL + FRIDGE)
    assert rough is not None
    assert fine is not None
    assert rough.tests[0].gain.after > 1.2 * fine.tests[0].gain.after
    both = worth(LABEL + FRIDGE, meters=(Meter("Clamp", "2 % + 0.1 V", "8 % + 0.1 A"), METER))
    assert both is not None
    assert both.tests[0].gain.after == fine.tests[0].gain.after  # the better of one's own counts


def test_an_efficiency_is_told_to_about_a_hundredth():
    """T = E·η/P: one percent of η, 95 %, and half a percent of the meters', leave 1.1 % of T; 5 to 95 % is 0.82 of that."""
    found = worth('[source]\nenergy = "640 Wh"\n[way]\nname = "inverter"\nefficiency = "78..94 %"\n[[load]]\npower = "50 W"\n')
    assert found is not None
    told = next(test for test in found.tests if test.how.enquiry.key == "lost")
    lasts_s = 640 * 0.86 / 50 * 3600
    assert told.gain.after == pytest.approx(0.0112 * 1.645 / 2 * lasts_s, rel=0.25)


def test_without_a_meter_it_says_so():
    found = worth(LABEL + FRIDGE, meters=())
    assert found is not None
    assert "none of your meters reads V and A" in found.tests[0].meters


@pytest.mark.parametrize(("hours", "said"), [(4.0, "No need to measure: it lasts 4 h in 100 of 100"), (60.0, "in 0 of 100 cases only")])
def test_no_need(hours, said):
    found = worth(LABEL + FRIDGE, hours)
    assert found is not None
    assert said in found.no_need
    assert found.lines()[0] == found.no_need
    assert not any("would become" in line for line in found.lines())


def test_where_it_is_open_whether_it_is_enough_the_test_that_decides_comes_first():
    found = worth(LABEL + '[[load]]\nname = "fridge"\npower = "30..46 W"\nduty = "50..90 %"\n', 20.0)
    assert found is not None
    changes = [test.gain.changes or 0.0 for test in found.tests]
    assert changes[0] >= max(changes) - 0.05
    assert changes[0] > 0.05


def test_two_that_only_together_do_much():
    found = worth(LABEL + '[[load]]\nname = "fridge"\npower = "38 W"\nduty = "36..56 %"\n')
    assert found is not None
    assert found.pair.startswith("No one test does much; two do: ")


def test_where_one_thing_is_all_of_the_doubt_that_is_said():
    found = worth(LABEL + '[[load]]\nname = "lamp"\npower = "12 W"\n')
    assert found is not None
    assert found.mostly.startswith("All of the doubt is what Pack holds: ± ")


def test_what_is_sure_has_nothing_to_tell():
    assert worth('[source]\nenergy = "640 Wh"\n[[load]]\npower = "38 W"\n') is None


@pytest.mark.parametrize(
    ("seconds", "said"), [(26_500.0, "7 h 20 min"), (41_000.0, "11 h"), (2_000.0, "33 min"), (300.0, "5 min"), (47.0, "47 s")]
)
def test_half_widths_as_people_say_them(seconds, said):
    assert half_width_told(seconds) == said


def test_a_whole_logbook_its_outlooks_first_then_what_is_open(logbook):
    logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    logbook.keep_meter(METER)
    kit = 'name = "Evening"\n[[source]]\nname = "Pack"\n' + FRIDGE
    logbook.keep_outlook(StoredOutlook("Evening", None, "2026-12-01T10:00:00+00:00", {"kit": kit}, "Runs for about 16 h"))
    found = next_in(logbook, datetime.now().astimezone())
    assert [one.name for one in found] == ["Evening", "Pack"]
    assert any("Discharge, Pack: ±" in line for line in found[0].lines())
    assert all("Not known" in line for line in found[1].lines())


def test_on_the_command_line(tmp_path):
    path = tmp_path / "kit.toml"
    path.write_text(LABEL + FRIDGE, encoding="utf-8")
    told = ubrant("next", str(path), "--for", "14 h")
    assert "Most of the doubt is what Pack holds" in told.stdout
    found = json.loads(ubrant("next", str(path), "--for", "4 h", "--json").stdout)
    assert found["outlooks"][0]["no_need"].startswith("No need to measure")
    refused = ubrant("next", str(path), "--for", "soon")
    assert refused.returncode == 2
    assert "soon" in refused.stderr


def test_days_on_the_command_line_from_a_file_and_from_the_logbook(tmp_path, logbook):
    logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    logbook.keep_unit(Unit("Pack charger", "charger", "230 V to 14.6 V, 10 A"))
    days = tmp_path / "days.toml"
    book = logbook.path.name
    days.write_text(
        f'logbook = "{book}"\nbegins = "Fri 18:00"\nloads = ["lamp board"]\n[[test]]\nunit = "Pack"\nmethod = "discharge"\ntakes = "5 h"\nends = "by itself"\n'
    )
    told = ubrant("days", str(days), "--calendar", str(tmp_path / "v.ics"), "--page", str(tmp_path / "v.html"))
    assert "Pack on Pack charger" in told.stdout
    assert "BEGIN:VALARM" in (tmp_path / "v.ics").read_text()
    assert "<td>Fri 18:00</td>" in (tmp_path / "v.html").read_text()
    assert len(json.loads(ubrant("days", str(days), "--json").stdout)["hours"]) == 4
    nothing = ubrant("days", str(logbook.path))
    assert nothing.returncode
    assert "has no days at the bench" in nothing.stderr


def test_what_was_promised_is_held_against_what_came(logbook):
    """An outlook on a label, kept; then the pack is discharged: the promise is scored."""
    pack = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    text = 'name = "Evening"\n[[source]]\nname = "Pack"\n' + FRIDGE
    kit = kit_of(parse_kit(text), measured_in(logbook))
    found = worth_measuring(kit, look(kit), [pack], (METER,))
    promises = promises_kept(found)
    kept = StoredOutlook("Evening", None, "2026-08-01T10:00:00+00:00", {"kit": text, **promises}, "Runs for about 16 h")
    logbook.keep_outlook(kept)
    (first, *_) = promises_of(logbook.outlooks()[0])
    assert (first.unit, first.method, first.told()) == ("Pack", "discharge", "")
    assert what_came(logbook, logbook.outlooks()) == []
    body = falling()
    told = LogOptions(said={"cutoff": "11 V"}, meters={"battery": METER}, unit=pack, full=True, temperature_c=20.0)
    log = LogFile("p.csv", body.time_s, body.voltage_v, body.current_a, started=datetime(2026, 8, 2, 9, 0, tzinfo=UTC))
    keep(logbook, under_options(from_log(log), told), pack)
    (came,) = what_came(logbook, logbook.outlooks())
    assert came.came_s is not None
    assert 0.5 <= came.came_s / came.promised_s <= 1.6
    assert came.told().startswith("Discharge of Pack was to make ± ")
    assert "Of 1 tests" in score_told([came])
    assert score_told([]) == ""
    assert any("What tests told" in one.name for one in next_in(logbook, datetime.now().astimezone()))


def test_a_promise_that_cannot_be_read_is_none():
    kept = StoredOutlook("Evening", None, "2026-08-01T10:00:00+00:00", {"kit": "", "would_tell": "[{"}, "")
    assert promises_of(kept) == []


def test_on_the_sheet_of_answers_what_an_outlook_waits_for_goes_up(logbook):
    pack = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    now = datetime.now().astimezone()

    def rows():
        return sheet_of_unit(logbook, pack, lambda _: None, now)

    plain = [row.enquiry.key for row in rows()]
    promise = json.dumps([{"unit": "pack", "method": "audit", "before_s": 21_600.0, "after_s": 14_100.0}])
    kept = StoredOutlook("Evening", None, "2026-08-01T10:00:00+00:00", {"kit": "", "would_tell": promise}, "")
    logbook.keep_outlook(kept)
    found = rows()
    open_rows = [row for row in found if not row.is_known and row.enquiry.rank > 0]
    assert open_rows[0].enquiry.key == "drawn"
    assert plain.index("drawn") > 2
    assert "“Evening”: ± 6 h would become ± 3 h 55 min" in row_told(open_rows[0], [METER])
    assert [row.enquiry.key for row in found if row.enquiry.rank == 0] == ["full"]  # how full it is stays first


def test_what_was_measured_since_waits_for_nothing(logbook):
    pack = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"))
    promise = json.dumps([{"unit": "Pack", "method": "discharge", "before_s": 21_600.0, "after_s": 14_100.0}])
    logbook.keep_outlook(StoredOutlook("Evening", None, "2026-08-01T10:00:00+00:00", {"kit": "", "would_tell": promise}, ""))
    body = falling()
    log = LogFile("p.csv", body.time_s, body.voltage_v, body.current_a, started=datetime(2026, 8, 2, 9, 0, tzinfo=UTC))
    keep(logbook, under_options(from_log(log), LogOptions(said={"cutoff": "11 V"}, unit=pack)), pack)
    assert all(row.tells is None for row in sheet_of_unit(logbook, pack, lambda _: None, datetime.now().astimezone()))
