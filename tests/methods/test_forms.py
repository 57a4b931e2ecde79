"""What a form may say, what speaks against it, and that a plan comes back from what a run keeps."""

from __future__ import annotations

import json

import pytest

from tests.making import BLOCK, BREAKER, BRICK, HUT, METER, PACK, PLUG, PROJECTOR, STEP_DOWN, prepared, problems, record_for
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.quantity import QuantityError
from ubrant.core.record.head import INSTRUMENTS, LOG, SIMULATED, Origin, Setup, head_from_json, head_to_json
from ubrant.methods.method import LoadRating, refusals_first
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import entries, method_of, suiting

HERE = {e.key for e in entries()}
UNITS = (PACK, STEP_DOWN, HUT, BREAKER, PROJECTOR, BRICK)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("12 V to 5 V, 3 A", (12.0, 5.0, 3.0, 15.0)),
        ("12 V → 19 V · 90 W", (12.0, 19.0, 90 / 19, 90.0)),
        ("24,5 V auf 12 V, 2,5 A", (24.5, 12.0, 2.5, 30.0)),
    ],
)
def test_what_a_label_says_goes_in_and_comes_out(text, expected):
    found = read_ratings(Unit("x", "converter", text))
    assert (found.input_v, found.output_v, found.amps, found.watts) == pytest.approx(expected)


@pytest.mark.parametrize(("text", "says"), [("5 V, 3 A", "what goes in and what comes out"), ("12 V to 5 V", "how much it gives")])
def test_a_label_that_does_not_say_enough(text, says):
    with pytest.raises(ValueError, match=says):
        read_ratings(Unit("x", "converter", text))
    needs_watts = [
        e
        for e in suiting(Unit("x", "converter", text))
        if e.key not in {"anything", "ladder"} and (e.key != "idle" or says != "how much it gives")
    ]
    assert needs_watts
    for entry in needs_watts:
        with pytest.raises(ValueError, match=says):
            entry.method.form(Setup(Unit("x", "converter", text)))


AGAINST = [
    ("sweep", STEP_DOWN, {"highest": "5 V", "lowest": "9 V"}, True, "from a higher voltage down"),
    ("sweep", STEP_DOWN, {"step": "0 V"}, True, "in steps over 0 V"),
    ("sweep", STEP_DOWN, {"highest": "20 V"}, True, "over its window is damage"),
    ("sweep", STEP_DOWN, {"loads": "1 A"}, True, "At least two loads"),
    ("sweep", STEP_DOWN, {"loads": "0, 4 A"}, False, "over its rating of 3 A"),
    ("sweep", STEP_DOWN, {"step": "0.02 V"}, True, "points are too many"),
    ("sweep", STEP_DOWN, {"most": "30 A"}, False, "reads up to 20 A"),
    ("sweep", STEP_DOWN, {"meters": (Meter("Bare"), METER)}, False, "Nobody said how accurate Bare is"),
    ("sweep", STEP_DOWN, {"ratings": "leads 2 A"}, False, "The leads will carry up to"),
    ("steps", HUT, {"meters": (METER, PLUG)}, True, "choose which one feeds it"),
    ("steps", HUT, {"battery": BLOCK}, True, "reads up to 60 V, and 230 V"),
    (
        "steps",
        HUT,
        {"meters": (METER, PLUG), "battery": Unit("Big", "battery", "25.6 V 50 Ah LiFePO4")},
        True,
        "has 25.6 V, and Hut takes 12 V",
    ),
    (
        "steps",
        HUT,
        {"meters": (METER, PLUG), "battery": Unit("Weak", "battery", "12.8 V 5 Ah LiFePO4", max_current_a=10.0)},
        False,
        "may give 10 A",
    ),
    ("steps", HUT, {"meters": (METER, PLUG), "battery": BLOCK, "loads": "0, 400 W"}, False, "it should protect itself"),
    ("steps", HUT, {"meters": (METER, PLUG), "battery": BLOCK, "loads": "0 W"}, True, "At least two loads"),
    ("idle", HUT, {"seconds": "0 min"}, True, "have to be more than 0"),
    ("idle", HUT, {"input": "18 V"}, True, "over its window is damage"),
    ("trip", BREAKER, {"amps": "90 A"}, True, "reads up to 20 A, and 90 A"),
    ("trip", BREAKER, {"amps": "9 A", "curve": ""}, False, "Without its maker's curve"),
    ("appliance", PROJECTOR, {"modes": " , "}, True, "Name at least one mode"),
    ("appliance", PROJECTOR, {}, False, "Nobody said how accurate the watts"),
    ("external-supply", BRICK, {"rated": "0 A"}, True, "more than 0 A"),
]


