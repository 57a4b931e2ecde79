"""Trials that were interrupted, and go on."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from tests.workshop.test_trial_runs import BENCH, book  # noqa: F401
from ubrant.bench.engine import Order
from ubrant.core.jot import Grammar
from ubrant.core.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.runs.benches import BY_HAND
from ubrant.workshop.continuing import can_go_on, go_on
from ubrant.workshop.jotting import take_down
from ubrant.workshop.trials.registry import trial_of, trial_view
from ubrant.workshop.trials.session import start_trial, start_typed_trial
from ubrant.workshop.trials.trial import Told

STEP_DOWN = Unit("Step-down", "converter", "12 V to 5 V, 3 A")


def told_for(book, **fields):  # noqa: F811
    unit = book.keep_unit(STEP_DOWN)
    return Told(
        unit,
        {**trial_of("sweep").usual(unit), "highest": "13 V", "lowest": "9 V", "step": "2 V", "loads": "0, 1, 2 A", **fields},
        (BENCH, BENCH),
    )


def interrupted(book, run_id):  # noqa: F811
    """As a crash leaves it."""
    book.update_run(replace(book.run(run_id), state="interrupted", ended_by="interrupted"))
    return book.run(run_id)


def test_a_sweep_takes_the_points_it_still_lacks(book):  # noqa: F811
    told = told_for(book)
    run, session = start_trial(book, trial_of("sweep"), told, unattended=True)

    class Gone(Exception):
        pass

    taken = []
    record = session._recorder.event

    def event(time_s, kind, text):
        record(time_s, kind, text)
        taken.append(kind)
        if taken.count("point") == 6:
            raise Gone("as if somebody had pulled the plug")

    session._recorder.event = event
    session.start()
    session.join(60)
    before = trial_view(book, book.run(run.id))
    assert len(before.points) == 6
    left = interrupted(book, run.id)
    assert can_go_on(book, left)
    goes_on, again = go_on(book, left)
    again.order(Order.DONE)
    again.start()
    again.join(60)
    assert again.progress.ended_by == "done", again.progress.trouble
    view = trial_view(book, book.run(goes_on.id))
    assert list(view.asked) == trial_of("sweep").settings(told)
    assert [e.kind for e in book.events(run.id)].count("gap") == 1
    assert view.findings["loss_fixed"].value is not None


def test_a_sweep_that_did_not_keep_what_its_points_answered_can_only_be_closed(book):  # noqa: F811
    run, session = start_trial(book, trial_of("sweep"), told_for(book), unattended=True)
    session.start()
    session.join(60)
    for event in [e for e in book.events(run.id) if e.kind == "point"][:1]:
        about = {k: v for k, v in json.loads(event.text).items() if k != "answer"}
        book._db.execute("UPDATE event SET text = ? WHERE run_id = ? AND time_s = ?", (json.dumps(about), run.id, event.time_s))
    left = interrupted(book, run.id)
    assert not can_go_on(book, left)
    with pytest.raises(ValueError, match="close it with what it has"):
        go_on(book, left)


def test_a_sweep_by_hand_goes_on_at_the_line_where_it_was_left(book):  # noqa: F811
    clock = WatchedClock()
    told = told_for(book)
    run, session = start_typed_trial(book, trial_of("sweep"), told, lambda: clock)
    session.order(Order.DONE)
    for line in ("input 13 V 0.02 A output 5.01 V 0 A", "input 11 V 0.03 A output 5.01 V 0 A"):
        clock.time_s += 30.0
        take_down(book, run, Grammar().parse(line), clock.time_s, session)
    goes_on, again = go_on(book, interrupted(book, run.id))
    assert goes_on.source == BY_HAND
    assert "Point 3 of 15: set 9 V at the input and 0 A at the output" in again.progress.text
    assert again.progress.time_s > clock.time_s
    take_down(book, goes_on, Grammar().parse("input 9 V 0.04 A output 5.01 V 0 A"), again.progress.time_s, again)
    again.end()
    view = trial_view(book, book.run(run.id))
    assert list(view.asked) == [(13.0, 0.0), (11.0, 0.0), (9.0, 0.0)]
    assert view.run.state == "done"
