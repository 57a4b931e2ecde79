"""A VISA driver in a child process: it sends and reads like any line, can be cut off in the middle, and says when it has gone."""

from __future__ import annotations

import time

import pytest

from tests.faults.hostile import VOLTS, Battery, Device
from ubrant.bench.lines import LineError, VisaLine


@pytest.fixture
def device():
    made = Device("meter", Battery(), "silent")
    yield made
    made.close()


def test_it_sends_and_reads_and_is_cut_off(device):
    line = VisaLine(device.address)
    line.opened(time.monotonic() + 10.0)
    line.send(b"MEAS:VOLT?\n", time.monotonic() + 1.0)
    assert line.receive(time.monotonic() + 5.0).strip() == VOLTS["meter"].encode()
    device.begin()
    line.send(b"MEAS:VOLT?\n", time.monotonic() + 1.0)
    began = time.monotonic()
    assert line.receive(began + 0.2) == b""
    assert time.monotonic() - began < 1.0
    line.cut_in(b"INP OFF\n")
    with pytest.raises(LineError):
        line.receive(time.monotonic() + 5.0)
    line.close()


def test_what_cannot_be_opened_is_said():
    line = VisaLine("USB0::0x1234::0x5678::NONE::INSTR")
    with pytest.raises(LineError):
        line.opened(time.monotonic() + 10.0)
    line.close()
