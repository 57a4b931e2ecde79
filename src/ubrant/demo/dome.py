"""Builds the star-dome logbook."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import platformdirs

from ubrant import __version__
from ubrant.bench.engine import Order
from ubrant.bench.session import RunSession
from ubrant.bench.standins.world import World
from ubrant.core import FINDINGS_VERSION
from ubrant.core.ending import Ends
from ubrant.core.jot import Grammar
from ubrant.core.meter import Meter
from ubrant.core.unit import Unit
from ubrant.demo.kit import BENCH_METER, BENCH_METER_TWO, CLAMP, LEADS, PLUG_METER, WatchedClock, wait_for_room
from ubrant.demo.trials import make_trials
from ubrant.logbook.file import FORMAT
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredEvent
from ubrant.methods.discharge import ChargePlan, DischargePlan, own_cutoff, usual_plan
from ubrant.workshop.benches import BY_HAND
from ubrant.workshop.jotting import take_down
from ubrant.workshop.running import continue_discharge, new_run, scenario_of, start_discharge
from ubrant.workshop.typed_run import start_typed
from ubrant.workshop.views import summary_of

UNITS = (
    Unit("Dome pack A", "battery", "12.8 V 50 Ah LiFePO4", note="The one with the blue tape.", stand_in={"health": 1.035}),
    Unit(
        "Dome pack B",
        "battery",
        "12.8 V 50 Ah LiFePO4",
        note="Bought second-hand with the dome.",
        stand_in={"health": 0.71},
    ),
    Unit("Hall block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V", stand_in={"health": 0.97}),
    Unit(
        "Exit-light backup",
        "battery",
        "12 V 7.2 Ah AGM, 20 h rate",
        note="Inside the backup unit of the exit lights.",
        stand_in={"health": 0.985},
    ),
    Unit("Head-torch cells", "battery", "8 × 1.2 V 2500 mAh NiMH", stand_in={"health": 0.9}),
    Unit("Ticket bank", "bank", "24 000 mAh / 88.8 Wh", note="Fills the ticket tablet."),
    Unit("Hut 300", "inverter", "12 V to 230 V sine, 300 W"),
    Unit(
        "Attic 150",
        "inverter",
        "12 V to 230 V, 150 W",
        note="Old; nobody knows what wave it makes.",
        stand_in={"wave": "stepped", "fixed_w": 6.5},
    ),
    Unit("Hall 1000", "inverter", "12 V to 230 V sine, 1000 W"),
    Unit("Laptop step-up", "converter", "12 V to 19 V, 90 W"),
    Unit("Step-down one", "converter", "12 V to 5 V, 3 A", stand_in={"fixed_w": 0.11, "proportional": 0.06}),
    Unit("Step-down two", "converter", "12 V to 5 V, 5 A", stand_in={"fixed_w": 0.42, "proportional": 0.04, "line_per_v": 0.004}),
    Unit("Blower", "load", "12 V or 230 V, 65 W"),
    Unit("Projector", "load", "230 V, 52 W", stand_in={"watts": {"standby": 0.45, "eco": 38.0, "full": 51.5}, "factor": 0.58}),
    Unit("Show laptop", "load", "19 V, 45 W"),
    Unit("Dew heaters", "load", "12 V, 2 × 8 W"),
    Unit("Laptop's brick", "charger", "230 V to 19 V, 65 W"),
    Unit("Pack breaker", "lead", "30 A breaker", note="Between pack A and the dome's leads."),
    Unit("Roof panel", "charger", "60 W panel, 12 V class"),
)


@dataclass(frozen=True)
class _Planned:
    """One run of the demo. ``current_a`` None for the label's own; ``changes`` alters the plan; ``then`` is what became of it."""

    unit: str
    meter: Meter
    day: datetime
    every_s: float
    current_a: float | None = None
    temperature_c: float | None = 20.0
    jottings: tuple[tuple[float, str], ...] = ()
    changes: dict[str, Any] = field(default_factory=dict)
    then: str = ""


