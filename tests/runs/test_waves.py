"""Scope's records from files: kept with their load, seen over the load of the unit they belong to, refused in a sentence."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.converter import Converter, ConverterParameters
from ubrant.core.jot import Grammar
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.readings import ReadingsError
from ubrant.core.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogError
from ubrant.workshop.jotting import take_down
from ubrant.workshop.trials.registry import trial_of, trial_view
from ubrant.workshop.trials.session import start_typed_trial
from ubrant.workshop.trials.trial import Told
from ubrant.workshop.trials.wave import import_wave
from ubrant.workshop.views import summary_of


@pytest.fixture
def book(tmp_path):
    made = Logbook(tmp_path / "waves.ubrant")
    yield made
    made.close()


def record(path, kind, volts=230.0, heading="Voltage (V)", cycles=3.0):
    time, values = Converter(ConverterParameters(230.0, 0, 0, 0, hertz=50.0, wave=kind)).wave(volts, cycles)
    path.write_text("\n".join([f"Time (s),{heading}", *(f"{t:.7f},{v:.3f}" for t, v in zip(time, values, strict=True))]))
    return path


def test_waves_are_seen_over_the_load_of_their_unit(book, tmp_path):
    unit = book.keep_unit(Unit("Attic", "inverter", "12 V to 230 V, 150 W"))
    other = book.keep_unit(Unit("Other", "inverter", "12 V to 230 V, 150 W"))
    import_wave(book, record(tmp_path / "a.csv", "square", 226.0), unit, 120.0)
    import_wave(book, record(tmp_path / "b.csv", "stepped"), unit, 20.0)
    import_wave(book, record(tmp_path / "c.csv", "sine"), other, 50.0)
    trial = trial_of("steps")
    meter = Meter("M", "0.1 %", "0.5 %", details=MeterDetails(power_accuracy="1 %"))
    battery = Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V")
    told = Told(unit, {**trial.usual(unit), "loads": "0, 50, 100, 150 W", "hold": ""}, (meter, meter), battery=battery)
    run, session = start_typed_trial(book, trial, told, WatchedClock)
    for watts in (0, 50, 100, 150):
        line = f"input 12.5 V {(4 + 1.08 * watts) / 12.5:.2f} A output {231 - watts / 50:.1f} V {watts} W 50 Hz"
        take_down(book, run, Grammar().parse(line), session.clock.now_s(), session)
        session.clock.time_s += 60
    session.end()
    view = trial_view(book, book.run(run.id))
    assert [(w.load_w, w.found.kind) for w in view.waves] == [(20.0, "stepped"), (120.0, "square")]


def test_a_record_is_a_run_with_a_sentence(book, tmp_path):
    run = import_wave(book, record(tmp_path / "a.csv", "stepped"), None, 65.0)
    assert run.state == "done"
    assert summary_of(book, run).sentence.startswith("A stepped wave: 230.")
    view = trial_view(book, run)
    assert "(at 65.0 W)" in view.sentence
    assert view.findings["rms"].expanded_uncertainty is None
    known = trial_view(book, import_wave(book, record(tmp_path / "a.csv", "stepped"), None, 65.0, accuracy="3 % + 0.1 V"))
    assert known.findings["rms"].expanded_uncertainty == pytest.approx(2 * 0.03 * 230 / 3**0.5, rel=0.02)
    assert view.findings["average_reading"].value / view.findings["rms"].value == pytest.approx(0.907, abs=0.003)


@pytest.mark.parametrize(
    ("text", "error", "says"),
    [
        ("Time (s),Current (A)\n0,1\n1,2", LogError, "no column for voltage"),
        ("Voltage (V)\n" + "\n".join("12" for _ in range(90)), LogError, "no column for time"),
        ("Time (s),Voltage (V)\n" + "\n".join(f"{k / 1000},{np.sin(k / 60):.4f}" for k in range(150)), ReadingsError, "no whole cycle"),
        ("Time (s),Voltage (V)\n" + "\n".join(f"{k / 10},{np.sin(k):.4f}" for k in range(90)), ReadingsError, "samples in a cycle"),
        ("Time (s),Voltage (V)\n" + "\n".join(f"{(k % 60) / 1000},{np.sin(k / 5):.4f}" for k in range(120)), ReadingsError, "two traces one after the other"),
    ],
)  # fmt: skip
def test_what_is_no_record_is_refused_and_nothing_is_kept(book, tmp_path, text, error, says):
    path = tmp_path / "bad.csv"
    path.write_text(text)
    with pytest.raises(error, match=says):
        import_wave(book, path, None, 0.0)
    assert book.runs() == []
