"""A scope's record of an AC voltage: RMS, frequency, crest and form factor, THD, harmonics, flat tops, and what kind of wave it is.

Everything is worked out over whole cycles; docs/sums.md has the formulas.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.quantity import plain, show
from ubrant.core.record.readings import Array, ReadingsError
from ubrant.core.uncertainty.contributions import Contribution, rectangular
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

SINE, STEPPED, SQUARE, DISTORTED = "sine", "stepped", "square", "distorted"
FEWEST_IN_A_CYCLE = 20
_FORTIETH = 40
_CLIPPED_SHARE = 0.02
AVERAGE_TO_RMS = math.pi / (2 * math.sqrt(2))
"""What an average-responding meter multiplies the mean of the rectified wave by: right for a sine only."""
_KEEP_OFF = {
    STEPPED: "Keep off it: motors and compressors (they run hot), transformers that hum, dimmers, small chargers without a transformer, laser printers.",
    SQUARE: "Keep off it: motors, transformers, anything with a capacitor in series; chargers and clocks may fail.",
    DISTORTED: "Look at what feeds it before anything sensitive is put on it.",
}


@dataclass(frozen=True)
class Waveform:
    """What a record says.

    Attributes
    ----------
    findings : by key
    kind : ``sine``, ``stepped``, ``square``, ``distorted``
    harmonics : RMS of the 1st to the 40th, volts
    cycles : whole ones that were used
    warnings : sentences
    """

    findings: dict[str, Finding]
    kind: str
    harmonics: Array
    cycles: int
    warnings: tuple[str, ...]


def analyse_wave(time_s: Array, voltage_v: Array, gain: float | None = None, zero_v: float = 0.0) -> Waveform:
    """Work a record out.

    Parameters
    ----------
    time_s, voltage_v : (n,) evenly sampled
    gain, zero_v : limits of error of the scope, a fraction and volts; None for unknown, and then there is no ±

    Raises
    ------
    ReadingsError
        Time does not go evenly, no whole cycle is in it, or too few samples for one.
    """
    _require_even(time_s, voltage_v)
    step_s = float(time_s[-1] - time_s[0]) / (len(time_s) - 1)
    centred = voltage_v - float(np.mean(voltage_v))
    crossings = _crossings(centred)
    if len(crossings) < 2:
        raise ReadingsError(say("There is no whole cycle in this record: set the scope to show at least two."))
    weight = _weights(len(voltage_v), crossings[0], crossings[-1])
    cycles = len(crossings) - 1
    per_cycle = (crossings[-1] - crossings[0]) / cycles
    if per_cycle < FEWEST_IN_A_CYCLE:
        raise ReadingsError(
            say(
                "There are only {per_cycle:.0f} samples in a cycle: set the scope to a faster timebase (at least {FEWEST_IN_A_CYCLE}).",
                per_cycle=per_cycle,
                FEWEST_IN_A_CYCLE=FEWEST_IN_A_CYCLE,
            )
        )
    frequency = 1 / (per_cycle * step_s)
    dc = float(np.average(voltage_v, weights=weight))
    wave = voltage_v - dc
    rms = math.sqrt(float(np.average(voltage_v**2, weights=weight)))
    ac_rms = math.sqrt(float(np.average(wave**2, weights=weight)))
    harmonics = _harmonics(wave, weight, crossings[0], per_cycle)
    ac = wave[weight > 0.5]
    first = float(harmonics[0])
    if not first > 0:
        raise ReadingsError(say("There is no alternating voltage in this record."))
    thd = math.sqrt(max(ac_rms**2 - first**2, 0.0)) / first
    thd_40 = math.sqrt(float(np.sum(harmonics[1:] ** 2))) / first
    peak = float(np.max(np.abs(ac)))
    mean_abs = float(np.average(np.abs(wave), weights=weight))
    crest, form = peak / ac_rms, ac_rms / mean_abs
    flat = _flat_share(ac, peak)
    kind = _kind(ac, thd, crest, flat)
    averaging = mean_abs * AVERAGE_TO_RMS
    jitter = _jitter(crossings, frequency, step_s)
    findings = _as_findings(rms, ac_rms, frequency, jitter, crest, form, thd, thd_40, averaging, dc, flat, cycles, gain, zero_v, step_s)
    warnings = list(_warnings(kind, voltage_v, peak, averaging, ac_rms, jitter, frequency, crest))
    return Waveform(findings, kind, harmonics, cycles, tuple(warnings))


def _weights(count: int, first: float, last: float) -> Array:
    """How much of each sample lies between two places: a sample stands for half a step to each side of it."""
    place = np.arange(count)
    return np.asarray(np.clip(np.minimum(place + 0.5, last) - np.maximum(place - 0.5, first), 0.0, 1.0))


def _require_even(time_s: Array, voltage_v: Array) -> None:
    if len(time_s) != len(voltage_v) or len(time_s) < FEWEST_IN_A_CYCLE:
        raise ReadingsError(say("{time_s} samples are too few for a wave.", time_s=len(time_s)))
    if not (np.isfinite(time_s).all() and np.isfinite(voltage_v).all()):
        raise ReadingsError(
            say("Sample {value} is not a finite number.", value=int(np.flatnonzero(~(np.isfinite(time_s) & np.isfinite(voltage_v)))[0]) + 1)
        )
    steps = np.diff(time_s)
    if steps.min() <= 0:
        raise ReadingsError(
            say(
                "Time does not increase at sample {value}: are there two traces one after the other in this file?",
                value=int(np.argmin(steps)) + 2,
            )
        )
    if steps.max() > 1.5 * float(np.median(steps)):
        raise ReadingsError(
            say(
                "Samples are not evenly spaced: there is a jump at sample {value}. Export the whole record.",
                value=int(np.argmax(steps)) + 2,
            )
        )


def _crossings(centred: Array) -> Array:
    """Places (in samples) where the wave goes up through its middle; those that noise makes beside one another count once."""
    band = 0.25 * float(np.max(np.abs(centred)))
    state, places, last = 0, [], 0
    above, below = centred > band, centred < -band
    for k in np.flatnonzero(above | below):
        if below[k]:
            state, last = -1, int(k)
        elif state == -1:
            part = centred[last : k + 1]
            up = np.flatnonzero((part[:-1] <= 0) & (part[1:] > 0))
            if len(up):
                middle = (up[0] + up[-1]) // 2 if len(up) > 1 else up[0]
                at = int(up[np.argmin(np.abs(up - middle))])
                places.append(_up_through(centred, last + at))
            state = 1
    return np.array(places)


def _up_through(centred: Array, k: int) -> float:
    """Where between samples the middle is met; in the middle of a flat stretch at zero, as a stepped wave has."""
    low = k
    while low > 0 and abs(centred[low] - centred[k]) < 1e-9 * (1 + abs(centred[k])) and centred[low - 1] == centred[k]:
        low -= 1
    y0, y1 = float(centred[k]), float(centred[k + 1])
    return k + y0 / (y0 - y1) if y1 != y0 else float(k)


def _harmonics(wave: Array, weight: Array, first: float, per_cycle: float) -> Array:
    """RMS of the 1st to the 40th harmonic over whole cycles; those above half the sampling rate are 0."""
    turns = (np.arange(len(wave)) - first) / per_cycle
    weighted = weight * wave / float(weight.sum())
    amplitudes = np.zeros(_FORTIETH)
    for k in range(1, min(_FORTIETH, int(per_cycle / 2)) + 1):
        amplitudes[k - 1] = math.sqrt(2) * abs(np.dot(weighted, np.exp(-2j * math.pi * k * turns)))
    return amplitudes


def _flat_share(ac: Array, peak: float) -> float:
    """Share of the time within 2 % of the positive or the negative top."""
    return float(np.mean(np.abs(ac) > 0.98 * peak))


def _kind(ac: Array, thd: float, crest: float, flat: float) -> str:
    near_zero = float(np.mean(np.abs(ac) < 0.1 * float(np.max(np.abs(ac)))))
    if thd < 0.08 and 1.30 < crest < 1.52:
        return SINE
    if flat > 0.8 and thd > 0.35:
        return SQUARE
    if near_zero > 0.12 and flat > 0.3:
        return STEPPED
    levels = _levels(ac)
    return STEPPED if 3 <= levels <= 9 and thd < 0.4 and flat > 0.08 else DISTORTED


def _levels(ac: Array) -> int:
    """How many values the wave stays at: peaks of its histogram that hold over 5 % of the time each and most of it together."""
    counts, _ = np.histogram(ac, bins=60)
    share = counts / counts.sum()
    strong = share > 0.05
    runs = int(np.sum(np.diff(np.concatenate(([0], strong.astype(int), [0]))) == 1))
    return runs if float(share[strong].sum()) > 0.85 else 0


def _jitter(crossings: Array, frequency: float, step_s: float) -> float:
    """Standard deviation of single cycles' frequency, hertz; 0 for fewer than three."""
    lengths = np.diff(crossings)
    return float(np.std(1 / (lengths * step_s), ddof=1)) if len(lengths) >= 3 else 0.0


