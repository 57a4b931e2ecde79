"""A scope's record from a file: an AC wave, or a DC output with its ripple and its dip at a load step."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

from ubrant.core.quantity import show
from ubrant.core.readings import Array, ReadingsError
from ubrant.core.tolerance import parse_tolerance
from ubrant.core.transient import analyse_transient, is_dc
from ubrant.core.unit import Unit
from ubrant.core.waveform import analyse_wave
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.taps import read_wave
from ubrant.logbook.records import Run
from ubrant.logbook.writer import RunWriter
from ubrant.workshop.conversion import wave_sentence
from ubrant.workshop.trials.trial import KeptTrial, Problems, SeenWave, Told, Trial, TrialView, meters_of, told_of


class WaveTrial(Trial):
    """Imported, never started."""

    method = "waveform"
    title = "Waveform"
    is_started = False

    def suits(self, unit: Unit) -> bool:
        return False

    def problems(self, told: Told) -> Problems:
        return []

    def view(self, run: Run, kept: KeptTrial) -> TrialView:
        scope = kept.series.get(("scope", "V"))
        if scope is None or not len(scope):
            return TrialView(run, trouble="There is no record in it.")
        time, volts = scope.time_s - scope.time_s[0], scope.value
        load_w = float(run.plan.get("load_w") or 0.0)
        told, scope_accuracy = told_of(run), meters_of(run).input_v
        gain, zero = (scope_accuracy.gain, scope_accuracy.zero) if scope_accuracy is not None else (None, 0.0)
        try:
            if is_dc(volts):
                text = told.fields.get("tolerance", "")
                found = analyse_transient(time, volts, parse_tolerance(text) if text else None, gain)
                return TrialView(run, found.findings, found.sentence, found.warnings, course=(("scope", scope),))
            wave = analyse_wave(time, volts, gain, zero)
        except ReadingsError as error:
            return TrialView(run, trouble=str(error), course=(("scope", scope),))
        sentence = wave_sentence(wave, f"at {show(load_w, 3)} W" if load_w else "")
        return TrialView(run, wave.findings, sentence, wave.warnings, waves=(SeenWave(load_w, time, volts, wave),))


def import_wave(
    logbook: Logbook, path: Path, unit: Unit | None, load_w: float, columns: str | None = None, started: datetime | None = None, *,
    accuracy: str = "", tolerance: str = "",
) -> Run:  # fmt: skip
    """Keep a scope's record as a run of its own, attached to the unit and the load it was made at.

    ``accuracy`` : of the scope's volts, as its manual words it; ``tolerance`` : what a DC output may be; empty for unknown.

    Raises
    ------
    LogError
        It cannot be read; two traces and nobody said which.
    ReadingsError
        There is nothing in it to work out.
    LogbookError
        It cannot be kept.
    """
    time, volts, heading = read_wave(path, columns)
    check_wave(time, volts)
    moment = started or datetime.now(UTC).astimezone()
    offset = moment.utcoffset()
    run = logbook.start_run(Run(
        unit.id if unit else None, WaveTrial.method, path.name, moment.astimezone(UTC).isoformat(timespec="seconds"),
        int(offset.total_seconds() // 60) if offset else 0, plan={"load_w": load_w, "heading": heading, "fields": {"tolerance": tolerance} if tolerance else {}, "unit_kind": unit.kind if unit else ""},
        label_text=unit.label_text if unit else "", meter="scope", voltage_accuracy=accuracy,
    ))  # fmt: skip
    writer = RunWriter(logbook.path, run.id)
    for at, value in zip((time - time[0]).tolist(), volts.tolist(), strict=True):
        writer.reading("scope", "V", at, value)
    writer.finish("done", "")
    return logbook.run(run.id)


def check_wave(time: Array, volts: Array) -> None:
    """Whether there is something in a record to work out.

    Raises
    ------
    ReadingsError
        There is not; says why.
    """
    if not is_dc(volts):
        analyse_wave(time, volts)
    else:
        analyse_transient(time, volts)