@pytest.mark.parametrize(("key", "unit", "typed", "refused", "says"), [row for row in AGAINST if row[0] in HERE])
def test_what_speaks_against_a_plan(key, unit, typed, refused, says):
    found = problems(key, prepared(key, unit, **typed))
    assert any(says in text and is_refused == refused for is_refused, text in found), found


UNREADABLE = [
    ("sweep", STEP_DOWN, {"highest": "13 A"}, "is in A"),
    ("sweep", STEP_DOWN, {"tolerance": "about five"}, "is not a tolerance"),
    ("sweep", STEP_DOWN, {"ratings": "wire 3 A"}, "is no rating"),
    ("steps", HUT, {"loads": "0, x W"}, "is not a value"),
    ("idle", HUT, {"seconds": "5 V"}, "is in V"),
    ("trip", BREAKER, {"curve": "2 fast"}, "no point of a curve"),
]


@pytest.mark.parametrize(("key", "unit", "typed", "says"), [row for row in UNREADABLE if row[0] in HERE])
def test_a_field_that_cannot_be_read_is_named(key, unit, typed, says):
    with pytest.raises(QuantityError, match=says) as refused:
        prepared(key, unit, **typed)
    assert refused.value.key in typed


def pairs():
    return [
        pytest.param(e.method, unit, id=f"{e.key}-{unit.kind}")
        for e in entries()
        for unit in UNITS
        if e.method.is_started and e.suits(unit)
    ]


@pytest.mark.parametrize(("method", "unit"), pairs())
def test_a_plan_comes_back_from_what_its_run_keeps(method, unit):
    battery = BLOCK if method.on_battery else None
    made = prepared(method.key, unit, (METER, PLUG), battery)
    kept = method.head(made, Origin(SIMULATED, made.between))
    again = method.prepared(head_from_json(json.loads(json.dumps(head_to_json(kept)))))
    assert again == made
    assert method.typed(again) == method.typed(made)
    retyped = method.prepare(made.setup, method.typed(made))
    assert (retyped.plan, method.typed(retyped)) == (made.plan, method.typed(made)), "what its fields show can be typed again"


@pytest.mark.parametrize(("method", "unit"), pairs())
def test_nothing_taken_is_said_so(method, unit):
    made = prepared(method.key, unit, (METER, PLUG), BLOCK if method.on_battery else None)
    for record in (
        record_for(method.key, made),
        record_for(method.key, made, lines={}),
        record_for(method.key, made, state="running"),
        record_for(method.key, made, road=LOG),
    ):
        empty = method.account(record)
        assert empty.trouble.endswith("."), empty
        assert empty.findings == {}
        empty.path()
        empty.drawings()


@pytest.mark.parametrize(("method", "unit"), pairs())
def test_what_is_asked_and_called_out(method, unit):
    made = prepared(method.key, unit, (METER, PLUG), BLOCK if method.on_battery else None)
    hand = method.by_hand(made)
    assert hand.asks
    if hand.rows:
        assert hand.rows[0] != hand.after
    lines = method.hand_lines(made)
    assert lines[0].by_person
    assert len(lines) >= 2
    if INSTRUMENTS in method.roads:
        said = [c for line in method.step_lines(made, None) for c in line.cautions]
        assert len(said) == len(set(said)), "each caution once"
        length = method.length_s(made)
        assert length is None or length > 0


def test_what_suits_what():
    def keys(kind, text):
        return [e.key for e in suiting(Unit("x", kind, text))]

    told = {
        ("converter", "12 V to 5 V, 3 A"): ["sweep", "steps", "idle", "brick", "ladder", "anything"],
        ("inverter", "12 V to 230 V, 300 W"): ["steps", "idle", "ladder", "anything"],
        ("charger", "230 V to 19 V, 65 W"): ["external-supply", "charger", "brick", "anything", "meter-check"],
        ("lead", "30 A breaker"): ["trip", "joint"],
        ("load", "230 V, 52 W"): ["plug-day", "handover", "appliance", "ladder", "anything", "meter-check"],
        ("battery", "12.8 V 50 Ah LiFePO4"): [
            "discharge",
            "fullness",
            "short-load",
            "emptying",
            "recharge",
            "source",
            "balance",
            "ways",
            "audit",
            "endurance",
            "standing",
            "round-trip",
            "anything",
            "meter-check",
        ],
        ("charger", "60 W panel, 12 V class"): ["source", "charger", "brick", "anything", "meter-check"],
    }
    for (kind, text), expected in told.items():
        assert keys(kind, text) == [key for key in expected if key in HERE], text


@pytest.mark.parametrize(("key", "unit"), [("sweep", STEP_DOWN)] if "sweep" in HERE else [])
def test_refusals_come_first(key, unit):
    found = method_of(key).problems(prepared(key, unit, (Meter("Bare"), METER), loads="1 A"), LoadRating())
    assert found == refusals_first(found)
    assert found[0].refused
