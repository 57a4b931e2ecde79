"""Readings, records and benches that tests need, made in one place."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from ubrant.bench.engine import Order
from ubrant.core.account import Account
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.record.events import Event, PointTaken
from ubrant.core.record.head import BY_HAND, SIMULATED, Origin, RunHeader, Setup
from ubrant.core.record.record import Record, record_of
from ubrant.core.uncertainty.contributions import Contribution
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, StoredJot, entries_of
from ubrant.methods.method import LoadRating, Prepared
from ubrant.methods.registry import method_of
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.making.begin import start_by_hand, start_by_itself
from ubrant.runs.making.benches import SIMULATED_LOAD, BenchChoice
from ubrant.runs.typed.jotting import take_down
from ubrant.runs.typed.typed_session import TypedSession

VOLTS = parse_accuracy("0.1 % + 3 mV", "V")
AMPS = parse_accuracy("0.5 % + 5 mA", "A")


def part(words: str, amount: float, dof: float = math.inf, meter: str = "one") -> Contribution:
    """One error's part in a figure: ``current gain`` is a meter's, what a person would call anything else is its own."""
    quantity, _, kind = words.rpartition(" ")
    if kind in {ErrorKind.GAIN, ErrorKind.ZERO} and quantity in {"current", "voltage"}:
        return Contribution(ErrorSource(ErrorKind(kind), meter, "A" if quantity == "current" else "V"), amount)
    return Contribution(ErrorSource(ErrorKind.NOISE, words, dof=dof), amount)


METER = Meter("Meter", "0.05 % + 2 mV", "0.2 % + 2 mA", max_v=60.0, max_a=20.0)
BENCH = Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=100.0)
PLUG = Meter("Plug", "0.5 % + 0.5 V", "1 % + 10 mA", max_v=250.0, max_a=16.0, details=MeterDetails(power_accuracy="1 % + 0.3 W"))
STEP_DOWN = Unit("Step-down", "converter", "12 V to 5 V, 3 A")
HUT = Unit("Hut", "inverter", "12 V to 230 V sine, 300 W")
BREAKER = Unit("Breaker", "lead", "30 A breaker")
PROJECTOR = Unit("Projector", "load", "230 V, 52 W")
BRICK = Unit("Brick", "charger", "230 V to 19 V, 65 W")
BLOCK = Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V")
PACK = Unit("Pack", "battery", "12.8 V 50 Ah LiFePO4")


def setup_for(
    key: str,
    unit: Unit,
    meters: tuple[Meter, ...] = (METER, METER),
    battery: Unit | None = None,
    leads: Leads | None = None,
    device: Unit | None = None,
) -> Setup:
    """What stands on the path, a meter at every tap of the method."""
    return Setup(unit, dict(zip(method_of(key).taps, meters, strict=False)), leads or Leads(), battery, device)


def prepared(
    key: str,
    unit: Unit,
    meters: tuple[Meter, ...] = (METER, METER),
    battery: Unit | None = None,
    leads: Leads | None = None,
    device: Unit | None = None,
    **typed: str,
) -> Prepared:
    """A test as a form would prepare it, what is not said as it is usual."""
    return method_of(key).prepare(setup_for(key, unit, meters, battery, leads, device), typed)


def problems(key: str, made: Prepared, load: LoadRating = SIMULATED_LOAD) -> list[tuple[bool, str]]:
    """What speaks against it."""
    return [(p.refused, p.text) for p in method_of(key).problems(made, load)]


def on_shelf(book: Logbook, made: Prepared) -> Prepared:
    """The same, its unit kept in the logbook."""
    unit = made.setup.unit
    return made if unit.id else replace(made, setup=replace(made.setup, unit=book.keep_unit(unit)))


def carried_out(
    book: Logbook, key: str, made: Prepared, changes: dict[str, Any] | None = None, choice: BenchChoice | None = None
) -> tuple[Record, Account, Run]:
    """A test made on the simulated bench by itself; what it says."""
    choice = choice or BenchChoice(SIMULATED, unattended=True)
    run, session = start_by_itself(book, method_of(key), on_shelf(book, made), choice, changes=changes)
    session.start()
    session.join(60)
    assert session.progress.trouble == ""
    record, account = account_of(book, book.run(run.id))
    return record, account, book.run(run.id)


def by_hand(
    book: Logbook, key: str, made: Prepared, lines: Mapping[float, str], clock: WatchedClock | None = None, *, end: bool = True
) -> tuple[Run, TypedSession]:
    """A test made by hand, its lines typed at these seconds."""
    clock = clock or WatchedClock()
    run, session = start_by_hand(book, method_of(key), on_shelf(book, made), lambda: clock)
    while session.progress.phase == "asking" and session.progress.text != session.hand.asks[-1].text:
        session.order(Order.DONE)
    session.order(Order.DONE)
    for moment, line in lines.items():
        clock.time_s = float(moment)
        take_down(book, run, Grammar().parse(line), clock.now_s(), session)
    if end:
        session.end()
    return run, session


def record_for(
    key: str,
    made: Prepared,
    *events: Event,
    lines: Mapping[float, str] | None = None,
    road: str = SIMULATED,
    state: str = "done",
    **columns: Series,
) -> Record:
    """A record without any bench: ``input_V=Series(…)``, or typed lines."""
    head: RunHeader = method_of(key).head(made, Origin(BY_HAND if lines is not None else road, made.between))
    typed = entries_of(StoredJot(t, line) for t, line in (lines or {}).items())
    return record_of(head, {tuple(k.rsplit("_", 1)): v for k, v in columns.items()}, events, typed, state, "")


def series(values: Any, every: float = 0.5) -> Series:
    return Series(np.arange(len(values)) * every, np.array(values, dtype=float))


def point(time_s: float, from_s: float, input_v: float = 12.0, load: float = 1.0, **more: Any) -> PointTaken:
    return PointTaken(time_s, from_s=from_s, input_v=input_v, load=load, **more)


def walked(steps: Any, answer: Callable[[Any], Any] = lambda step: None) -> list[Any]:
    """Every step in turn, answered by a function."""
    from ubrant.methods.steps import carry_out_steps

    seen: list[Any] = []

    def carry_out(step: Any) -> Any:
        seen.append(step)
        return answer(step)

    carry_out_steps(steps, carry_out)
    return seen


def falling(hours: float = 5.0, every_s: float = 10.0, amps: float = 10.0, end_v: float = 10.5) -> Readings:
    """A discharge whose voltage falls from 13.2 V, slowly at first; at 11 V the curve is at (11/… ) known in closed form."""
    time = np.arange(0.0, hours * 3600 + every_s / 2, every_s)
    volts = 13.2 - (13.2 - end_v) * (time / time[-1]) ** 8
    return Readings(time, volts, np.full_like(time, amps))


def crossing_s(hours: float, end_v: float, cutoff_v: float) -> float:
    """When ``falling`` meets a voltage."""
    return hours * 3600 * ((13.2 - cutoff_v) / (13.2 - end_v)) ** (1 / 8)
