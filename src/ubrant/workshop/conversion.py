"""Work out sweeps, idle draws, load steps and waveforms from logs whose headings name taps."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ubrant.core.accuracy import Accuracy
from ubrant.core.finding import Finding
from ubrant.core.idle import idle_findings, idle_sentence
from ubrant.core.label import Label
from ubrant.core.load_steps import Source, analyse_steps, ending_of
from ubrant.core.points import Points, SweepMeters, points_of
from ubrant.core.readings import Array, ReadingsError
from ubrant.core.sweep import Sweep, analyse_sweep
from ubrant.core.tolerance import Tolerance
from ubrant.core.transient import analyse_transient, is_dc
from ubrant.core.waveform import Waveform, analyse_wave
from ubrant.logbook.logs.log_file import left_out_sentence
from ubrant.logbook.logs.taps import TapLog, read_taps, read_wave

METHODS = ("discharge", "sweep", "idle", "steps", "waveform")
_UNSETTLED = 0.02
_SAME_SETTING = 0.015


@dataclass(frozen=True)
class Converted:
    """Findings by key, the kind of wave where it is one, one sentence over all, warnings; of load steps, what ended them."""

    findings: dict[str, Finding]
    sentence: str
    warnings: tuple[str, ...]
    kind: str = ""
    sweep: Sweep | None = None
    ended_by: str = ""


def sweep_log(path: Path, meters: SweepMeters, tolerance: Tolerance | None, rated_w: float | None) -> Converted:
    """A sweep from a log.

    Raises
    ------
    LogError, ReadingsError
        It cannot be read, or nothing can be said of it.
    """
    log = read_taps(path)
    points, _, warnings = settled_points(log)
    found = analyse_sweep(points, meters, tolerance, rated_w)
    return Converted(found.findings, sweep_sentence(found), (*warnings, *found.warnings, *_left_out(log)), sweep=found)


def steps_log(
    path: Path, meters: SweepMeters, tolerance: Tolerance | None, rated_w: float | None, battery: Label | None = None
) -> Converted:
    """Load steps from a log, with what ended them where the output went off under load and stayed off.

    Raises
    ------
    LogError, ReadingsError
        It cannot be read, or nothing can be said of it.
    """
    log = read_taps(path)
    points, hertz, warnings = settled_points(log)
    read = _columns_of(log)
    watts = read["pout"] if read["pout"] is not None else read["vout"] * (read["iout"] if read["iout"] is not None else np.nan)
    ending = ending_of(read["vin"], read["iin"], read["vout"], watts, read["source"]) if log.time_s is not None else None
    source = (
        Source(battery.voltage_v or float(np.nanmedian(read["vin"])), battery.kind_of_cell, battery.series) if battery is not None else None
    )
    found = analyse_steps(points, meters, tolerance, rated_w, hertz, ending, source)
    said = (*warnings, *found.warnings, *_left_out(log))
    return Converted(found.sweep.findings | found.findings, found.sentence, said, sweep=found.sweep, ended_by=found.ended_by)


def _left_out(log: TapLog) -> list[str]:
    if not log.left_out:
        return []
    return [left_out_sentence(log.left_out).replace("were left out", "lack a reading").replace("was left out", "lacks a reading")]


def sweep_sentence(found: Sweep) -> str:
    """What a colleague would say of it."""
    best, at, idle = (found.findings[key] for key in ("peak_efficiency", "peak_at", "idle_power"))
    said = []
    if best.value is not None:
        said.append(f"Best {best.with_doubt()} at {at.value_text()}")
    if idle.value is not None:
        said.append(f"idle draw {idle.with_doubt()}")
    dropout = found.findings["dropout_voltage"]
    if dropout.value is not None:
        said.append(f"leaves tolerance at {dropout.with_doubt()}")
    return ("; ".join(said) + ".") if said else "Too few points for its losses."


def settled_points(log: TapLog) -> tuple[Points, Array | None, list[str]]:
    """The settled point of each setting: the mean of the later half of a stretch that holds still; a single line is a point of its own.

    Returns
    -------
    The points, the hertz of each where there is a column for it, warnings.

    Raises
    ------
    ReadingsError
        A quantity is missing that cannot be worked out.
    """
    columns = _columns_of(log)
    groups, warnings = _stretches(log, columns["vin"], columns["iout"] if columns["iout"] is not None else columns["pout"])
    picked = {name: None if c is None else np.array([_mean(c[g]) for g in groups]) for name, c in columns.items()}
    assert picked["vin"] is not None and picked["iin"] is not None and picked["vout"] is not None
    points = points_of(picked["vin"], picked["iin"], picked["vout"], picked["iout"], picked["pout"], picked["source"])
    return points, picked["hertz"], warnings


def _columns_of(log: TapLog) -> dict[str, Any]:
    """Volts and amperes in, volts, amperes, watts and hertz out, the source's volts; None for what is not there and cannot be worked out.

    Raises
    ------
    ReadingsError
        Volts in, amperes in or volts out are neither there nor to be worked out.
    """
    vin, iin, pin = (log.get("input", q) for q in ("V", "A", "W"))
    if vin is None:
        vin, iin, pin = (log.get(_source_of(log), q) for q in ("V", "A", "W"))
    vout, iout, pout = (log.get("output", q) for q in ("V", "A", "W"))
    if vout is None and log.get("ac", "V") is not None:
        vout, iout, pout = (log.get("ac", q) for q in ("V", "A", "W"))
    if vin is None or (iin is None and pin is None):
        raise ReadingsError(
            "Volts and amperes (or watts) of the input are needed: name the columns “input voltage / V”, “input current / A”."
        )
    if vout is None and iout is not None and pout is not None:
        vout = np.divide(pout, iout, out=np.full(len(iout), np.nan), where=iout > 0)
    if vout is None:
        raise ReadingsError("The output's voltage is needed: name the column “output voltage / V”.")
    if iin is None and pin is not None:
        iin = np.divide(pin, vin, out=np.zeros_like(pin), where=vin > 0)
    assert iin is not None
    source = log.get("source", "V")
    hertz = next((c for tap in ("output", "ac") if (c := log.get(tap, "Hz")) is not None), None)
    return {"vin": vin, "iin": iin, "vout": vout, "iout": iout, "pout": pout, "source": source, "hertz": hertz}


def _source_of(log: TapLog) -> str:
    return next((tap for tap in ("dc", "battery") if log.get(tap, "V") is not None), "input")


def _largest(values: Array) -> float:
    """By size; 0 where nothing was read."""
    return float(np.max(np.abs(values[np.isfinite(values)]), initial=0.0))


def _mean(values: Array) -> float:
    good = values[np.isfinite(values)]
    return float(np.mean(good)) if len(good) else float("nan")


def _stretches(log: TapLog, vin: Array, load: Array | None) -> tuple[list[NDArray[np.int64]], list[str]]:
    """Indexes that make each point."""
    n = len(vin)
    if log.time_s is None or load is None:
        return [np.array([k]) for k in range(n)], []
    width_v, width_a = _SAME_SETTING * _largest(vin), 2 * _SAME_SETTING * max(_largest(load), 1e-9)
    jump = (np.abs(np.diff(vin)) > width_v) | (np.abs(np.diff(load)) > width_a)
    stretches = np.split(np.arange(n), np.flatnonzero(jump) + 1)
    if max(len(s) for s in stretches) < 4:
        return [np.array([k]) for k in range(n)], []
    groups, unsettled = [], 0
    for stretch in stretches:
        later = stretch[len(stretch) // 2 :]
        volts = vin[later][np.isfinite(vin[later])]
        if len(volts) > 1 and np.std(volts) > _UNSETTLED * abs(float(np.mean(volts))):
            unsettled += 1
            continue
        groups.append(later)
    return groups, [f"{unsettled} settings never settled and were left out."] if unsettled else []


def idle_log(path: Path, meters: SweepMeters) -> Converted:
    """An idle draw from a log.

    Raises
    ------
    LogError, ReadingsError
        It cannot be read, or nothing can be said of it.
    """
    log = read_taps(path)
    tap = "input" if log.get("input", "V") is not None else _source_of(log)
    volts, amps, watts = (log.get(tap, q) for q in ("V", "A", "W"))
    if volts is None or (amps is None and watts is None):
        raise ReadingsError(
            "Volts and amperes (or watts) of the input are needed: name the columns “input voltage / V”, “input current / A”."
        )
    if amps is None and watts is not None:
        amps = np.divide(watts, volts, out=np.full_like(watts, np.nan), where=volts > 0)
    assert amps is not None
    out = next((c for q in ("W", "A") for t in ("output", "ac") if (c := log.get(t, q)) is not None), None)
    if out is not None and _largest(out) > 0:  # of a log with loads in it, only what was read without one
        none = np.abs(out) <= 0.01 * _largest(out)
        volts, amps = (volts[none], amps[none]) if none.any() else (volts, amps)
    findings, warnings = idle_findings(volts, amps, meters.input_v, meters.input_a)
    return Converted(findings, f"{idle_sentence(findings)}.", tuple(warnings))


def wave_log(path: Path, columns: str | None, voltage: Accuracy | None) -> Converted:
    """A scope's record.

    Raises
    ------
    LogError, ReadingsError
        It cannot be read, or holds no whole cycle.
    """
    time_s, volts, heading = read_wave(path, columns)
    if is_dc(volts) and float(np.ptp(volts)) > 0:
        dip = analyse_transient(time_s, volts, gain=voltage.gain if voltage else None)
        return Converted(dip.findings, dip.sentence, dip.warnings)
    found = analyse_wave(time_s, volts, voltage.gain if voltage else None, voltage.zero if voltage else 0.0)
    return Converted(found.findings, wave_sentence(found, heading), found.warnings, found.kind)


def wave_sentence(found: Waveform, what: str = "") -> str:
    """What a colleague would say of a wave."""
    rms, hertz, thd = (found.findings[key] for key in ("rms", "frequency", "thd"))
    words = {"sine": "A sine", "stepped": "A stepped wave", "square": "A square wave", "distorted": "A distorted wave"}[found.kind]
    return f"{words}: {rms.value_text()}, {hertz.value_text()}, THD {thd.value_text()}{f' ({what})' if what else ''}."
