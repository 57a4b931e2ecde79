"""Another logbook brought in: what is the same is recognised, what is there is not doubled, and it goes out again as a whole."""

from __future__ import annotations

import contextlib
from dataclasses import replace

import pytest
from typer.testing import CliRunner

from tests.logbook.make_golden import GOLDEN
from tests.window import keep_discharge
from ubrant.cli import app
from ubrant.core.equipment.certificates import MeterCheck
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit, UnitFacts
from ubrant.logbook.file import LogbookError
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Photo
from ubrant.runs.coming_in.merging import bring_in, is_same, take_out
from ubrant.runs.kept.accounts import account_of


def pack(name: str = "Pack", serial: str = "", label: str = "50 Ah 12.8 V LiFePO4") -> Unit:
    return Unit(name, "battery", label, facts=UnitFacts(serial=serial))


@pytest.fixture
def other(tmp_path):
    """A logbook of somebody else: two packs, a meter, three runs of which two are a series, a picture, a statement."""
    book = Logbook(tmp_path / "barn.ubrant")
    one, two = book.keep_unit(pack("Pack", "A-17")), book.keep_unit(pack("Field pack"))
    book.keep_meter(Meter("Handheld", "0.5 % + 2 mV", "1 % + 5 mA"))
    first = keep_discharge(book, one)
    again = keep_discharge(book, one, hours=4.0)
    book.update_run(replace(again, told=replace(again.head, origin=replace(again.head.origin, series=first.id))))
    keep_discharge(book, two, hours=3.0)
    book.keep_photo(Photo(b"jpeg of a label", "label", unit_id=one.id))
    book.keep_photo(Photo(b"jpeg of a bench", "bench", run_id=first.id))
    _, account = account_of(book, first)
    book.keep_statement(first.id, "2026-11-01T10:00:00+00:00", account.findings, account.sentence)
    book.close()
    return tmp_path / "barn.ubrant"


def test_all_of_it_comes_and_says_the_same(logbook, other):
    keep_discharge(logbook, logbook.keep_unit(Unit("Filler", "battery", "9 Ah 12 V lead-acid")))  # so that no number fits by chance
    before = other.read_bytes()
    came = bring_in(logbook, other)
    assert came.sentence("barn.ubrant") == "3 runs and 2 units came in from barn.ubrant."
    assert [m.name for m in logbook.meters()] == ["Handheld"]
    assert other.read_bytes() == before
    with_names = {run.id: (run, name) for run, name in logbook.runs() if run.id in came.runs}
    assert sorted(name for _, name in with_names.values()) == ["Field pack", "Pack", "Pack"]
    first = min(run_id for run_id, (_, name) in with_names.items() if name == "Pack")
    assert [run.id for run in logbook.series_of(first)] == [first, first + 1]  # by the numbers they have here
    run = logbook.run(first)
    assert run.head.setup.unit.id == run.unit_id == next(u.id for u in logbook.units() if u.name == "Pack")
    theirs = Logbook(other)
    there = theirs.run(min(r.id for r, n in theirs.runs() if n == "Pack"))
    here_says, there_says = account_of(logbook, run)[1], account_of(theirs, there)[1]
    assert here_says.sentence == there_says.sentence
    assert {k: (f.value, f.expanded_uncertainty) for k, f in here_says.findings.items()} == {
        k: (f.value, f.expanded_uncertainty) for k, f in there_says.findings.items()
    }
    assert logbook.statements(first) == theirs.statements(there.id)
    theirs.close()
    assert [p.jpeg for p in logbook.photos_of(run)] == [b"jpeg of a bench", b"jpeg of a label"]


def test_twice_is_once_and_all_of_it_goes_again(logbook, other):
    came = bring_in(logbook, other)
    again = bring_in(logbook, other)
    assert (again.runs, again.units, again.meters) == ([], [], [])
    assert again.sentence("barn.ubrant") == ("0 runs and 0 units came in from barn.ubrant; 2 units were here; 3 runs were here already.")
    logbook.throw_away(came.runs[0], "2026-11-29T10:00:00+00:00")
    assert bring_in(logbook, other).runs == []  # what was thrown away here does not come back by the back door
    take_out(logbook, came)
    assert (logbook.runs(), logbook.units(), logbook.meters(), logbook.thrown()) == ([], [], [], [])


