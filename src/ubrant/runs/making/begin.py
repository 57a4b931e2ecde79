"""Begin a run of any method: on the simulated bench, on instruments, or by hand; and go on with one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from ubrant.bench.bench import Bench
from ubrant.bench.clocks import PacedClock, RealClock
from ubrant.bench.session import RunSession
from ubrant.bench.switched_on import Whose
from ubrant.core.protocols import Clock
from ubrant.core.record.events import Event
from ubrant.core.record.head import BY_HAND, INSTRUMENTS, SIMULATED, Origin, Setup
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run, new_run, stamp_of
from ubrant.logbook.writer import RunWriter, add_event
from ubrant.methods.method import Method, Prepared, Scene
from ubrant.runs.making.benches import BenchChoice, by_person, on_instruments, open_instruments, roles_of
from ubrant.runs.making.simulated import opener, uncorrected
from ubrant.runs.typed.rehearsed_session import RehearsedSession, read_off
from ubrant.runs.typed.typed_session import Session, TypedSession


def start(
    logbook: Logbook,
    method: Method,
    prepared: Prepared,
    choice: BenchChoice | None = None,
    *,
    started: datetime | None = None,
    clock: Callable[[], Clock] = RealClock,
    changes: dict[str, Any] | None = None,
    series: int = 0,
) -> tuple[Run, Session]:
    """Begin a run, and its keeping in the logbook. The session still has to be started.

    Parameters
    ----------
    clock : what a run made by hand goes by
    series : number of the first run of the series that it belongs to
    changes : alters the simulated scenario, for demonstrations and tests

    Raises
    ------
    LogbookError
        The logbook cannot be written; nothing was begun.
    """
    choice = choice or BenchChoice(SIMULATED)
    if by_person(choice):
        prepared = method.by_person(prepared)
    moment = started or datetime.now(UTC).astimezone()
    prepared = replace(prepared, setup=on_instruments(prepared.setup, choice).on(stamp_of(moment)))
    if choice.kind == SIMULATED:
        prepared = replace(prepared, setup=uncorrected(prepared.setup))
    head = method.head(prepared, Origin(choice.kind, prepared.between, instruments=roles_of(choice), series=series))
    run = logbook.start_run(new_run(head, choice.kind, moment))
    if choice.kind == BY_HAND:
        return run, TypedSession(logbook, run, method, prepared, clock())
    if is_typed(method, choice):
        return run, RehearsedSession(logbook, run, method, prepared, PacedClock(choice.speed), unattended=choice.unattended)
    scene = method.scene(prepared)
    return run, RunSession(
        method.steps(prepared),
        bench_opener(choice, scene, prepared.setup, Whose(str(logbook.path), run.id), 0.0, changes),
        RunWriter(logbook.place, run.id),
        looks_after(choice, logbook, run.id),
    )


def is_typed(method: Method, choice: BenchChoice) -> bool:
    """Somebody types it: a person, or on the simulated bench a simulated one."""
    return choice.kind == BY_HAND or (choice.kind == SIMULATED and method.by_eye)


def rehearsal_trouble(method: Method, prepared: Prepared, choice: BenchChoice) -> str:
    """Why a simulated person has nothing to read off; empty where there is something."""
    if choice.kind != SIMULATED or not method.by_eye:
        return ""
    try:
        next(method.read_off(prepared, read_off(method, prepared, 0)), None)
    except ValueError as error:
        return say("{why} On the simulated bench it is made after its label.", why=str(error))
    return ""


def start_by_itself(
    logbook: Logbook, method: Method, prepared: Prepared, choice: BenchChoice | None = None, **more: Any
) -> tuple[Run, RunSession]:
    """As :func:`start`, on a bench."""
    run, session = start(logbook, method, prepared, choice, **more)
    assert isinstance(session, RunSession)
    return run, session


def start_by_hand(
    logbook: Logbook, method: Method, prepared: Prepared, clock: Callable[[], Clock] = RealClock, started: datetime | None = None
) -> tuple[Run, TypedSession]:
    """As :func:`start`, made by hand."""
    run, session = start(logbook, method, prepared, BenchChoice(BY_HAND), started=started, clock=clock)
    assert isinstance(session, TypedSession)
    return run, session


def bench_opener(
    choice: BenchChoice, scene: Scene, setup: Setup, whose: Whose, from_s: float, changes: dict[str, Any] | None = None
) -> Callable[[], Bench]:
    """How the bench that was chosen is opened, in the thread of its engine."""
    if choice.kind == INSTRUMENTS:
        return lambda: open_instruments(choice, scene, setup, from_s, whose=whose)
    opened = opener(scene, setup, whose.run, choice.speed, from_s, changes)
    return lambda: replace(opened(), unattended=choice.unattended)


def looks_after(choice: BenchChoice, logbook: Logbook, run_id: int) -> Callable[[Event], None] | None:
    """Keeps what is seen at the instruments after the run has ended; None where nothing is real."""
    if choice.kind != INSTRUMENTS:
        return None
    return lambda event: add_event(logbook.place, run_id, event)
