"""The star dome's converters, inverters, breaker and appliances on the simulated bench."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime

import numpy as np

from ubrant.bench.engine import Order
from ubrant.bench.session import RunSession
from ubrant.bench.standins.noise import shown
from ubrant.bench.standins.scenario import Channel, drawn_inside
from ubrant.core.accuracy import parse_accuracy
from ubrant.core.converter import Converter, ConverterParameters
from ubrant.core.jot import Grammar
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter
from ubrant.core.unit import Unit
from ubrant.demo.kit import BENCH_METER, BENCH_METER_TWO, CLAMP, LEADS, PLUG_METER, WatchedClock, wait_for_room
from ubrant.logbook.logbook import Logbook
from ubrant.workshop.jotting import take_down
from ubrant.workshop.trials.registry import trial_of
from ubrant.workshop.trials.session import start_trial, start_typed_trial
from ubrant.workshop.trials.trial import Told, Trial

_WIDE = replace(BENCH_METER, max_a=100.0)


@dataclass(frozen=True)
class _Tried:
    """One trial of the demo; ``changes`` alters the form."""

    unit: str
    method: str
    day: datetime
    meters: tuple[Meter, Meter] = (BENCH_METER, BENCH_METER_TWO)
    battery: str = ""
    leads: Leads = LEADS
    changes: Mapping[str, str] = field(default_factory=dict)


_ON_AC = (_WIDE, PLUG_METER)
TRIALS = (
    _Tried("Step-down two", "sweep", datetime(2026, 10, 24, 13, 0, tzinfo=UTC), changes={"loads": "0, 0.3, 1, 2.5, 4, 5 A"}),
    _Tried("Step-down one", "sweep", datetime(2026, 10, 24, 14, 30, tzinfo=UTC), changes={"loads": "0, 0.2, 0.6, 1.5, 2.4, 3 A"}),
    _Tried("Laptop step-up", "sweep", datetime(2026, 10, 25, 9, 30, tzinfo=UTC)),
    _Tried("Hut 300", "idle", datetime(2026, 10, 31, 9, 0, tzinfo=UTC), (BENCH_METER, BENCH_METER), changes={"minutes": "3 min"}),
    _Tried("Hall 1000", "idle", datetime(2026, 10, 31, 9, 30, tzinfo=UTC), (BENCH_METER, BENCH_METER), changes={"minutes": "3 min"}),
    _Tried("Step-down one", "idle", datetime(2026, 10, 31, 10, 0, tzinfo=UTC), (CLAMP, CLAMP)),
    _Tried("Hut 300", "steps", datetime(2026, 10, 31, 11, 0, tzinfo=UTC), _ON_AC, "Dome pack A", changes={"loads": "0, 15, 30, 65, 100, 150, 225, 300 W", "hold": ""}),
    _Tried("Hall 1000", "steps", datetime(2026, 10, 31, 13, 0, tzinfo=UTC), _ON_AC, "Dome pack A",
           changes={"loads": "0, 30, 65, 130, 260, 390 W", "hold": "", "ratings": "leads 40 A, fuse 40 A"}),
    _Tried("Hut 300", "steps", datetime(2026, 11, 7, 9, 0, tzinfo=UTC), _ON_AC, "Hall block", Leads(3.0, 2.5),
           changes={"loads": "0, 65, 200 W", "hold": "200 W"}),
    _Tried("Attic 150", "steps", datetime(2026, 11, 7, 13, 0, tzinfo=UTC), _ON_AC, "Dome pack A", changes={"loads": "0, 20, 40, 65, 100, 150, 200 W", "hold": ""}),
    _Tried("Pack breaker", "trip", datetime(2026, 11, 8, 10, 0, tzinfo=UTC), (_WIDE, _WIDE), changes={"longest": "10 min"}),
)  # fmt: skip
_PROJECTOR_DAY, _BRICK_DAY = datetime(2026, 11, 8, 14, 0, tzinfo=UTC), datetime(2026, 11, 8, 15, 0, tzinfo=UTC)
_BRICK = ConverterParameters(19.0, 0.12, 0.06, 0.0006, nominal_in_v=230.0, output_ohm=0.03)


def make_trials(logbook: Logbook, units: Mapping[str, Unit], tell: Callable[[str], None]) -> None:
    """Everything in TRIALS, then the projector's modes and the laptop's brick, typed off a plug-in meter."""
    going: list[RunSession] = []
    for tried in TRIALS:
        wait_for_room(going)
        tell(tried.unit)
        trial = _trial(tried.method)
        unit = units[tried.unit]
        told = Told(unit, {**trial.usual(unit), **tried.changes}, tried.meters, tried.leads, units.get(tried.battery))
        _, session = start_trial(logbook, trial, told, started=tried.day, unattended=True)
        session.start()
        going.append(session)
    for session in going:
        _join(session)
    tell("Projector")
    _type_modes(logbook, units["Projector"])
    tell("Laptop's brick")
    _type_brick(logbook, units["Laptop's brick"])


def _join(session: RunSession) -> None:
    session.join()
    assert session.progress.ended_by == "done", session.progress.trouble


def _trial(method: str) -> Trial:
    found = trial_of(method)
    assert found is not None
    return found


def _type_modes(logbook: Logbook, unit: Unit) -> None:
    """What the plug-in meter shows of the projector in each mode."""
    trial, watts, factor = _trial("appliance"), unit.stand_in["watts"], unit.stand_in["factor"]
    told = Told(unit, {"modes": ", ".join(watts)}, (PLUG_METER, PLUG_METER))
    volts, amps, power = _plug_channels(unit.name)
    lines = []
    for mode, true in watts.items():
        pf = factor if true > 5 else 0.3
        lines.append(f"{shown(231.0, volts, 0.0):.1f} V {shown(true / 231.0 / pf, amps, 0.0):.3f} A {shown(true, power, 0.0):.1f} W {mode}")
    _type(logbook, trial, told, _PROJECTOR_DAY, lines)


def _type_brick(logbook: Logbook, unit: Unit) -> None:
    """The laptop's brick at a quarter, half, three quarters and all of its current, and none."""
    trial = _trial("supply")
    told = Told(unit, trial.usual(unit), (PLUG_METER, BENCH_METER))
    converter, (_, _, power) = Converter(_BRICK), _plug_channels(unit.name)
    lines = []
    for _, amps in trial.settings(told):
        out, into = converter.output(230.0, amps)
        output = f" output {out:.2f} V {amps:.3f} A" if amps else ""
        lines.append(f"input {max(shown(230.0 * into, power, 0.0), 0.0):.2f} W{output}")  # no such meter shows less than nothing
    _type(logbook, trial, told, _BRICK_DAY, lines)


def _plug_channels(name: str) -> tuple[Channel, Channel, Channel]:
    rng = np.random.default_rng(zlib.crc32(name.encode()))
    texts = (
        (PLUG_METER.voltage_accuracy, "V", 0.1),
        (PLUG_METER.current_accuracy, "A", 0.001),
        (PLUG_METER.details.power_accuracy, "W", 0.01),
    )
    one, two, three = (drawn_inside(parse_accuracy(text, unit), rng, 0.0, digit) for text, unit, digit in texts)
    return one, two, three


def _type(logbook: Logbook, trial: Trial, told: Told, day: datetime, lines: list[str]) -> None:
    run, session = start_typed_trial(logbook, trial, told, WatchedClock, day)
    session.order(Order.DONE)
    for line in lines:
        session.clock.wait_until(session.clock.now_s() + 300.0, lambda _: False)
        jotting = Grammar().parse(line)
        assert jotting is not None
        assert not session.lacks(jotting), session.lacks(jotting)
        take_down(logbook, run, jotting, session.clock.now_s(), session)
    session.end()
