"""Go on with a run that was interrupted, or leave it with what it has."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from ubrant.bench.clocks import LaterClock, RealClock
from ubrant.bench.live import LiveReadings
from ubrant.bench.session import RunSession
from ubrant.bench.switched_on import Whose
from ubrant.core.equipment.meter import Meter
from ubrant.core.quantities.quantity import show_duration
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import Gap
from ubrant.core.record.head import BY_HAND, INSTRUMENTS, LOG, Setup
from ubrant.core.record.record import TapQuantity
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import Run
from ubrant.logbook.writer import RunWriter
from ubrant.methods.method import Prepared
from ubrant.methods.registry import UnknownMethodError, method_of
from ubrant.runs.making.begin import bench_opener, looks_after
from ubrant.runs.making.benches import BenchChoice, choice_again
from ubrant.runs.typed.typed_session import Session, TypedSession

_LEAST_GAP_S = 60.0


@dataclass(frozen=True)
class GoneOn:
    """A run that runs again, what was read before, and the moment it goes on from, in seconds of its own time."""

    run: Run
    before: Mapping[TapQuantity, Series]
    from_s: float


def can_go_on(logbook: Logbook, run: Run) -> bool:
    """Whether an interrupted run can go on: one made by hand, or one whose rest follows from what was kept."""
    if run.state != "interrupted" or run.head.origin.road == LOG:
        return False
    try:
        method = method_of(run.method)
    except UnknownMethodError:
        return False
    prepared = method.prepared(run.head)
    if prepared.plan is None:
        return False
    return run.head.origin.road == BY_HAND or (run.unit_id is not None and method.rest(prepared, logbook.kept(run).record()) is not None)


def go_on(logbook: Logbook, run: Run, now: datetime | None = None, choice: BenchChoice | None = None) -> tuple[Run, Session]:
    """Go on after the gap, on the same instruments. The session still has to be started.

    On the simulated bench the battery stands where the readings left it.

    Raises
    ------
    ValueError
        It is none that can go on.
    LogbookError
        The logbook cannot be written.
    """
    if not can_go_on(logbook, run):
        raise ValueError("This one cannot go on: close it with what it has, and start it anew.")
    method, before = method_of(run.method), logbook.kept(run).record()
    prepared = _as_on_the_shelf(logbook, method.prepared(run.head), run)
    gap = after_gap(logbook, run, now)
    if run.head.origin.road == BY_HAND:
        session = TypedSession(logbook, gap.run, method, prepared, LaterClock(RealClock(), gap.from_s))
        begin_with(session.live, logbook, run, gap.before)
        session.taken_up()
        return gap.run, session
    choice = choice or (
        choice_again(run.head, logbook.meters()) if run.head.origin.road == INSTRUMENTS else BenchChoice(run.head.origin.road)
    )
    rest = method.rest(prepared, before)
    assert rest is not None
    scene = method.scene(prepared, before)
    if scene.by_hand:
        choice = replace(choice, load=None)
    by_itself = RunSession(
        rest,
        bench_opener(choice, scene, prepared.setup, Whose(str(logbook.path), run.id), gap.from_s),
        RunWriter(logbook.place, run.id),
        looks_after(choice, logbook, run.id),
    )
    begin_with(by_itself.live, logbook, run, gap.before)
    return gap.run, by_itself


def _as_on_the_shelf(logbook: Logbook, prepared: Prepared, run: Run) -> Prepared:
    """With unit and meters as the shelf knows them now: a stand-in, an address; the label and accuracies stay those of the run."""
    setup, meters = prepared.setup, logbook.meters()
    unit = logbook.unit(run.unit_id) if run.unit_id is not None else setup.unit
    return replace(
        prepared,
        setup=Setup(
            replace(unit, label_text=setup.unit.label_text, chemistry=setup.unit.chemistry),
            {tap: _connected(meter, meters) for tap, meter in setup.meters.items()},
            setup.leads,
            setup.battery,
        ),
    )


def _connected(meter: Meter, meters: list[Meter]) -> Meter:
    found = next((m for m in meters if m.is_same(meter) or (not meter.id and m.name == meter.name)), None)
    return found or meter


def since_start(run: Run, now: datetime | None = None) -> float:
    """Seconds from its start until now."""
    return ((now or datetime.now(UTC)) - datetime.fromisoformat(run.started)).total_seconds()


def after_gap(logbook: Logbook, run: Run, now: datetime | None = None) -> GoneOn:
    """Mark the gap, and the run as running again."""
    before = {key: logbook.series(run.id, *key) for key in logbook.taps(run.id)}
    typed = [j.time_s for j in logbook.jots(run.id)]
    last_s = max([float(s.time_s[-1]) for s in before.values() if len(s)] + typed, default=0.0)
    by_hand = run.head.origin.road == BY_HAND
    from_s = max(last_s + (0.0 if by_hand else _LEAST_GAP_S), since_start(run, now))
    goes_on = replace(run, state="running", ended_by="", trouble="")
    logbook.update_run(goes_on)
    if not by_hand:
        logbook.add_event(run.id, Gap(from_s, f"Interrupted; nothing was read for {show_duration(from_s - last_s)}.", interrupted=True))
    return GoneOn(goes_on, before, from_s)


def begin_with(live: LiveReadings, logbook: Logbook, run: Run, before: Mapping[TapQuantity, Series]) -> None:
    """What was read, noted and typed before stands in front of what will come."""
    live.begin_with(before, [e.event for e in logbook.events(run.id)])
    live.jots_are({j.id: (j.time_s, said) for j in logbook.jots(run.id) if (said := j.jotting) is not None})


def close_interrupted(logbook: Logbook, run: Run) -> Run:
    """Leave an interrupted run as it is: done, with what it has."""
    closed = replace(run, state="done")
    logbook.update_run(closed)
    return closed
