"""Sweeps that were interrupted, and go on."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from tests.making import BENCH, STEP_DOWN, by_hand, on_shelf, prepared
from ubrant.bench.engine import Order
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.events import PointTaken
from ubrant.core.record.head import BY_HAND
from ubrant.methods.registry import method_of
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.making.begin import start_by_itself
from ubrant.runs.making.benches import BenchChoice
from ubrant.runs.making.going_on import can_go_on, go_on
from ubrant.runs.typed.jotting import take_down


def made(book):
    return on_shelf(book, prepared("sweep", STEP_DOWN, (BENCH, BENCH), highest="13 V", lowest="9 V", step="2 V", loads="0, 1, 2 A"))


def interrupted(book, run_id):
    """As a crash leaves it."""
    book.update_run(replace(book.run(run_id), state="interrupted", ended_by="interrupted"))
    return book.run(run_id)


def started(book):
    return start_by_itself(book, method_of("sweep"), made(book), BenchChoice(unattended=True))


def test_a_sweep_takes_the_points_it_still_lacks(logbook):
    run, session = started(logbook)

    class Gone(Exception):
        pass

    taken = []
    record = session._recorder.event

    def event(one):
        record(one)
        taken.append(one.kind)
        if taken.count("point") == 6:
            raise Gone("as if somebody had pulled the plug")

    session._recorder.event = event
    session.start()
    session.join(60)
    _, before = account_of(logbook, logbook.run(run.id))
    assert before.taken == 6
    left = interrupted(logbook, run.id)
    assert can_go_on(logbook, left)
    goes_on, again = go_on(logbook, left)
    again.order(Order.DONE)
    again.start()
    again.join(60)
    assert again.progress.ended_by == "done", again.progress.trouble
    after, account = account_of(logbook, logbook.run(goes_on.id))
    assert [(e.input_v, e.load) for e in after.of(PointTaken)] == method_of("sweep").prepared(after.head).plan.points()
    assert [e.kind for e in after.events].count("gap") == 1
    assert account.findings["loss_fixed"].value is not None


def test_a_sweep_that_did_not_keep_what_its_points_answered_can_only_be_closed(logbook):
    run, session = started(logbook)
    session.start()
    session.join(60)
    (number, data) = logbook._db.execute("SELECT id, data FROM event WHERE kind = 'point' LIMIT 1").fetchone()
    without = {k: v for k, v in json.loads(data).items() if k != "answer"}
    logbook._db.execute("UPDATE event SET data = ? WHERE id = ?", (json.dumps(without), number))
    left = interrupted(logbook, run.id)
    assert not can_go_on(logbook, left)
    with pytest.raises(ValueError, match="close it with what it has"):
        go_on(logbook, left)


def test_a_sweep_by_hand_goes_on_at_the_line_where_it_was_left(logbook):
    run, session = by_hand(
        logbook,
        "sweep",
        made(logbook),
        {30.0: "input 13 V 0.02 A output 5.01 V 0 A", 60.0: "input 11 V 0.03 A output 5.01 V 0 A"},
        end=False,
    )
    goes_on, again = go_on(logbook, interrupted(logbook, run.id))
    assert goes_on.source == BY_HAND
    assert "Point 3 of 15: 9 V at the input, nothing at the output" in again.progress.text
    assert again.progress.time_s > session.clock.time_s
    take_down(logbook, goes_on, Grammar().parse("input 9 V 0.04 A output 5.01 V 0 A"), again.progress.time_s, again)
    again.end()
    _, account = account_of(logbook, logbook.run(run.id))
    assert account.taken == 3
    assert logbook.run(run.id).state == "done"
