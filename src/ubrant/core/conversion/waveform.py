"""A scope's record of an AC voltage: RMS, frequency, crest and form factor, THD, harmonics, flat tops, and what kind of wave it is.

Everything is worked out over whole cycles; docs/sums.md has the formulas.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from scipy.special import chdtri

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import rectangular, scattered, within, wrong_by
from ubrant.core.wording import say, say_many, words

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


def analyse_wave(time_s: Array, voltage_v: Array, voltage: Accuracy | None = None) -> Waveform:
    """Work a record out.

    Parameters
    ----------
    time_s, voltage_v : (n,) evenly sampled
    voltage : accuracy of the scope; None for unknown, and then there is no ±

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
    noise, step = _noise(wave)
    rounded = _of_rounding(noise, step)
    steps = max(float(np.count_nonzero(np.diff(wave))) / len(wave) * per_cycle, 1.0)
    peak, peak_u = _peak(wave, crossings, per_cycle, math.sqrt(max(noise**2 - rounded**2, 0.0)))
    peak_u = math.hypot(peak_u, rounded)
    mean_abs = float(np.average(np.abs(wave), weights=weight))
    clean_rms = math.sqrt(max(ac_rms**2 - noise**2, 1e-30))
    crest, form = peak / clean_rms, ac_rms / mean_abs
    flat = _flat_share(ac, float(np.max(np.abs(ac))))
    steep = _slope(wave, crossings)
    crossing_s = noise / max(steep / step_s, 1e-30)
    scatter = _Scatter(noise, float(weight.sum()), rounded, steps)
    distorted = _distortion(harmonics, ac_rms, scatter, _wander(crossings), math.sqrt(2) * crossing_s * frequency)
    kind = _kind(ac, distorted.with_noise, float(np.max(np.abs(ac))) / ac_rms, flat)
    averaging = mean_abs * AVERAGE_TO_RMS
    jitter = _jitter(crossings, frequency, step_s)
    between = 1.0 if steep > _EDGE * peak else _STRAIGHT  # an edge may lie anywhere between two samples; a slope is found between them
    findings = _as_findings(rms, ac_rms, frequency, jitter, form, averaging, dc, flat, cycles, voltage, step_s, crossing_s, between)
    findings["crest_factor"] = Finding.made(
        "crest_factor",
        "Crest factor",
        crest + scattered(peak_u / clean_rms, words("noise at the peak")),
        "",
        say("peak ÷ RMS, noise taken off; a sine has {show}", show=show(math.sqrt(2))),
    )
    findings |= _of_distortion(distorted, first, cycles)
    findings = {key: findings[key] for key in _ORDER}
    crest = float(np.max(np.abs(ac))) / ac_rms
    if _wander(crossings) > _UNSTEADY_TURNS:
        for key in ("thd", "thd_40"):
            findings[key] = replace(
                findings[key], value=None, contributions=None, working=say("its frequency is too unsteady for harmonics")
            )
    warnings = list(_warnings(kind, voltage_v, peak, averaging, ac_rms, jitter, frequency, crest))
    return Waveform(findings, kind, harmonics, cycles, tuple(warnings))


_ORDER = ("rms", "frequency", "crest_factor", "form_factor", "thd", "thd_40", "thd_n", "average_reading", "flat_top")
_UNSTEADY_TURNS = 0.01
"""Cycles that wander by more than so much of a turn about an even pace have no harmonics to speak of. Common practice, no source."""
_LEVELS = 20
_WHOLE = 0.05
_KEPT, _OF_KEPT = 0.9, 0.6230
"""Of the smallest nine tenths of a normal scatter the mean square is so much of all of it: 1 − 2·1.645·φ(1.645) ÷ 0.9."""
_LEAKS = 0.25
_SMOOTH = 0.03
_EDGE, _STRAIGHT = 0.25, 0.02


@dataclass(frozen=True)
class _Distortion:
    """Shares of the first harmonic: all harmonics and the first forty, noise taken off, with standard uncertainties; with noise; the floor."""

    all_of_it: float
    all_u: float
    to_40: float
    to_40_u: float
    with_noise: float
    floor_all: float
    floor_40: float


def _grid(wave: Array, crossings: Array, per_cycle: float) -> Array:
    """(cycles, m) the wave of each cycle on a common base of phase."""
    m = max(int(per_cycle), 8)
    place = np.arange(len(wave))
    turns = np.arange(m) / m
    return np.array([np.interp(a + turns * (b - a), place, wave) for a, b in pairwise(crossings)])


