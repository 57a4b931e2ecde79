"""The star dome's converters, inverters, breaker and appliances on the simulated bench."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime

import numpy as np

from ubrant.bench.orders import Order
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.core.models.shown import Channel, drawn_inside, shown
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.head import Setup
from ubrant.demo.kit import BENCH_METER, BENCH_METER_TWO, CLAMP, LEADS, PLUG_METER, Coming, WatchedClock
from ubrant.logbook.logbook import Logbook
from ubrant.methods.method import Method, Prepared
from ubrant.methods.registry import method_of
from ubrant.runs.begin import start_by_hand, start_by_itself
from ubrant.runs.benches import BenchChoice
from ubrant.runs.jotting import take_down

_WIDE = replace(BENCH_METER, max_a=100.0)


@dataclass(frozen=True)
class _Planned:
    """One test of the demo; ``changes`` are fields of the form as they are typed."""

    unit: str
    method: str
    day: datetime
    meters: tuple[Meter, Meter] = (BENCH_METER, BENCH_METER_TWO)
    battery: str = ""
    leads: Leads = LEADS
    changes: Mapping[str, str] = field(default_factory=dict)


_ON_AC = (_WIDE, PLUG_METER)
TESTS = (
    _Planned("Step-down two", "sweep", datetime(2026, 10, 24, 13, 0, tzinfo=UTC), changes={"loads": "0, 0.3, 1, 2.5, 4, 5 A"}),
    _Planned("Step-down one", "sweep", datetime(2026, 10, 24, 14, 30, tzinfo=UTC), changes={"loads": "0, 0.2, 0.6, 1.5, 2.4, 3 A"}),
    _Planned("Laptop step-up", "sweep", datetime(2026, 10, 25, 9, 30, tzinfo=UTC)),
    _Planned("Hut 300", "idle", datetime(2026, 10, 31, 9, 0, tzinfo=UTC), (BENCH_METER, BENCH_METER), changes={"seconds": "3 min"}),
    _Planned("Hall 1000", "idle", datetime(2026, 10, 31, 9, 30, tzinfo=UTC), (BENCH_METER, BENCH_METER), changes={"seconds": "3 min"}),
    _Planned("Step-down one", "idle", datetime(2026, 10, 31, 10, 0, tzinfo=UTC), (CLAMP, CLAMP)),
    _Planned(
        "Hut 300",
        "steps",
        datetime(2026, 10, 31, 11, 0, tzinfo=UTC),
        _ON_AC,
        "Dome pack A",
        changes={"loads": "0, 15, 30, 65, 100, 150, 225, 300 W", "hold": ""},
    ),
    _Planned(
        "Hall 1000",
        "steps",
        datetime(2026, 10, 31, 13, 0, tzinfo=UTC),
        _ON_AC,
        "Dome pack A",
        changes={"loads": "0, 30, 65, 130, 260, 390 W", "hold": "", "ratings": "leads 40 A, fuse 40 A"},
    ),
    _Planned(
        "Hut 300",
        "steps",
        datetime(2026, 11, 7, 9, 0, tzinfo=UTC),
        _ON_AC,
        "Hall block",
        Leads(3.0, 2.5),
        changes={"loads": "0, 65, 200 W", "hold": "200 W"},
    ),
    _Planned(
        "Attic 150",
        "steps",
        datetime(2026, 11, 7, 13, 0, tzinfo=UTC),
        _ON_AC,
        "Dome pack A",
        changes={"loads": "0, 20, 40, 65, 100, 150, 200 W", "hold": ""},
    ),
    _Planned(
        "Pack breaker",
        "trip",
        datetime(2026, 11, 8, 10, 0, tzinfo=UTC),
        (_WIDE, _WIDE),
        changes={"longest": "10 min", "curve": "1.05: over 1 h; 1.35: 60 s..30 min; 2: 4 s..60 s"},
    ),
)
_PROJECTOR_DAY, _BRICK_DAY = datetime(2026, 11, 8, 14, 0, tzinfo=UTC), datetime(2026, 11, 8, 15, 0, tzinfo=UTC)
_BRICK = ConverterParameters(19.0, 0.12, 0.06, 0.0006, nominal_in_v=230.0, output_ohm=0.03)


def begin_others(logbook: Logbook, units: Mapping[str, Unit]) -> list[Coming]:
    """Everything in TESTS, to be carried out; and at once the projector's modes and the laptop's brick, typed off a plug-in meter."""
    coming: list[Coming] = []
    for planned in TESTS:
        method = method_of(planned.method)
        meters = dict(zip(method.taps, planned.meters, strict=False))
        setup = Setup(units[planned.unit], meters, planned.leads, units.get(planned.battery))
        choice = BenchChoice(unattended=True)
        coming.append(Coming(*start_by_itself(logbook, method, method.prepare(setup, planned.changes), choice, started=planned.day)))
    _type_modes(logbook, units["Projector"])
    _type_brick(logbook, units["Laptop's brick"])
    return coming


def _type_modes(logbook: Logbook, unit: Unit) -> None:
    """What the plug-in meter shows of the projector in each mode."""
    watts, factor = unit.stand_in["watts"], unit.stand_in["factor"]
    volts, amps, power = _plug_channels(unit.name)
    lines = []
    for mode, true in watts.items():
        pf = factor if true > 5 else 0.3
        lines.append(f"{shown(231.0, volts, 0.0):.1f} V {shown(true / 231.0 / pf, amps, 0.0):.3f} A {shown(true, power, 0.0):.1f} W {mode}")
    method = method_of("appliance")
    prepared = method.prepare(Setup(unit, {"input": PLUG_METER}, Leads(0.0)), {"modes": ", ".join(watts)})
    _type(logbook, method, prepared, _PROJECTOR_DAY, lines)


def _type_brick(logbook: Logbook, unit: Unit) -> None:
    """The laptop's brick at a quarter, half, three quarters and all of its current, and none."""
    method = method_of("external-supply")
    prepared = method.prepare(Setup(unit, {"input": PLUG_METER, "output": BENCH_METER}, Leads(0.0)), {})
    converter, (_, _, power) = Converter(_BRICK), _plug_channels(unit.name)
    lines = []
    for row in method.by_hand(prepared).rows:
        amps = row.expected.get(("output", "A"), 0.0)
        out, into = converter.output(230.0, amps)
        output = f" output {out:.2f} V {amps:.3f} A" if amps else ""
        lines.append(f"input {max(shown(230.0 * into, power, 0.0), 0.0):.2f} W{output}")  # no such meter shows less than nothing
    _type(logbook, method, prepared, _BRICK_DAY, lines)


def _plug_channels(name: str) -> tuple[Channel, Channel, Channel]:
    rng = np.random.default_rng(zlib.crc32(name.encode()))
    texts = (
        (PLUG_METER.voltage_accuracy, "V", 0.1),
        (PLUG_METER.current_accuracy, "A", 0.001),
        (PLUG_METER.details.power_accuracy, "W", 0.01),
    )
    one, two, three = (drawn_inside(parse_accuracy(text, unit), rng, 0.0, digit) for text, unit, digit in texts)
    return one, two, three


def _type(logbook: Logbook, method: Method, prepared: Prepared, day: datetime, lines: list[str]) -> None:
    run, session = start_by_hand(logbook, method, prepared, WatchedClock, day)
    session.order(Order.DONE)
    for line in lines:
        session.clock.wait_until(session.clock.now_s() + 300.0, lambda _: False)
        jotting = Grammar().parse(line)
        assert jotting is not None
        assert not session.lacks(jotting), session.lacks(jotting)
        take_down(logbook, run, jotting, session.clock.now_s(), session)
    session.end()
