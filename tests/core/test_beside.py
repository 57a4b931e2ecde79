"""A guess beside the answer; the time between what a person marked; an account in a few words."""

from __future__ import annotations

import numpy as np
import pytest

from tests.making import PACK, part, prepared, record_for
from ubrant.core.account import Account
from ubrant.core.drawings import Curve, Plot, TraceDrawing
from ubrant.core.guess import beside
from ubrant.core.in_short import in_short, sketch_of
from ubrant.core.quantities.readings import Series
from ubrant.core.record.between_marks import between_marks, warning_of
from ubrant.core.uncertainty.finding import Finding
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file

CHARGE = Finding("charge", "Charge delivered", 48.74, "Ah", (part("gain", 0.145),), "")
SAID = Account({"charge": CHARGE, "share": Finding("share", "Share", 97.5, "%", None, "")}, answers=("charge", "share"))


@pytest.mark.parametrize(
    ("guess", "says"),
    [
        ("45 Ah", "Your guess: 45 Ah. Charge delivered is 48.74 ± 0.29 Ah, 8.3 % more."),
        ("48.46 Ah", "Your guess: 48.46 Ah. Charge delivered is 48.74 ± 0.29 Ah: right, as far as was measured."),
        ("49.1 Ah", "Your guess: 49.1 Ah. Charge delivered is 48.74 ± 0.29 Ah, 0.73 % less."),
        ("52 000 mAh", "Your guess: 52 000 mAh. Charge delivered is 48.74 ± 0.29 Ah, 6.3 % less."),
        ("about 90 % of it", "Your guess: about 90 % of it. Share is 97.50 % (no ±), 8.3 % more."),
        ("0 Ah", "Your guess: 0 Ah. Charge delivered is 48.74 ± 0.29 Ah."),
        ("all night", "Your guess: all night."),
        ("45", "Your guess: 45."),
        ("3 W", "Your guess: 3 W."),
        ("  ", ""),
    ],
)
def test_a_guess(guess, says):
    assert beside(guess, SAID) == says


def marks(*lines: tuple[float, str]) -> dict[str, tuple[str, float]]:
    record = record_for("discharge", prepared("discharge", PACK), lines=dict(lines))
    return {key: (f.name, f.value) for key, f in between_marks(record).items()}


def test_the_time_between_marks():
    found = marks(
        (0.0, "load on 12.9 V 5 A"),
        (600.0, "alarm"),
        (625.0, "tripped"),
        (700.0, "back"),
        (900.0, "alarm"),
        (960.0, "tripped"),
        (1000.0, "load off"),
    )
    assert found == {
        "from_load_on_to_alarm": ("From load on to alarm", 600.0),
        "from_alarm_to_tripped": ("From alarm to tripped", 25.0),
        "from_tripped_to_back": ("From tripped to back", 75.0),
        "from_back_to_alarm": ("From back to alarm", 200.0),
        "from_alarm_to_tripped_2": ("From alarm to tripped (2)", 60.0),
        "from_tripped_to_load_off": ("From tripped to load off", 40.0),
    }


def test_marks_that_are_none_of_a_persons_or_stand_with_a_reading_are_left_alone():
    assert marks((0.0, "load on 12.9 V 5 A"), (60.0, "load off")) == {}
    assert marks((0.0, "12.9 V 5 A alarm"), (60.0, "12.8 V 5 A")) == {}
    assert marks((0.0, "load on 12.9 V 5 A"), (60.0, "tripped 10 V 0 A")) == {}
    assert marks((0.0, "tripped"), (60.0, "tripped")) == {}


def test_an_alarm_with_what_was_read_at_it():
    """It is told from the alarm to the end, by itself; moments that were noted to the minute are no surer."""
    lines = {0.0: "load on 12.5 V 5 A", 3600.0: "alarm 11.1 V 5 A", 4440.0: "empty"}
    record = record_for("discharge", prepared("discharge", PACK), lines=lines)
    assert between_marks(record)["from_alarm_to_empty"].value == 840.0
    assert warning_of(record) == "Its alarm came at 11.1 V, 14 min before it went off."
    assert warning_of(record_for("discharge", prepared("discharge", PACK), lines={**lines, 4440.0: "load off"})) == "", "a person ended it"
    assert (
        warning_of(record_for("discharge", prepared("discharge", PACK), lines={0.0: "alarm", 60.0: "tripped"}))
        == "Its alarm came 1 min before it went off."
    )


def test_marks_of_notes_to_the_minute(tmp_path):
    path = tmp_path / "night.jot"
    path.write_text(
        "method: discharge\nunit: Pack\nkind: battery\nlabel: 12 V 7 Ah lead-acid\n\n@10:00 load on 12.5 V 1 A\n@13:50 alarm 11.1 V 1 A\n@14:04 empty\n",
        "utf-8",
    )
    found = between_marks(read_file(path, LogOptions()).record())["from_alarm_to_empty"]
    assert found.standard_uncertainty == pytest.approx(30.0 * (2 / 3) ** 0.5, rel=0.01)


def test_in_a_few_words():
    assert in_short(SAID) == "Charge delivered 48.74 ± 0.29 Ah; Share 97.50 % (no ±)"
    assert in_short(Account(short="48.7 Ah · meets", findings=SAID.findings, answers=SAID.answers)) == "48.7 Ah · meets"
    assert in_short(Account()) == ""


def test_a_sketch_is_the_first_curve_between_0_and_1():
    x = np.array([2.0, 4.0, 6.0, np.nan])
    plot = Plot("", "", "", (0, 1), (0, 1), (Curve(np.array([1.0]), np.array([1.0])), Curve(x, np.array([1.0, 3.0, 2.0, 9.0]))))
    assert sketch_of(Account(drawings=lambda: (plot,))) == ((0.0, 0.0), (0.5, 1.0), (1.0, 0.5))
    flat = TraceDrawing({"V": Series(np.arange(100.0), np.full(100, 12.0))})
    found = sketch_of(Account(drawings=lambda: (flat,)))
    assert len(found) == 32
    assert {y for _, y in found} == {0.5}
    assert sketch_of(Account()) == ()
    assert sketch_of(Account(drawings=lambda: (TraceDrawing({"V": Series(np.zeros(3), np.arange(3.0))}),))) == ()
