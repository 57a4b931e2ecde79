"""What is known of a run besides its readings: what was tested with what, the plan, what it is judged by, and which road it came in by."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, details_from
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import Label, LabelError
from ubrant.core.quantities.quantity import QuantityError, parse_number, plain
from ubrant.core.quantities.tolerance import Tolerance
from ubrant.core.record.codec import CodecError, decode, encode
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.typed import STRAIGHT
from ubrant.core.wording import say

SIMULATED, INSTRUMENTS, BY_HAND, LOG = "simulated bench", "bench", "typed", "log"
"""Roads by which a record comes in, as files name them."""

SAME_PLACE = {"dc": "input", "ac": "output", "battery": "source", "load": "output", "bank": "source", "station": "source"}
"""Names people use for the two ends of what converts."""
_OF_THE_SOURCE = ("dc", "source", "battery")


@dataclass(frozen=True)
class Setup:
    """What stands on the path: the unit under test, the meters by the tap each is read at, the leads, the battery that feeds it, what it feeds."""

    unit: Unit
    meters: Mapping[str, Meter] = field(default_factory=dict)
    leads: Leads = field(default_factory=Leads)
    battery: Unit | None = None
    device: Unit | None = None

    def meter(self, tap: str) -> Meter:
        """The meter at a tap; one without a name or an accuracy where there is none."""
        return self.meters.get(tap) or Meter("")

    def tap_named(self, tap: str) -> str:
        """The tap of a meter by any name that people have for its place; without one the run's own first."""
        if not tap:
            return next(iter(self.meters), "")
        names = (tap, SAME_PLACE.get(tap, tap), *_OF_THE_SOURCE) if tap in _OF_THE_SOURCE else (tap, SAME_PLACE.get(tap, tap))
        return next((name for name in names if name in self.meters), SAME_PLACE.get(tap, tap))

    def accuracy(self, tap: str, unit: str) -> Accuracy | None:
        """Of the meter at a tap, in V, A or W; None where nobody said. It knows whose it is: what reads at several taps has one gain for all, but for its linearity.

        Raises
        ------
        QuantityError
            Its text is not understood.
        """
        found = self.meter(tap).accuracy(unit)
        if found is None:
            return None
        taps = [at for at, meter in self.meters.items() if meter.uid and meter.uid == found.meter]
        found = replace(found, place=tap)
        return found if len(taps) < 2 else found.shared() if tap == taps[0] else found.moved_to(tap)

    def on(self, day: str) -> Setup:
        """With its meters as they were on a day, ISO, by their checks and certificates."""
        return replace(self, meters={tap: meter.on(day) for tap, meter in self.meters.items()})

    @property
    def one_meter(self) -> bool:
        """One meter was moved from the input to the output."""
        return "output" not in self.meters or self.meter("input").is_same(self.meter("output"))

    @property
    def label(self) -> Label | None:
        """The unit's label; None where it claims no capacity."""
        try:
            return self.unit.label
        except LabelError:
            return None


def label_of(unit: Unit) -> Label | None:
    """A unit's label; None where it claims no capacity."""
    return Setup(unit).label


@dataclass(frozen=True)
class Criteria:
    """What a record is judged by. It can change later; the plan cannot.

    Attributes
    ----------
    cutoff : voltage at the battery, with its hold time
    tolerance : of an output
    rated_w : of an output
    ratings : currents that leads, fuse and cord are made for, as typed
    curve : of a breaker's maker, as typed
    battery_wh : what an idle draw is held against
    """

    cutoff: Cutoff | None = None
    tolerance: Tolerance | None = None
    rated_w: float | None = None
    ratings: str = ""
    curve: str = ""
    battery_wh: float | None = None


_SAYS_FULL = re.compile(r"\s*(?:it was )?(?:full|fully charged|charged full(?:y)?|full charge)\s*[.!]?\s*", re.I)


@dataclass(frozen=True)
class Conditions:
    """What held, as far as somebody said it; None or empty is unknown.

    Attributes
    ----------
    temperature_c : of the battery at the start
    room_c : between what the room is, where the battery's own temperature was not written down
    start : what is known of the start, in words
    load_w : that a wave was made at
    full : whether it was charged fully before
    guess : what a person thought it would be, before; in no sum
    checked : checks of the gate that a person has looked at: it is so, as it was read
    """

    temperature_c: float | None = None
    start: str = ""
    load_w: float | None = None
    full: bool | None = None
    checked: tuple[str, ...] = ()
    room_c: tuple[float, float] | None = None
    guess: str = ""

    @property
    def was_full(self) -> bool | None:
        """Whether it was full at the start: as it was answered, or else as the words of the start say it and nothing besides; None where nobody said."""
        return self.full if self.full is not None else True if _SAYS_FULL.fullmatch(self.start) else None


def parse_room(text: str) -> tuple[float, float] | None:
    """Between what a room is: ``17 to 23 °C``; None for nothing written.

    Raises
    ------
    QuantityError
        It is no such thing, or no room for people.
    """
    if not text.strip():
        return None
    match = re.fullmatch(r"\s*([-−+]?[\d.,]+)\s*(?:°?\s*C)?\s*(?:to|–|\.\.|…|-)\s*([-−+]?[\d.,]+)\s*°?\s*C?\s*", text)
    if not match:
        raise QuantityError(say("“{room}” is not understood: write it like “17 to 23 °C”.", room=text.strip()))
    low, high = sorted((parse_number(match[1]), parse_number(match[2])))
    if low < _COLDEST_C or high > _HOTTEST_C:
        raise QuantityError(say("{low} to {high} °C is no room that a battery is tested in.", low=plain(low), high=plain(high)))
    return low, high


