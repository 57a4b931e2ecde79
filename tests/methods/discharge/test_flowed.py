"""What flowed although everything was off: no resting voltage, a warning, and the reason; and a run that the guardian ended."""

from __future__ import annotations

import pytest

from tests.methods.discharge.making import begun, small_plan
from ubrant.core.record.events import DrawsBesides, GuardianOff, LoadOff, StillDraws
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.making.benches import BenchChoice


@pytest.fixture(scope="module")
def of_events(tmp_path_factory):
    from ubrant.logbook.logbook import Logbook

    book = Logbook(tmp_path_factory.mktemp("flowed") / "bench.ubrant")
    run, session = begun(book, small_plan(), choice=BenchChoice(unattended=True))
    session.start()
    session.join(60)

    def of(*events, ended_by: str = ""):
        from dataclasses import replace

        ids = [book.add_event(run.id, event) for event in events]
        kept = book.run(run.id)
        if ended_by:
            book.update_run(replace(kept, ended_by=ended_by))
        account = account_of(book, book.run(run.id))[1]
        for one in ids:
            book.remove_event(one)
        book.update_run(kept)
        return account

    of.off_s = next(e.event.time_s for e in book.events(run.id) if isinstance(e.event, LoadOff))
    yield of
    book.close()


def test_a_rest_in_which_something_flowed_is_none(of_events):
    assert of_events().findings["rest_after"].value is not None
    account = of_events(StillDraws(of_events.off_s + 20.0, "", "battery", 0.51))
    found = account.findings["rest_after"]
    assert found.value is None
    assert found.working == "0.51 A flowed although everything was off"
    assert any("At the battery 0.51 A flowed although everything was off: it may have been on." in w for w in account.warnings)


def test_a_rest_in_which_something_else_drew_says_so(of_events):
    at = of_events.off_s + 20.0
    account = of_events(StillDraws(at, "", "battery", 0.3), DrawsBesides(at + 5.0, "", "battery", 0.3))
    found = account.findings["rest_after"]
    assert found.value is not None
    assert "0.3 A flowed, drawn by something else" in found.working
    assert not any("may have been on" in w for w in account.warnings)


def test_the_rest_before_by_itself(of_events):
    account = of_events(StillDraws(5.0, "", "battery", 0.4))
    assert account.findings["rest_before"].value is None
    assert account.findings["rest_after"].value is not None


def test_what_the_guardian_ended_has_not_reached_its_end(of_events):
    """It may meet its label; it is never below or spent, and no cut-off or protection is said to have ended it."""
    account = of_events(GuardianOff(of_events.off_s, "The guardian switched off: the program ended.", True), ended_by="guardian")
    assert "The guardian switched off: the program ended." in account.warnings
    assert account.ended_by in {"guardian", "cut-off"}