_EXIT_CHARGE, _DOME_CHARGE = ChargePlan(1.44, 14.4, 0.14), ChargePlan(10.0, 14.6, 1.0)
RUNS = (
    _Planned("Exit-light backup", BENCH_METER, datetime(2026, 8, 8, 8, 0, tzinfo=UTC), 60.0, current_a=1.44,
             changes={"charge": _EXIT_CHARGE, "charge_when": "cycles", "cycles": 3, "stop_share": 0.8}),
    _Planned("Head-torch cells", BENCH_METER, datetime(2026, 8, 15, 9, 0, tzinfo=UTC), 10.0,
             changes={"profile": ((300.0, 0.5), (60.0, 0.0)), "repeats": True, "two_step": True}, jottings=((900.0, "torch on and off, as in use"),)),
    _Planned("Dome pack A", BENCH_METER, datetime(2026, 8, 22, 8, 30, tzinfo=UTC), 30.0,
             changes={"mode": "power", "amount": 130.0, "charge": _DOME_CHARGE, "charge_when": "after"}, jottings=((60.0, "130 W, as the dome draws"),)),
    _Planned("Dome pack B", CLAMP, datetime(2026, 8, 29, 9, 10, tzinfo=UTC), 10.0, jottings=((5990.0, "the hall's fuse went"),), then="interrupted"),
    _Planned("Exit-light backup", CLAMP, datetime(2026, 9, 2, 8, 5, tzinfo=UTC), 30.0, jottings=((3600.0, "clamp re-zeroed before the start"),)),
    _Planned("Dome pack A", BENCH_METER, datetime(2026, 9, 5, 7, 50, tzinfo=UTC), 10.0, jottings=((5000.0, "computer restarted"),), then="gone on"),
    _Planned("Dome pack B", BENCH_METER, datetime(2026, 9, 12, 7, 40, tzinfo=UTC), 10.0, jottings=((5400.0, "case warm at one end"),)),
    _Planned("Head-torch cells", BENCH_METER, datetime(2026, 9, 19, 9, 15, tzinfo=UTC), 10.0),
    _Planned("Hall block", BENCH_METER, datetime(2026, 9, 26, 7, 30, tzinfo=UTC), 60.0, temperature_c=18.0, jottings=((36000.0, "hall at 17 °C overnight"),)),
    _Planned("Hall block", BENCH_METER, datetime(2026, 10, 3, 8, 30, tzinfo=UTC), 10.0, current_a=9.0, jottings=((1800.0, "hall heating off"),)),
    _Planned("Dome pack A", BENCH_METER, datetime(2026, 10, 17, 8, 10, tzinfo=UTC), 10.0,
             jottings=((2700.0, "fan of the load started"), (10800.0, "terminals cool"))),
)  # fmt: skip
_TYPED_DAY = datetime(2026, 7, 25, 9, 0, tzinfo=UTC)
_INTERRUPTED_AFTER_S = 6000.0


def demo_path() -> Path:
    """Where the demo logbook is kept, one for each version and format."""
    return platformdirs.user_cache_path("ubrant") / f"demo-{__version__}-{FORMAT}-{FINDINGS_VERSION}.ubrant"


def make_demo(path: Path, tell: Callable[[str], None] = lambda _: None) -> None:
    """Write the demo logbook; it appears under its name only once it is whole."""
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_suffix(f".{os.getpid()}.part")
    unfinished.unlink(missing_ok=True)
    logbook = Logbook(unfinished)
    for meter in (BENCH_METER, BENCH_METER_TWO, CLAMP, PLUG_METER):
        logbook.keep_meter(meter)
    units = {unit.name: logbook.keep_unit(unit) for unit in UNITS}
    _type_a_run(logbook, units["Exit-light backup"])
    make_trials(logbook, units, tell)
    sessions: list[tuple[_Planned, Run, RunSession]] = []
    for planned in RUNS:
        wait_for_room([session for _, _, session in sessions])
        tell(planned.unit)
        sessions.append((planned, *_begin(logbook, units[planned.unit], planned)))
    for planned, run, session in sessions:
        session.join()
        for moment, text in planned.jottings:
            logbook.add_event(run.id, StoredEvent(moment, "jotting", text))
        if planned.then:
            _interrupt(logbook, run, units[planned.unit], go_on=planned.then == "gone on")
    for run, _ in logbook.runs():
        summary_of(logbook, run)
    logbook.close()
    unfinished.rename(path)