def _noise(wave: Array) -> tuple[float, float]:
    """Standard deviation of one sample's noise, its rounding included, by the fastest changes; and the step it was rounded to, 0 where none is seen."""
    step = _step_of(wave)
    third = np.sort(np.abs(np.diff(wave, 3)))  # a wave of few harmonics leaves little of itself in it, and steps only now and then
    kept = third[: max(int(_KEPT * len(third)), 1)]  # by squares: the median of what is rounded is a step, or two, and nothing between
    fast = math.sqrt(float(np.mean(kept**2)) / _OF_KEPT / 20)
    return max(fast, step / math.sqrt(12)), step


def _step_of(wave: Array) -> float:
    """What it was rounded to: the least distance of two of its values, where all others are whole numbers of it; else 0."""
    apart = np.diff(np.unique(np.round(wave, 9)))
    apart = apart[apart > 1e-6 * float(np.ptp(wave))]
    if not _LEVELS < len(apart) < len(wave) / 2:
        return 0.0
    step = float(np.min(apart))
    return step if float(np.max(np.abs(apart / step - np.round(apart / step)))) < _WHOLE else 0.0


def _of_rounding(noise: float, step: float) -> float:
    """What is left of the rounding in a mean of many samples of one level, as a standard uncertainty: noise that is larger than a step rubs it out.

    The first harmonic of the error of a rounder under normal noise: Widrow & Kollár, *Quantization Noise*, 2008, chapter 19; formula from memory.
    """
    own = max(noise**2 - step**2 / 6, 0.0)  # of rounding alone the fastest changes make step²/12, and a little more
    return rectangular(step / 2) * math.exp(-2 * math.pi**2 * own / step**2) if step else 0.0


def _peak(wave: Array, crossings: Array, per_cycle: float, noise: float) -> tuple[float, float]:
    """The peak, what noise adds to the highest of many samples taken off, and its standard uncertainty."""
    mean = _grid(wave, crossings, per_cycle).mean(axis=0)
    left = noise / math.sqrt(max(len(crossings) - 1, 1))
    top = float(np.max(np.abs(mean)))
    many = max(float(np.sum(np.abs(mean) > top - 3 * left)), 1.0)
    above = left * math.sqrt(2 * math.log(many)) if many > 1.5 else 0.0
    k = int(np.argmax(np.abs(mean)))
    bend = abs(float(mean[k - 1] - 2 * mean[k] + mean[(k + 1) % len(mean)]))
    missed = (
        max(bend - 2.5 * left, 0.0) / 6 if bend < _SMOOTH * top else 0.0
    )  # the top between samples, and what straight lines between them cut off
    if many < 2.5:
        return top + missed, math.hypot(left, rectangular(missed / 2))
    return top - above / 2 + missed, math.hypot(0.7 * left, rectangular(above / 3), rectangular(missed / 2))


def _slope(wave: Array, crossings: Array) -> float:
    """How steeply it goes up through its middle, volts a sample."""
    steep = [abs(float(wave[min(int(c) + 1, len(wave) - 1)] - wave[int(c)])) for c in crossings]
    return float(np.median(steep))


def _wander(crossings: Array) -> float:
    """How far the crossings lie from an even pace, turns (root mean square)."""
    if len(crossings) < 4:
        return 0.0
    k = np.arange(len(crossings))
    line = np.polyfit(k, crossings, 1)
    return float(np.std(crossings - np.polyval(line, k))) / float(line[0])


@dataclass(frozen=True)
class _Scatter:
    """Noise of one sample with its rounding, and over how many; what of the rounding is the same in each cycle, and how many steps that goes through."""

    noise: float
    samples: float
    rounded: float
    steps: float

    def of_square(self, rest: float) -> float:
        """Standard uncertainty of a mean square beside which this stands, by both."""
        free = max(self.noise**2 - self.rounded**2, 0.0)
        parts = ((free, self.samples), (self.rounded**2, self.steps))
        return math.hypot(*(math.sqrt(2 / count) * math.sqrt(square) * math.sqrt(square + 2 * rest) for square, count in parts))

    @property
    def of_each(self) -> float:
        """Mean square that it has in one harmonic."""
        return 2 * max(self.noise**2 - self.rounded**2, 0.0) / self.samples + 2 * self.rounded**2 / self.steps