def show_room(room_c: tuple[float, float] | None) -> str:
    """As it could have been typed; empty where nobody knows."""
    return "" if room_c is None else f"{plain(room_c[0])} to {plain(room_c[1])} °C"


_COLDEST_C, _HOTTEST_C = -30.0, 55.0


@dataclass(frozen=True)
class Origin:
    """Which road a record came in by.

    Attributes
    ----------
    road : SIMULATED, INSTRUMENTS, BY_HAND or LOG
    between : what lay between two typed readings: a straight line, or the value held
    tap : where a log's own volts and amperes were metered
    timed : False for a log without a column of time, whose lines are points
    columns : headings of a log, by quantity
    said : sentences about what was taken for granted or left out
    series : number of the run that this was made as the same again of; 0 where it was not
    instruments : the meter that did each role (load, supply, scope), by what tells it from others
    clock_s : by how much all its times of day were put later, since a clock was wrong
    """

    road: str = LOG
    between: str = STRAIGHT
    tap: str = "battery"
    timed: bool = True
    columns: dict[str, str] = field(default_factory=dict)
    said: tuple[str, ...] = ()
    instruments: dict[str, str] = field(default_factory=dict)
    series: int = 0
    clock_s: float = 0.0


@dataclass(frozen=True)
class RunHeader:
    """All of it. ``plan`` is the JSON of the method's own dataclass, empty for a log from elsewhere."""

    method: str
    setup: Setup
    plan: Mapping[str, Any] = field(default_factory=dict)
    criteria: Criteria = field(default_factory=Criteria)
    conditions: Conditions = field(default_factory=Conditions)
    origin: Origin = field(default_factory=Origin)

    def at(self, road: str) -> RunHeader:
        """The same, made on another bench."""
        return replace(self, origin=replace(self.origin, road=road))


def head_to_json(head: RunHeader) -> dict[str, Any]:
    """For logbooks and exports."""
    setup = head.setup
    made: dict[str, Any] = {"method": head.method, "unit": _unit_to_json(setup.unit)}
    if setup.battery is not None:
        made["battery"] = _unit_to_json(setup.battery)
    if setup.device is not None:
        made["device"] = _unit_to_json(setup.device)
    made["leads"] = {"length_m": setup.leads.length_m, "area_mm2": setup.leads.area_mm2}
    made["meters"] = {tap: _meter_to_json(meter) for tap, meter in setup.meters.items()}
    parts = {
        "plan": dict(head.plan),
        "criteria": encode(head.criteria),
        "conditions": encode(head.conditions),
        "origin": encode(head.origin),
    }
    return made | {key: value for key, value in parts.items() if value}


def head_from_json(data: Mapping[str, Any]) -> RunHeader:
    """The head again.

    Raises
    ------
    CodecError
        It does not hold together.
    """
    try:
        battery, device = data.get("battery"), data.get("device")
        meters = {str(tap): _meter_from_json(about) for tap, about in data.get("meters", {}).items()}
        setup = Setup(
            _unit_from_json(data.get("unit", {})),
            meters,
            decode(Leads, data.get("leads", {})),
            _unit_from_json(battery) if battery else None,
            _unit_from_json(device) if device else None,
        )
        return RunHeader(
            str(data["method"]),
            setup,
            dict(data.get("plan", {})),
            decode(Criteria, data.get("criteria", {})),
            decode(Conditions, data.get("conditions", {})),
            decode(Origin, data.get("origin", {})),
        )
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        raise CodecError(say("What stands there of the run does not hold together ({error}).", error=error)) from None


def _unit_to_json(unit: Unit) -> dict[str, Any]:
    data = {
        "name": unit.name,
        "kind": unit.kind,
        "label": unit.label_text,
        "chemistry": unit.chemistry,
        "id": unit.id,
        "max_a": unit.max_current_a,
    }
    return {k: v for k, v in data.items() if v}


def _unit_from_json(data: Mapping[str, Any]) -> Unit:
    name, kind, label = (str(data.get(key, "")) for key in ("name", "kind", "label"))
    return Unit(name, kind, label, data.get("chemistry"), max_current_a=data.get("max_a"), id=int(data.get("id", 0)))


def _meter_to_json(meter: Meter) -> dict[str, Any]:
    data = {
        "id": meter.id,
        "name": meter.name,
        "voltage_accuracy": meter.voltage_accuracy,
        "current_accuracy": meter.current_accuracy,
        "max_v": meter.max_v,
        "max_a": meter.max_a,
        "details": meter.details.to_json(),
    }
    return {k: v for k, v in data.items() if v}


def _meter_from_json(data: Mapping[str, Any]) -> Meter:
    return Meter(
        str(data.get("name", "")),
        str(data.get("voltage_accuracy", "")),
        str(data.get("current_accuracy", "")),
        data.get("max_v"),
        data.get("max_a"),
        int(data.get("id", 0)),
        details_from(data.get("details", {})),
    )
