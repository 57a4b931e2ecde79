"""The five verdicts, and what would settle it."""

import numpy as np
import pytest

from tests.making import falling
from tests.methods.discharge.making import record
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.label import parse_label
from ubrant.methods.discharge.sums import analyse


def verdict(share: float, **changes):
    """A run at the label's rate whose capacity to 11 V is this share of the label's 50 Ah."""
    hours = 5 * share / (2.2 / 2.7) ** (1 / 8)  # falling() meets 11 V after this share of its length
    return analyse(record(falling(hours=hours), **changes)).verdict


@pytest.mark.parametrize(("share", "word"), [(1.04, "meets"), (0.93, "below"), (0.70, "spent"), (1.001, "cannot tell")])
def test_outside_the_uncertainty_on_the_right_side(share, word):
    found = verdict(share)
    assert found.word == word
    assert found.sentence.lower().startswith(word.split()[0])


def test_cannot_tell_says_what_would_settle_it():
    assert verdict(1.028).settle == "One more run like it would settle it, if that gives as much."
    assert verdict(1.014).settle.startswith("Two more runs like it would settle it")
    assert "current meter good to" in verdict(1.04, current_accuracy=parse_accuracy("5 %", "A")).settle
    assert "no better meter" in verdict(1.0).settle
    assert "zero" in verdict(1.034, current_accuracy=parse_accuracy("0.01% + 250 mA", "A")).settle


def test_no_accuracy_no_verdict():
    found = verdict(1.1, voltage_accuracy=None)
    assert (found.word, "accuracy" in found.settle) == ("cannot tell", True)


def test_a_run_at_another_rate_is_not_like_for_like():
    slow = record(falling(hours=9.0, amps=5.0))
    assert analyse(slow).verdict.word == "not like for like"
    assert "0.1 C, and the label means 0.2 C" in analyse(slow).verdict.sentence


def test_a_faster_run_that_meets_the_label_meets_it():
    fast = analyse(record(falling(hours=2.7, amps=20.0)))
    assert (fast.verdict.word, "faster" in fast.verdict.sentence) == ("meets", True)
    assert analyse(record(falling(hours=2.4, amps=20.0))).verdict.word == "not like for like"


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"temperature_c": 45.0}, "at 45 °C"),
        ({"tap": "load"}, "metered at the load"),
        ({"label": parse_label("50 Ah 12.8 V LiFePO4 to 10 V")}, "the label means 10 V"),
        ({"label": parse_label("50 Ah 3.7 V")}, "Ah hold at 3.7 V"),
    ],
)
def test_other_differences_from_the_label(changes, says):
    found = verdict(0.93, **changes)
    assert found.word == "not like for like"
    assert says in found.sentence


def test_a_run_that_was_stopped_gives_at_least_so_much():
    short = analyse(record(falling(hours=3, end_v=12.5), ended="person", load_on_s=0.0))
    assert (short.verdict.word, "at least" in short.verdict.sentence, short.ended_by) == ("cannot tell", True, "person")
    more = analyse(record(falling(hours=5.4, end_v=12.5), ended="person", load_on_s=0.0))
    assert (more.verdict.word, "at least" in more.verdict.sentence) == ("meets", True)


def test_a_lithium_battery_below_gets_five_cycles():
    """IEC 61960-3 gives up to five cycles (value from memory)."""
    assert "five cycles" in verdict(0.93).sentence


def test_no_label_nothing_to_judge():
    assert "no label" in verdict(1.0, label=None).sentence


def test_a_rate_that_may_well_be_right_is_not_held_against_the_run():
    """A clamp meter that may be 20 % off cannot say that the rate was another."""
    rough = parse_accuracy("20 %", "A")
    found = analyse(record(falling(amps=11.5, hours=4.5), current_accuracy=rough))
    assert found.verdict.word == "cannot tell"
    assert np.isfinite(found.findings["c_rate"].expanded_uncertainty)


@pytest.mark.parametrize(("share", "word"), [(1.12, "meets"), (1.2, "cannot tell"), (1.7, "cannot tell"), (4.2, "cannot tell")])
def test_much_more_than_its_label_is_asked_about_and_then_judged(share, word):
    found = verdict(share)
    assert found.word == word
    assert ("more than such batteries give" in found.sentence) == (word == "cannot tell")
    assert verdict(share, checked=("share",)).word == "meets"
