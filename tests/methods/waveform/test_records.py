"""Scope's records from files: kept with their load, seen over the load of the unit they belong to, refused in a sentence."""

from __future__ import annotations

import numpy as np
import pytest

from tests.making import BLOCK, by_hand, prepared
from tests.window import needs
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.logbook.logs.log_file import LogError
from ubrant.runs.coming_in.bringing_in import LogOptions, keep, read_file
from ubrant.runs.kept.accounts import account_of, account_of_stored, summary_of


def kept(book, path, unit, load_w, accuracy=""):
    """A record brought in, and its account."""
    told = LogOptions("waveform", accuracies=(accuracy, "", "", ""), unit=unit, load_w=load_w)
    run = keep(book, read_file(path, told), unit)
    return run, account_of(book, run)[1]


def record(path, kind, volts=230.0, heading="Voltage (V)", cycles=3.0):
    time, values = Converter(ConverterParameters(230.0, 0, 0, 0, hertz=50.0, wave=kind)).wave(volts, cycles)
    path.write_text("\n".join([f"Time (s),{heading}", *(f"{t:.7f},{v:.3f}" for t, v in zip(time, values, strict=True))]))
    return path


def test_waves_are_seen_over_the_load_of_their_unit(logbook, tmp_path):
    needs("steps")
    unit = logbook.keep_unit(Unit("Attic", "inverter", "12 V to 230 V, 150 W"))
    other = logbook.keep_unit(Unit("Other", "inverter", "12 V to 230 V, 150 W"))
    kept(logbook, record(tmp_path / "a.csv", "square", 226.0), unit, 120.0)
    kept(logbook, record(tmp_path / "b.csv", "stepped"), unit, 20.0)
    kept(logbook, record(tmp_path / "c.csv", "sine"), other, 50.0)
    meter = Meter("M", "0.1 %", "0.5 %", details=MeterDetails(power_accuracy="1 %"))
    steps = prepared("steps", unit, (meter, meter), BLOCK, loads="0, 50, 100, 150 W", hold="")
    lines = {
        60.0 * k: f"input 12.5 V {(4 + 1.08 * w) / 12.5:.2f} A output {231 - w / 50:.1f} V {w} W 50 Hz"
        for k, w in enumerate((0, 50, 100, 150))
    }
    run, _ = by_hand(logbook, "steps", steps, lines)
    _, account = account_of(logbook, logbook.run(run.id))
    assert [(w.load_w, w.kind) for w in account.waves] == [(20.0, "stepped"), (120.0, "square")]


def test_a_record_is_a_run_with_a_sentence(logbook, tmp_path):
    run, account = kept(logbook, record(tmp_path / "a.csv", "stepped"), None, 65.0)
    assert run.state == "done"
    assert summary_of(logbook, run).sentence.startswith("A stepped wave")
    assert ": 230." in account.sentence
    assert "(at 65.0 W)" in account.sentence
    assert account.findings["rms"].expanded_uncertainty is None
    _, known = kept(logbook, record(tmp_path / "a.csv", "stepped"), None, 65.0, "3 % + 0.1 V")
    assert known.findings["rms"].expanded_uncertainty == pytest.approx(2 * 0.03 * 230 / 3**0.5, rel=0.02)
    assert account.findings["average_reading"].value / account.findings["rms"].value == pytest.approx(0.907, abs=0.003)


@pytest.mark.parametrize(
    ("text", "read", "says"),
    [
        ("Time (s),Current (A)\n0,1\n1,2", False, "no column for voltage"),
        ("Voltage (V)\n" + "\n".join("12" for _ in range(90)), False, "no column for time"),
        ("Time (s),Voltage (V)\n" + "\n".join(f"{k / 1000},{np.sin(k / 60):.4f}" for k in range(150)), True, "no whole cycle"),
        ("Time (s),Voltage (V)\n" + "\n".join(f"{k / 10},{np.sin(k):.4f}" for k in range(90)), True, "samples in a cycle"),
        (
            "Time (s),Voltage (V)\n" + "\n".join(f"{(k % 60) / 1000},{np.sin(k / 5):.4f}" for k in range(120)),
            True,
            "two traces one after the other",
        ),
    ],
)
def test_what_is_no_record_is_refused(tmp_path, text, read, says):
    path = tmp_path / "bad.csv"
    path.write_text(text)
    if read:
        assert says in account_of_stored(read_file(path, LogOptions("waveform")).record()).trouble
        return
    with pytest.raises(LogError, match=says):
        read_file(path, LogOptions("waveform"))