def _begin(logbook: Logbook, unit: Unit, planned: _Planned) -> tuple[Run, RunSession]:
    plan = _plan(unit, planned)
    if planned.then:
        plan = replace(plan, limits=Ends(time_s=_INTERRUPTED_AFTER_S))
    run, session = start_discharge(logbook, unit, plan, planned.meter, LEADS, started=planned.day)
    for _ in range(2):
        session.order(Order.DONE)
    session.start()
    return run, session


def _plan(unit: Unit, planned: _Planned) -> DischargePlan:
    plan = usual_plan(unit.label, LEADS)
    current, volts = planned.current_a or plan.current_a, plan.cutoff.voltage_v
    plan = replace(
        plan, current_a=current, own_cutoff_v=own_cutoff(volts, current, LEADS), every_s=planned.every_s, rest_after_s=1800.0,
        temperature_c=planned.temperature_c,
    )  # fmt: skip
    return replace(plan, **planned.changes)


def _interrupt(logbook: Logbook, run: Run, unit: Unit, *, go_on: bool) -> None:
    """As if the computer had lost its power there; and, where wished, gone on with forty minutes later."""
    kept = logbook.run(run.id)
    plan = {key: value for key, value in kept.plan.items() if key != "limits"}
    logbook.update_run(replace(kept, state="interrupted", ended_by="interrupted", plan=plan))
    off = next(e for e in logbook.events(run.id) if e.kind == "load off")
    logbook.remove_event(off.id)
    logbook.cut_after(run.id, off.time_s)
    if go_on:
        later = datetime.fromisoformat(run.started) + timedelta(seconds=off.time_s + 2400)
        _, session = continue_discharge(logbook, logbook.run(run.id), unit, now=later)
        session.order(Order.DONE)
        session.start()
        session.join()


def _type_a_run(logbook: Logbook, unit: Unit) -> None:
    """Somebody without a meter that talks: reads a clamp off and types it, every quarter of an hour, more often near the end.

    The readings are what the simulated clamp shows at these moments.
    """
    plan = replace(usual_plan(unit.label, LEADS), temperature_c=21.0, by_hand=True)
    run, session = start_typed(logbook, unit, plan, new_run(unit, plan, CLAMP, LEADS, _TYPED_DAY, BY_HAND), WatchedClock)
    world, clock = World(scenario_of(unit, CLAMP, LEADS, run.id)), session.clock
    assert isinstance(clock, WatchedClock)
    world.set_load(plan.current_a)
    for _ in range(2):
        session.order(Order.DONE)

    def look_in(minutes: float, words: str = "{v:.2f} V {a:.2f} A") -> float:
        clock.time_s += 60 * minutes
        world.advance_to(clock.time_s)
        volts, amps = world.meter_voltage(), world.meter_current()
        line = words.format(v=volts, a=amps, c=world.circuit.pack.temperature_c)
        jotting = Grammar().parse(line)
        assert jotting is not None
        take_down(logbook, run, jotting, clock.time_s, session)
        return volts

    look_in(1, "{v:.2f} V")
    world.switch(True)
    look_in(1, "load on {v:.2f} V {a:.2f} A")
    volts, looks = look_in(15), 0
    while volts > plan.cutoff.voltage_v:
        volts = look_in(15 if volts > plan.cutoff.voltage_v * 1.03 else 2)
        looks += 1
        if looks == 20:
            look_in(1, "temp {c:.0f} C case hardly warm")
    world.switch(False)
    look_in(0.5, "load off")
    look_in(30, "{v:.2f} V")
    session.end()