def test_the_same_thing_is_known_by_its_serial_number_before_its_name(logbook, other):
    renamed = logbook.keep_unit(pack("Dome pack", "a-17", "50 Ah LiFePO4 12.8 V"))
    stranger = logbook.keep_unit(pack("Field pack", label="20 Ah 12.8 V LiFePO4"))
    came = bring_in(logbook, other)
    assert came.same == 1
    assert [p.text for p in logbook.photos(renamed.id)] == ["label"]
    assert len(logbook.runs(unit_id=renamed.id)) == 2
    assert logbook.runs(unit_id=stranger.id) == []  # the same name, but another label
    assert [u.name for u in logbook.units()] == ["Dome pack", "Field pack", "Field pack (from barn)"]
    again = bring_in(logbook, other)
    assert (again.units, again.runs, again.same) == ([], [], 2)
    take_out(logbook, came)
    assert ([u.name for u in logbook.units()], logbook.photos(renamed.id)) == (["Dome pack", "Field pack"], [])
    assert not is_same(pack("Pack", "1"), pack("Pack", "2"))
    assert is_same(pack("Pack", "1"), pack("Pack"))
    assert not is_same(pack("Pack", "1"), replace(pack("Pack", "1"), kind="bank"))


def test_two_alike_there_are_two_here_and_stay_two(logbook, tmp_path):
    theirs = Logbook(tmp_path / "twins.ubrant")
    twins = [theirs.keep_unit(pack("Cell")) for _ in range(2)]
    for unit, hours in zip(twins, (5.0, 4.0), strict=True):
        keep_discharge(theirs, unit, hours=hours)
    going = keep_discharge(theirs, twins[0], hours=3.0)
    theirs.update_run(replace(going, state="running"))
    theirs.close()
    came = bring_in(logbook, tmp_path / "twins.ubrant")
    assert came.sentence("twins.ubrant") == "2 runs and 2 units came in from twins.ubrant; one run is still going on there."
    assert [len(logbook.runs(unit_id=u.id)) for u in logbook.units()] == [1, 1]
    again = bring_in(logbook, tmp_path / "twins.ubrant")
    assert (again.same, again.had, again.units, again.runs) == (2, 2, [], [])


@pytest.mark.parametrize("golden", sorted(GOLDEN.glob("*.ubrant")), ids=lambda p: p.stem)
def test_of_every_past_format(logbook, golden):
    before = golden.read_bytes()
    assert bring_in(logbook, golden).sentence("it") == "One run and one unit came in from it."
    assert golden.read_bytes() == before


def test_a_meter_of_the_same_name_is_another_and_comes_once(logbook, other):
    logbook.keep_meter(Meter("Handheld", "2 %", "3 %"))
    for _ in range(2):
        bring_in(logbook, other)
    assert [m.name for m in logbook.meters()] == ["Handheld", "Handheld (from barn)"]


def test_what_is_known_of_this_room_is_not_put_on_theirs(logbook, other):
    run = keep_discharge(logbook, logbook.keep_unit(pack("Mine")))
    conditions = replace(run.head.conditions, temperature_c=None, room_c=(18.0, 22.0))
    logbook.update_run(replace(run, told=replace(run.head, conditions=conditions)))
    theirs = Logbook(other)
    for one, _ in theirs.runs():
        theirs.update_run(replace(one, told=replace(one.head, conditions=replace(one.head.conditions, temperature_c=None))))
    theirs.close()
    came = bring_in(logbook, other)
    assert {logbook.run(run_id).head.conditions.room_c for run_id in came.runs} == {None}


def test_what_is_no_logbook_is_refused_and_nothing_changes(logbook, tmp_path):
    text = tmp_path / "notes.ubrant"
    text.write_text("dear diary")
    for path, words in (
        (text, "is not a Ubrant logbook|cannot be read"),
        (tmp_path / "gone.ubrant", "is not there"),
        (logbook.path, "is this logbook itself"),
    ):
        with pytest.raises(LogbookError, match=words):
            bring_in(logbook, path)
    assert (logbook.units(), logbook.runs()) == ([], [])


def test_by_command(tmp_path, other):
    path = tmp_path / "mine.ubrant"
    Logbook(path).close()
    said = CliRunner().invoke(app, ["bring-in", str(path), str(other)])
    assert (said.exit_code, said.stdout.strip()) == (0, "3 runs and 2 units came in from barn.ubrant.")
    assert CliRunner().invoke(app, ["bring-in", str(path), str(path.with_name("none.ubrant"))]).exit_code == 2


def test_a_meter_brings_its_checks_and_comes_once(logbook, tmp_path):
    check = MeterCheck("2026-05-01", "Lab", "A", 10.0, 0.3, 0.02, 0.97, 0.0, "0.2 % + 5 mA", run=7)
    with contextlib.closing(Logbook(tmp_path / "other.ubrant")) as other:
        other.keep_meter(Meter("Clamp", "0.5 % + 10 mV", "2 % + 50 mA", details=MeterDetails(checks=(check,))))
    for _ in range(2):
        bring_in(logbook, tmp_path / "other.ubrant")
        (clamp,) = [m for m in logbook.meters() if m.name == "Clamp"]
        assert clamp.details.checks == (replace(check, run=0),)