def _distortion(harmonics: Array, ac_rms: float, scatter: _Scatter, wander: float, misfit: float = 0.0) -> _Distortion:
    """Distortion with the noise taken off: noise is a part of what is left beside the first harmonic, and of every harmonic.

    ``misfit``: standard uncertainty of the number of cycles, by the noise at their ends.
    """
    first = float(harmonics[0])
    rest = max(ac_rms**2 - first**2, 0.0)
    rest_u = scatter.of_square(rest)
    jumped = first * 2 * math.pi * wander
    all_square = max(rest - scatter.noise**2 - jumped**2, 0.0)
    of_each = scatter.of_each
    higher = float(np.sum(harmonics[1:] ** 2))
    count = int(np.count_nonzero(harmonics[1:]))
    to_40_square = max(higher - count * of_each, 0.0)
    leaks = _LEAKS * first * misfit * math.sqrt(to_40_square)  # of the first harmonic, where its whole cycles are not found quite
    to_40_u = math.hypot(math.sqrt(count * of_each**2 + 2 * of_each * to_40_square), leaks)
    floor_all = math.sqrt(math.hypot(2 * rest_u, jumped**2)) / first
    floor_40 = math.sqrt(2 * math.sqrt(max(count, 1)) * of_each) / first

    def root(square: float, u: float, floor: float) -> tuple[float, float]:
        value = math.sqrt(square) / first
        return value, u / (2 * first**2 * max(value, floor / 2, 1e-12))

    all_of_it, all_u = root(all_square, math.hypot(rest_u, jumped**2), floor_all)
    to_40, of_40_u = root(to_40_square, to_40_u, floor_40)
    return _Distortion(all_of_it, all_u, to_40, of_40_u, math.sqrt(rest) / first, floor_all, floor_40)


def _of_distortion(found: _Distortion, first: float, cycles: int) -> dict[str, Finding]:
    """THD and THD+N; under the floor of the noise *anywhere up to it*."""
    over = say_many(cycles, "over one whole cycle", "over {n} whole cycles")

    def one(key: str, name: str, value: float, u: float, floor: float, working: str) -> Finding:
        if value < floor:
            note = say("noise is all there is under {floor} %", floor=show(100 * floor, 2))
            under = 50 * floor + within(50 * floor, words("below the floor"), "%", when=name, note=note)
            return Finding.made(key, name, under, "%", say("below the floor of the noise"))
        return Finding.made(key, name, 100 * value + scattered(100 * u, words("noise"), when=name), "%", working)

    made = (
        one("thd", say("THD, all harmonics"), found.all_of_it, found.all_u, found.floor_all, f"√(rms² − dc² − f₁² − noise²) ÷ f₁ {over}"),
        one(
            "thd_40",
            say("THD to the 40th"),
            found.to_40,
            found.to_40_u,
            found.floor_40,
            say("harmonics 2 to 40 (IEC 61000-4-7), noise taken off"),
        ),
        Finding("thd_n", say("THD and noise"), 100 * found.with_noise, "%", (), f"√(rms² − dc² − f₁²) ÷ f₁ {over}"),
    )
    return {f.key: f for f in made}


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


def _wandering(jitter: float, by_noise: float, cycles: int) -> float:
    """How much single cycles differ beyond what noise at their crossings explains, hertz; what chance may do (95 % of χ²) is no wandering."""
    chance = float(chdtri(max(cycles - 1, 1), 0.05)) / max(cycles - 1, 1)
    return math.sqrt(jitter**2 - by_noise**2) if jitter**2 > chance * by_noise**2 else 0.0


def _as_findings(
    rms: float,
    ac_rms: float,
    frequency: float,
    jitter: float,
    form: float,
    averaging: float,
    dc: float,
    flat: float,
    cycles: int,
    voltage: Accuracy | None,
    step_s: float,
    crossing_s: float,
    between: float,
) -> dict[str, Finding]:
    volts = rms + wrong_by(voltage, rms, abs(dc) / max(rms, 1e-9), "scope")
    hertz = frequency + scattered(
        frequency**2 * step_s * between / max(cycles, 1) / math.sqrt(6), words("sampling"), note=say("where between two samples it crossed")
    )
    wanders = _wandering(jitter, math.sqrt(2) * frequency**2 * crossing_s, cycles) / math.sqrt(max(cycles, 1))
    hertz += scattered(wanders, words("steadiness")) + scattered(
        math.sqrt(2) * frequency**2 * crossing_s / max(cycles, 1), words("noise at the crossings")
    )
    over = say_many(cycles, "over one whole cycle", "over {n} whole cycles")
    findings = (
        Finding.made("rms", "RMS voltage", volts, "V", say("√ of the mean square {over}", over=over)),
        Finding.made(
            "frequency",
            "Frequency",
            hertz,
            "Hz",
            say("{over}; single cycles differ by {jitter} Hz", over=over, jitter=show(jitter, 2)) if jitter else over,
        ),
        Finding(
            "form_factor",
            "Form factor",
            form,
            "",
            (),
            say("RMS ÷ mean of the rectified wave; a sine has {show}", show=show(math.pi / math.sqrt(8))),
        ),
        Finding(
            "average_reading",
            say("An average-responding meter shows"),
            averaging,
            "V",
            None if voltage is None else (),
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
