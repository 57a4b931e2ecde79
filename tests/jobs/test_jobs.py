"""Each bench in its own file: done by keys and clicks from an empty logbook, and as a jot text, with the same answer."""

from __future__ import annotations

import importlib
import pkgutil

import pytest
from PyQt6.QtWidgets import QApplication

from tests.hands import Hands
from tests.jobs import benches
from tests.jobs.job import Job
from ubrant.demo.kit import WatchedClock
from ubrant.methods.registry import entries, entry_of
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.ui.window.shell import FINDINGS, RUN, SHELF

HERE = {entry.key for entry in entries()}
JOBS: dict[str, Job] = {
    name: importlib.import_module(f"{benches.__name__}.{name}").JOB for _, name, _ in pkgutil.iter_modules(benches.__path__)
}
JOBS = {name: job for name, job in JOBS.items() if job.method in HERE}


def by_keys_and_clicks(hands: Hands, job: Job):
    """From the first page to the findings, as a person goes."""
    window = hands.window
    window.clock = WatchedClock()
    window.bench.clock = lambda: window.clock
    window.go_to(SHELF)
    for place, meter in job.meters.items():
        hands.add_meter(place or "M", *meter)
    for other in filter(None, (job.battery, job.device)):
        hands.add(other.name, other.label, other.kind)
    hands.add(job.unit.name, job.unit.label, job.unit.kind)
    hands.measure(job.asked, entry_of(job.method).title)
    form = window.prepare.form
    if form.bench.count() and not form.bench.isHidden():
        hands.choose(form.bench, "by hand: I type the readings")
    for box, thing in ((form.battery, job.battery), (form.device, job.device)):
        if thing is not None:
            hands.choose(box, thing.name)
    for tap, box in form.meters.items():
        hands.choose(box, tap if tap in job.meters else "M")
    if form.method.has_leads:
        hands.write(form.lead_length, "1.5 m")
        hands.write(form.lead_area, "4 mm²")
    for key, text in job.fields.items():
        assert not form.fields[key].isHidden(), f"{key} is not seen"
        hands.write(form.fields[key], text)
    window.prepare.look()
    assert window.prepare.start_button.isEnabled(), window.prepare.problems()
    hands.click(window.prepare, "Start the run")
    assert window.stage() == RUN
    window.run.tick()
    before = -1.0
    for after, line in job.lines:
        window.clock.time_s += 60 * (after - before)
        before = after
        hands.say(line)
        assert not window.run.jot_line.text(), (
            line,
            window.notice_text() if hasattr(window, "notice_text") else window.run.trouble_note.text(),
        )
    hands.click(window.run, "Close the run")
    window.run.tick()
    QApplication.processEvents()
    assert window.stage() == FINDINGS
    return window.findings.account


@pytest.mark.parametrize("name", JOBS)
def test_a_bench(name, window, qtbot, tmp_path):
    job = JOBS[name]
    hands = Hands(window, qtbot)
    by_hand = by_keys_and_clicks(hands, job)
    path = tmp_path / f"{name}.jot"
    path.write_text(job.as_jot(), "utf-8")
    by_jot = account_of_stored(read_file(path, LogOptions()).record())
    print(f"{name}: {hands.count} keys and clicks. {by_hand.sentence}")
    for account in (by_hand, by_jot):
        assert not account.trouble and not account.held_back, (account.trouble, account.held_back)
        assert account.sentence.startswith(job.says), account.sentence
        for key, value in job.figures.items():
            assert account.findings[key].value == pytest.approx(value, rel=0.01), key
        for text in job.warns:
            assert any(text in said for said in account.warnings), account.warnings
    assert by_jot.findings.keys() == by_hand.findings.keys()
    for key, found in by_hand.findings.items():
        if found.value is not None:
            assert by_jot.findings[key].value == pytest.approx(found.value, rel=1e-3), key
            assert (by_jot.findings[key].expanded_uncertainty or 0.0) == pytest.approx(found.expanded_uncertainty or 0.0, rel=0.05), key
    assert by_jot.sentence == by_hand.sentence
