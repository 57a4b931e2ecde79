"""Volts and amperes by one question, where a profile says that the instrument answers two in one message."""

from __future__ import annotations

import pytest

from ubrant.bench.bench import channels_of
from ubrant.bench.instruments import DcMeter, InstrumentError
from ubrant.bench.profile import shipped

BOTH = "MEAS:VOLT?;:MEAS:CURR?"


class Line:
    """Answers from a list, and keeps what it was asked."""

    switches = False

    def __init__(self, **answers: str) -> None:
        self.answers, self.asked = {k.replace("_", ""): v for k, v in answers.items()}, []

    def ask(self, command: str, *, long: bool = False) -> str:
        self.asked.append(command)
        return {
            BOTH: self.answers.get("both", ""),
            "MEAS:VOLT?": self.answers.get("volts", ""),
            "MEAS:CURR?": self.answers.get("amps", ""),
        }[command]


def channels(line: Line, quantities: str = "VA", *, both: bool = True):
    profile = shipped("meter")
    if both:
        profile = profile.model_copy(update={"commands": {**profile.commands, "volts_amps": BOTH}})
    return channels_of(DcMeter("The meter", line, profile), "battery", quantities=quantities)


def test_both_come_with_one_question_and_the_amperes_count_once():
    line = Line(both="13.25;9.98", amps="7.00")
    volts, amps = channels(line)
    assert (volts.read(), amps.read()) == (13.25, 9.98)
    assert line.asked == [BOTH]
    assert amps.read() == 7.0  # read again: nothing old is taken for new
    assert line.asked == [BOTH, "MEAS:CURR?"]


@pytest.mark.parametrize("answer", ["13.25", "13.25;", "13.25;9.98;1", "13.25;x", "9.9E37;1"])
def test_what_is_not_two_readings_is_none(answer):
    line = Line(both=answer, amps="7.00")
    volts, amps = channels(line)
    with pytest.raises(InstrumentError):
        volts.read()
    assert amps.read() == 7.0


def test_where_the_profile_does_not_say_so_each_is_asked_for():
    line = Line(volts="13.25", amps="9.98")
    volts, amps = channels(line, both=False)
    assert (volts.read(), amps.read()) == (13.25, 9.98)
    assert line.asked == ["MEAS:VOLT?", "MEAS:CURR?"]


def test_one_of_them_alone_is_asked_for_alone():
    line = Line(volts="13.25")
    (volts,) = channels(line, "V")
    assert volts.read() == 13.25
    assert line.asked == ["MEAS:VOLT?"]
