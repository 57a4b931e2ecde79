"""What people want to know: every method with an answer answers it once its test is made; every kind of thing is asked about; a doubtful figure is no answer."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import pytest

from tests.making import prepared, record_for
from tests.methods.samples import SAMPLES
from ubrant.core.account import Account
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import KINDS, Unit
from ubrant.core.record.head import BY_HAND, SIMULATED, Origin
from ubrant.core.uncertainty.finding import Finding
from ubrant.logbook.records import Summary
from ubrant.methods.enquiries import CAPACITY, MY_THINGS, Answering
from ubrant.methods.registry import entries, method_of
from ubrant.runs.kept.accounts import whole_account
from ubrant.runs.kept.answer_sheet import answer_sheet

ANSWERING = [(entry, how) for entry in entries() for how in entry.answers]
_NEEDS_MORE = {("sweep", "holds"), ("source", "at-once"), ("standing", "burns"), ("output", "true-display")}
"""What the sample of a method does not reach: a supply turned down until it lets go; one outlet after another; a display on its way down."""


def sampled(key):
    sample = SAMPLES[key]
    return record_for(key, sample.prepared(key, by_hand=True), lines=sample.lines)


@pytest.mark.parametrize(("entry", "how"), ANSWERING, ids=[f"{entry.key} · {how.enquiry.key}" for entry, how in ANSWERING])
def test_a_test_that_was_made_answers(entry, how):
    if (entry.key, how.enquiry.key) in _NEEDS_MORE:
        pytest.skip("the sample does not reach it")
    record = sampled(entry.key)
    account = whole_account(method_of(entry.key), record)
    answer = how.answer(account, record.head.setup.label)
    assert answer, "a test whose sample says nothing of it"
    assert answer[0] == answer[0].upper()
    assert "{" not in answer
    assert "  " not in answer


@pytest.mark.parametrize(("entry", "how"), ANSWERING, ids=[f"{entry.key} · {how.enquiry.key}" for entry, how in ANSWERING])
def test_what_it_takes_is_said(entry, how):
    assert how.effort().startswith(f"{how.minutes} min of yours")
    assert how.enquiry.kinds
    assert set(how.enquiry.kinds) <= set(KINDS)


def test_one_enquiry_has_one_key():
    keys = {how.enquiry.key: how.enquiry for _, how in ANSWERING}
    assert all(keys[how.enquiry.key] is how.enquiry for _, how in ANSWERING)


LABELS = {
    "battery": "12.8 V 50 Ah LiFePO4",
    "bank": "74 Wh 20 Ah 3.7 V",
    "station": "500 Wh 25.6 V, input 11-60 V 13 A",
    "converter": "12 V to 5 V, 8 A",
    "inverter": "12 V to 230 V sine, 300 W",
    "charger": "230 V to 14.6 V, 5 A",
    "load": "230 V, 90 W",
    "source": "18 V 60 W",
    "lead": "30 A fuse",
}


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_of_thing_is_asked_about(kind):
    """Of each what nobody measured yet stands there with the tests that would tell, the shortest first."""
    rows = answer_sheet(Unit("Thing", kind, LABELS[kind]), [], lambda run: None, datetime(2026, 12, 1, tzinfo=UTC))
    assert rows
    for row in rows:
        assert kind in row.enquiry.kinds
        assert row.ways or row.enquiry is MY_THINGS, row.enquiry.text
        assert [way.how.minutes for way in row.ways] == sorted(way.how.minutes for way in row.ways)
        assert row.run is None


def run_of(method, when, road=BY_HAND):
    return SimpleNamespace(method=method, started=when.isoformat(), state="done", head=SimpleNamespace(origin=Origin(road)))


def test_what_was_rehearsed_gives_way_to_what_was_measured():
    now = datetime(2026, 12, 1, 18, tzinfo=UTC)
    unit = Unit("Pack", "battery", "12.8 V 50 Ah LiFePO4")
    measured, rehearsed = run_of("discharge", now - timedelta(days=90)), run_of("discharge", now - timedelta(days=1), SIMULATED)
    told = {id(measured): Summary("", answers={"capacity": "holds 41 Ah"}), id(rehearsed): Summary("", answers={"capacity": "holds 50 Ah"})}

    def capacity(unit, *runs):
        return next(row for row in answer_sheet(unit, runs, lambda run: told[id(run)], now) if row.enquiry is CAPACITY)

    assert (capacity(unit, rehearsed, measured).answer, capacity(unit, rehearsed, measured).rehearsed) == ("holds 41 Ah", False)
    assert (capacity(unit, rehearsed).answer, capacity(unit, rehearsed).rehearsed) == ("holds 50 Ah", True)
    simulated = replace(unit, stand_in={"health": 0.9})
    assert not capacity(simulated, rehearsed).rehearsed, "of a thing that is simulated itself it is a measurement"


@pytest.mark.parametrize(("hours", "known"), [(1.0, True), (23.0, True), (25.0, False)])
def test_how_full_it_is_holds_for_a_day(hours, known):
    now = datetime(2026, 12, 1, 18, tzinfo=UTC)
    run = run_of("fullness", now - timedelta(hours=hours))
    told = Summary("About 70 %.", answers={"full": "70 ± 12 % full", "capacity": "holds 48 Ah"})
    rows = {row.enquiry.key: row for row in answer_sheet(Unit("Van", "battery", "12 V 82 Ah lead-acid"), [run], lambda _: told, now)}
    assert rows["full"].is_known is known
    assert rows["capacity"].is_known, "that holds longer"
    assert next(iter(rows)) == "full", "it stands first"


def test_an_answer_that_is_held_back_is_none():
    how = Answering(CAPACITY, ("holds {charge}",), 5)
    charge = Finding("charge", "Charge", 48.0, "Ah", (), "")
    account = Account({"charge": charge}, ("charge",), sentence="48 Ah.")
    assert how.answer(account) == "Holds 48 Ah"
    assert how.answer(replace(account, held_back="was it charged meanwhile?")) == ""
    assert how.answer(replace(account, trouble="nothing was read")) == ""
    assert how.answer(replace(account, findings={})) == ""


def test_it_is_found_by_the_words_people_use():
    assert CAPACITY.is_meant_by("any good")
    assert CAPACITY.is_meant_by("capacity")
    assert CAPACITY.is_meant_by("is it")
    assert not CAPACITY.is_meant_by("efficiency")


@pytest.mark.needs("discharge")
def test_an_answer_without_a_meter_that_is_known_says_so_and_goes_on():
    """*Holds 48.61 Ah (no ±) of 50 Ah*: a sentence that can be read."""
    bare = Meter("Old")
    told = (
        how.answer(whole_account(entry.method, _by(entry.key, bare)), SAMPLES[entry.key].unit.label)
        for entry, how in ANSWERING
        if how.enquiry is CAPACITY
    )
    assert any("Ah (no ±) of " in text for text in told)


def _by(key: str, meter: Meter):
    sample = SAMPLES[key]
    return record_for(
        key, prepared(key, sample.unit, (meter, meter), sample.battery, device=sample.device, **sample.typed), lines=sample.lines
    )
