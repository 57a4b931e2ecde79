"""Builds the star-dome logbook."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import platformdirs

from ubrant import __version__
from ubrant.bench.orders import Order
from ubrant.bench.session import RunSession
from ubrant.bench.standins.world import World
from ubrant.core import FINDINGS_VERSION
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit, UnitFacts
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.events import LoadOff
from ubrant.core.record.head import Setup
from ubrant.demo.by_hand import read_them
from ubrant.demo.kit import BENCH_METER, CLAMP, LEADS, METERS, Coming, WatchedClock, carried_out, on_shelf
from ubrant.demo.others import begin_others
from ubrant.demo.outlooks import keep_outlooks
from ubrant.demo.weekend import keep_weekend
from ubrant.logbook.file import FORMAT
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.methods.registry import method_of
from ubrant.runs.kept.accounts import summary_of
from ubrant.runs.making.begin import start_by_hand, start_by_itself
from ubrant.runs.making.going_on import go_on as carry_on
from ubrant.runs.making.simulated import battery_scenario
from ubrant.runs.typed.jotting import take_down
from ubrant.writing import unfinished_file

UNITS = (
    Unit(
        "Dome pack A",
        "battery",
        "12.8 V 50 Ah LiFePO4",
        note="The one with the blue tape.",
        stand_in={"health": 1.035, "soc": 0.6, "charger_a": 4.0},
        facts=UnitFacts("DP-0417", "189 €", 5.2, "ring terminals", ("dome",)),
    ),
    Unit(
        "Dome pack B",
        "battery",
        "12.8 V 50 Ah LiFePO4",
        note="Bought second-hand with the dome.",
        stand_in={"health": 0.71},
        facts=UnitFacts("DP-0388", "60 €", 5.2, "ring terminals", ("dome",)),
    ),
    Unit("Hall block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V", stand_in={"health": 0.97}),
    Unit(
        "Exit-light backup",
        "battery",
        "12 V 7.2 Ah AGM, 20 h rate",
        note="Inside the backup unit of the exit lights.",
        stand_in={"health": 0.985},
    ),
    Unit("Head-torch cells", "battery", "8 × 1.2 V 2500 mAh NiMH", stand_in={"health": 0.9, "resistance": 6.0}),
    Unit("Ticket bank", "bank", "24 000 mAh / 88.8 Wh", note="Fills the ticket tablet.", stand_in={"health": 0.94, "bend": 2.2}),
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
    Unit("Blower", "load", "12 V or 230 V, 65 W", stand_in={"draws_w": 38.0}, facts=UnitFacts(tags=("dome",))),
    Unit("Exit light", "load", "12 V, 3 W", note="On all night.", stand_in={"off_v": 9.3, "falters_v": 10.8, "starts_v": 11.2}),
    Unit("Projector", "load", "230 V, 52 W", stand_in={"watts": {"standby": 0.45, "eco": 38.0, "full": 51.5}, "factor": 0.58}),
    Unit("Show laptop", "load", "19 V, 45 W"),
    Unit("Dew heaters", "load", "12 V, 2 × 8 W"),
    Unit("Sound desk", "load", "12 V, 40 W", stand_in={"draws_w": 34.0, "slow_change": "its own battery", "output_v": 12.9}),
    Unit(
        "Tow van battery",
        "battery",
        "12 V 82 Ah lead-acid",
        note="It must still start the van.",
        stand_in={"base_a": 0.31, "loads_a": {"fridge box": 3.7, "roof light": 0.85, "charger": 2.1, "fan": 1.3}, "rests_at": 12.66},
    ),
    Unit("Hall fridge", "load", "230 V, 88 W", stand_in={"draws_w": 71.0, "duty": 0.36, "standby_w": 0.9}),
    Unit("Laptop's brick", "charger", "230 V to 19 V, 65 W", stand_in={"gives_up_a": 3.6}),
    Unit("Pack charger", "charger", "230 V to 14.6 V, 5 A", note="Came with pack A.", stand_in={"set_v": 14.5}),
    Unit("Pack breaker", "lead", "25 A breaker", note="Between pack A and the dome's leads."),
    Unit("Roof panel", "charger", "60 W panel, 12 V class", stand_in={"light": 0.35}),
    Unit("Exit-light capacitors", "battery", "100 F 5.4 V", note="Two in series; meant to bridge a change of pack."),
    Unit(
        "Backup module",
        "battery",
        "3.7 V 600 mAh",
        note="Keeps the counter alive.",
        stand_in={"again_v": 4.0, "charger_a": 0.5, "soc": 0.97},
    ),
    Unit("Ticket tablet", "load", "7.6 Ah 3.85 V", note="Sells the tickets.", stand_in={"health": 0.97}),
    Unit(
        "Hall station",
        "station",
        "500 Wh 25.6 V, input 11-60 V 10 A 200 W",
        note="The hall's own.",
        stand_in={"health": 0.95, "blind_w": 18.0},
    ),
)


@dataclass(frozen=True)
class _Planned:
    """One run of the demo. ``changes`` are fields of the form as they are typed; ``then`` is what became of it."""

    unit: str
    meter: Meter
    day: datetime
    every: str
    temperature: str = "20 °C"
    jottings: tuple[tuple[float, str], ...] = ()
    changes: dict[str, str] = field(default_factory=dict)
    then: str = ""


_CYCLES = {"charge": "in cycles", "charge_a": "1.44 A", "charge_v": "14.4 V", "charge_end": "0.14 A", "cycles": "3", "stop_share": "80 %"}
_AFTER = {"charge": "after", "charge_a": "10 A", "charge_v": "14.6 V", "charge_end": "1 A"}
RUNS = (
    _Planned("Exit-light backup", BENCH_METER, datetime(2026, 8, 8, 8, 0, tzinfo=UTC), "120 s", changes={"load": "1.44 A", **_CYCLES}),
    _Planned(
        "Head-torch cells",
        BENCH_METER,
        datetime(2026, 8, 15, 9, 0, tzinfo=UTC),
        "20 s",
        changes={"pulse_on": "300 s", "pulse_off": "60 s", "two_step": "yes"},
        jottings=((900.0, "torch on and off, as in use"),),
    ),
    _Planned(
        "Dome pack A",
        BENCH_METER,
        datetime(2026, 8, 22, 8, 30, tzinfo=UTC),
        "60 s",
        changes={"load": "130 W", **_AFTER},
        jottings=((60.0, "130 W, as the dome draws"),),
    ),
    _Planned(
        "Dome pack B",
        CLAMP,
        datetime(2026, 8, 29, 9, 10, tzinfo=UTC),
        "20 s",
        jottings=((5990.0, "the hall's fuse went"),),
        then="interrupted",
    ),
    _Planned(
        "Exit-light backup", CLAMP, datetime(2026, 9, 2, 8, 5, tzinfo=UTC), "60 s", jottings=((3600.0, "clamp re-zeroed before the start"),)
    ),
    _Planned(
        "Dome pack A",
        BENCH_METER,
        datetime(2026, 9, 5, 7, 50, tzinfo=UTC),
        "20 s",
        jottings=((5000.0, "computer restarted"),),
        then="gone on",
    ),
    _Planned("Dome pack B", BENCH_METER, datetime(2026, 9, 12, 7, 40, tzinfo=UTC), "20 s", jottings=((5400.0, "case warm at one end"),)),
    _Planned("Head-torch cells", BENCH_METER, datetime(2026, 9, 19, 9, 15, tzinfo=UTC), "20 s"),
    _Planned(
        "Hall block",
        BENCH_METER,
        datetime(2026, 9, 26, 7, 30, tzinfo=UTC),
        "120 s",
        temperature="18 °C",
        jottings=((36000.0, "hall at 17 °C overnight"),),
    ),
    _Planned(
        "Hall block",
        BENCH_METER,
        datetime(2026, 10, 3, 8, 30, tzinfo=UTC),
        "20 s",
        changes={"load": "9 A"},
        jottings=((1800.0, "hall heating off"),),
    ),
    _Planned(
        "Dome pack A",
        BENCH_METER,
        datetime(2026, 10, 17, 8, 10, tzinfo=UTC),
        "20 s",
        jottings=((2700.0, "fan of the load started"), (10800.0, "terminals cool")),
    ),
)
_TYPED_DAY = datetime(2026, 7, 25, 9, 0, tzinfo=UTC)
_INTERRUPTED_AFTER_S = 6000.0


def demo_path() -> Path:
    """Where the demo logbook is kept, one for each version and format."""
    return platformdirs.user_cache_path("ubrant") / f"demo-{__version__}-{FORMAT}-{FINDINGS_VERSION}.ubrant"


def furnish(path: Path) -> None:
    """A logbook with everything that lies on the shelf, and no run yet; marked as one that is being made."""
    path.parent.mkdir(parents=True, exist_ok=True)
    being_made(path).touch()
    logbook = Logbook(path)
    for meter in METERS:
        logbook.keep_meter(meter)
    for unit in UNITS:
        logbook.keep_unit(unit)
    logbook.close()


def being_made(path: Path) -> Path:
    """A file that stands beside a demo logbook as long as runs of it are missing."""
    return path.with_suffix(".making")


def is_whole(path: Path) -> bool:
    """Whether it is there with all of its runs."""
    return path.exists() and not being_made(path).exists()


def make_demo(path: Path, tell: Callable[[str], None] = lambda _: None) -> None:
    """Write the demo logbook; it appears under its name only once it is whole."""
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_suffix(f".{os.getpid()}.part")
    with unfinished_file(unfinished):
        make_runs(unfinished, lambda _, name: tell(name))
        unfinished.rename(path)
    being_made(path).unlink(missing_ok=True)


def make_runs(path: Path, tell: Callable[[int, str], None]) -> None:
    """All runs of the demo in a logbook at ``path``, the newest first; tells of each once it is whole (its number, and its unit's name).

    They are numbered in one order whatever is made first: what a simulated meter is off by hangs on the number.
    """
    logbook = Logbook(path)
    for meter in METERS:
        logbook.keep_meter(meter)
    units = {unit.name: logbook.keep_unit(unit) for unit in UNITS}
    _type_a_run(logbook, units["Exit-light backup"])
    waiting = begin_others(logbook, units)
    for planned in RUNS:
        run, session = _begin(logbook, units[planned.unit], planned)
        waiting.append(Coming(run, session, partial(_finish, logbook, planned)))
    read_them(logbook, units)
    names = {run.id: name for run, name in logbook.runs()}
    for run, _ in logbook.runs():
        if run.state == "done":
            _tell(logbook, run.id, names, tell)
    for done in carried_out(sorted(waiting, key=lambda one: one.run.started, reverse=True)):
        done.finish(done.run)
        _tell(logbook, done.run.id, names, tell)
    keep_outlooks(logbook)
    keep_weekend(logbook)
    logbook.close()


def _tell(logbook: Logbook, run_id: int, names: Mapping[int, str], tell: Callable[[int, str], None]) -> None:
    summary_of(logbook, logbook.run(run_id))
    tell(run_id, names[run_id])


def _finish(logbook: Logbook, planned: _Planned, run: Run) -> None:
    """What was noted meanwhile, and what became of it."""
    for moment, text in planned.jottings:
        logbook.note(run.id, moment, text)
    if planned.then:
        _interrupt(logbook, run, go_on=planned.then == "gone on")


def _begin(logbook: Logbook, unit: Unit, planned: _Planned) -> tuple[Run, RunSession]:
    typed = {"every": planned.every, "rest_after": "1800 s", "temperature_c": planned.temperature, **planned.changes}
    if planned.then:
        typed["after_time"] = f"{_INTERRUPTED_AFTER_S:g} s"
    method = method_of("discharge")
    run, session = start_by_itself(
        logbook, method, method.prepare(Setup(unit, {"battery": on_shelf(logbook, planned.meter)}, LEADS), typed), started=planned.day
    )
    for _ in range(2):
        session.order(Order.DONE)
    return run, session


def _interrupt(logbook: Logbook, run: Run, *, go_on: bool) -> None:
    """As if the computer had lost its power there; and, where wished, gone on with forty minutes later."""
    kept = logbook.run(run.id)
    plan = {key: value for key, value in kept.head.plan.items() if key != "limits"}
    logbook.update_run(replace(kept, state="interrupted", ended_by="interrupted", told=replace(kept.head, plan=plan)))
    off = next(e for e in logbook.events(run.id) if isinstance(e.event, LoadOff))
    logbook.remove_event(off.id)
    logbook.cut_after(run.id, off.event.time_s)
    if not go_on:
        return
    later = datetime.fromisoformat(run.started) + timedelta(seconds=off.event.time_s + 2400)
    _, session = carry_on(logbook, logbook.run(run.id), later)
    session.order(Order.DONE)
    session.start()
    session.join()


def _type_a_run(logbook: Logbook, unit: Unit) -> None:
    """Somebody without a meter that talks: reads a clamp off and types it, every quarter of an hour, more often near the end.

    The readings are what the simulated clamp shows at these moments.
    """
    method = method_of("discharge")
    prepared = method.prepare(Setup(unit, {"battery": on_shelf(logbook, CLAMP)}, LEADS), {"temperature_c": "21 °C"})
    run, session = start_by_hand(logbook, method, prepared, WatchedClock, _TYPED_DAY)
    scenario = replace(battery_scenario(unit, CLAMP, LEADS.resistance_ohm, run.id), step_s=2.0)
    world, clock = World(scenario), session.clock
    assert isinstance(clock, WatchedClock)
    cutoff_v = prepared.plan.cutoff.voltage_v
    world.set_load(prepared.plan.current_a)
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
    while volts > cutoff_v:
        volts = look_in(15 if volts > cutoff_v * 1.03 else 2)
        looks += 1
        if looks == 20:
            look_in(1, "temp {c:.0f} C case hardly warm")
    world.switch(False)
    look_in(0.5, "load off")
    look_in(30, "{v:.2f} V")
    session.end()


def main() -> None:
    """``python -m ubrant.demo.dome LOGBOOK``: makes the runs, and says the number of each once it is whole."""
    make_runs(Path(sys.argv[1]), lambda run_id, _: print(run_id, flush=True))


if __name__ == "__main__":
    main()