def _as_findings(
    rms: float,
    ac_rms: float,
    frequency: float,
    jitter: float,
    crest: float,
    form: float,
    thd: float,
    thd_40: float,
    averaging: float,
    dc: float,
    flat: float,
    cycles: int,
    gain: float | None,
    zero_v: float,
    step_s: float,
) -> dict[str, Finding]:
    volts = None
    if gain is not None:
        volts = (
            Contribution("voltage gain", rectangular(gain) * rms, f"{show(100 * gain, 2)} % of {show(rms)} V ÷ √3"),
            Contribution("voltage zero", rectangular(zero_v) * abs(dc) / max(rms, 1e-9)),
        )
    hertz = (
        Contribution("sampling", frequency**2 * step_s / max(cycles, 1) / math.sqrt(6), "half a sample at each end"),
        Contribution("steadiness", jitter / math.sqrt(max(cycles, 1))),
    )
    over = say("over {cycles} whole cycle{value}", cycles=cycles, value="s" if cycles > 1 else "")
    findings = (
        Finding("rms", "RMS voltage", rms, "V", volts, say("√ of the mean square {over}", over=over)),
        Finding(
            "frequency",
            "Frequency",
            frequency,
            "Hz",
            hertz,
            say("{over}; single cycles differ by {jitter} Hz", over=over, jitter=show(jitter, 2)) if jitter else over,
        ),
        Finding("crest_factor", "Crest factor", crest, "", (), say("peak ÷ RMS; a sine has {show}", show=show(math.sqrt(2)))),
        Finding(
            "form_factor",
            "Form factor",
            form,
            "",
            (),
            say("RMS ÷ mean of the rectified wave; a sine has {show}", show=show(math.pi / math.sqrt(8))),
        ),
        Finding("thd", say("THD, all harmonics"), 100 * thd, "%", (), f"√(rms² − dc² − f₁²) ÷ f₁ {over}"),
        Finding("thd_40", say("THD to the 40th"), 100 * thd_40, "%", (), say("harmonics 2 to 40 (IEC 61000-4-7)")),
        Finding(
            "average_reading",
            say("An average-responding meter shows"),
            averaging,
            "V",
            None if gain is None else (),
            say("{show} of the true RMS", show=show(averaging / ac_rms, 3)),
        ),
        Finding("flat_top", "Flat tops", 100 * flat, "%", (), say("of the time within 2 % of the peak")),
    )
    return {f.key: f for f in findings}


def _warnings(
    kind: str, record: Array, peak: float, averaging: float, ac_rms: float, jitter: float, frequency: float, crest: float
) -> list[str]:
    warnings = []
    top, low = float(record.max()), float(record.min())
    at_edge = float(np.mean((record >= top - 1e-9 * abs(top)) | (record <= low + 1e-9 * abs(low))))
    repeated = len(np.unique(record)) > 20
    if kind in {SINE, DISTORTED} and repeated and at_edge > _CLIPPED_SHARE and crest < 1.39:
        warnings.append(
            say("The record looks clipped: its tops are cut off at one value. Choose a larger range on the scope and record again.")
        )
    if abs(averaging / ac_rms - 1) > 0.02:
        side = "less" if averaging < ac_rms else "more"
        warnings.append(
            say(
                "A meter that is not true-RMS shows {show} % {side} than there is.",
                show=show(100 * abs(1 - averaging / ac_rms), 2),
                side=side,
            )
        )
    if kind in _KEEP_OFF:
        warnings.append(_KEEP_OFF[kind])
    if jitter > 0.01 * frequency:
        warnings.append(say("The frequency is unsteady: single cycles differ by {jitter} Hz.", jitter=plain(jitter, 2)))
    return warnings
