"""Where the ± of a discharge comes from: meter gains and zeros, gaps, both ends, noise."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Readings, jitter
from ubrant.core.record.cutoff import Crossing, Cutoff
from ubrant.core.record.gaps import GAP_FACTOR, BridgedGap
from ubrant.core.record.integrals import Totals, through_meter
from ubrant.core.record.scan import Scan
from ubrant.core.record.typed import HELD, Widths, of_typed
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.uncertainty.value import Value, comes_in, exactly, rectangular, scattered, within, wrong_by
from ubrant.core.wording import say, words

_NOISE_SAMPLE = 20_000
_PULSE_SHARE = 0.3
"""A step of current over this share of the largest is the edge of a pulse."""
_ALONE = 2.0
"""Of its usual current: more is a slipped digit and no pulse."""
_SWEPT = 0.5
"""How well it is known through how many intervals between readings the edges move in a run."""
_SLOPE_READINGS = 5_000


@dataclass(frozen=True)
class Bounds:
    """Where the result starts and ends, and how well both are known (half-widths, seconds)."""

    load_on_s: float
    load_on_half_s: float
    end_s: float
    start_a: float
    end_half_s: float = 0.0


@dataclass(frozen=True)
class Budget:
    """Standard uncertainties behind one discharge.

    Attributes
    ----------
    voltage, current : the meter's accuracy
    seconds_per_volt : how much later the cut-off would come for a volt less (positive); 0 when it was not reached
    cutoff_v, cutoff_a : voltage and current at the end; 0 when it was not reached
    end_noise_s : by how much noise moves the crossing
    noise_a, noise_v : standard deviation of one reading
    edges_ah, edges_s : what the edges of pulses add, each anywhere between two readings
    typed : what readings that a person took down add to charge and energy
    """

    voltage: Accuracy
    current: Accuracy
    seconds_per_volt: float
    cutoff_v: float
    cutoff_a: float
    end_noise_s: float
    noise_a: float
    noise_v: float
    interval_s: float
    gaps: tuple[BridgedGap, ...]
    typed: tuple[Value, Value] = (Value(0.0), Value(0.0))
    edges_ah: float = 0.0
    edges_s: float = 0.0

    def errors(self, sums: Totals, bounds: Bounds) -> tuple[Value, Value, Value]:
        """What charge (Ah), energy (Wh) and duration (s) may be off by: values around 0, in which one error is one source."""
        q, e, hours = sums.charge_ah, sums.energy_wh, sums.hours
        mean_v = e / q if q else 0.0
        count = max(hours * 3600 / self.interval_s, 1.0) if self.interval_s else 1.0
        # A voltmeter that reads high sees the cut-off late, and counts on until then.
        late_s = wrong_by(self.voltage, self.cutoff_v * self.seconds_per_volt, self.seconds_per_volt)
        late_s += scattered(self.end_noise_s, words("noise at the cut-off"))
        on_s = within(bounds.load_on_half_s, words("load on"), "s", kind=ErrorKind.MOMENT)
        off_s = within(bounds.end_half_s, words("load off"), "s", kind=ErrorKind.MOMENT)
        charge, energy = through_meter(sums, self.voltage, self.current)
        at_ends = on_s * bounds.start_a / 3600 + off_s * (q / hours if hours else 0.0) / 3600
        noise = scattered(self.noise_a * hours / math.sqrt(count), words("current noise"), note=say("averages over the readings"))
        edges_ah, edges_s = (comes_in(_EDGES, u) for u in (self.edges_ah, self.edges_s))
        gaps_ah = comes_in(_GAPS, rectangular(math.sqrt(sum(g.charge_half_ah**2 for g in self.gaps))))
        gaps_wh = comes_in(_GAPS, rectangular(math.sqrt(sum(g.energy_half_wh**2 for g in self.gaps))))
        of_volts = scattered(self.noise_v * q / math.sqrt(count), words("voltage noise"), note=say("averages over the readings"))
        late_ah = late_s * self.cutoff_a / 3600
        inside = at_ends + noise + edges_ah
        return (
            charge - q + inside + late_ah + gaps_ah + self.typed[0],
            energy - e + inside * mean_v + of_volts + late_ah * self.cutoff_v + gaps_wh + self.typed[1],
            late_s + on_s + off_s + edges_s,
        )


_EDGES = ErrorSource(ErrorKind.BETWEEN, words("edges of pulses"), note=words("each anywhere between two readings, ÷ √3"))
_GAPS = ErrorSource(ErrorKind.GAP, words("gaps"), note=words("what could have flowed in them, ÷ √3"))


def budget_of(
    voltage: Accuracy | None,
    current: Accuracy | None,
    looked: Scan,
    bounds: Bounds,
    crossing: Crossing | None,
    cutoff: Cutoff | None,
    gaps: tuple[BridgedGap, ...],
    widths: Widths | None = None,
) -> Budget | None:
    """Gather the uncertainties of a discharge; None when the meter's accuracy is not known."""
    if voltage is None or current is None:
        return None
    readings = looked.readings
    first = int(np.searchsorted(readings.time_s, bounds.load_on_s))
    stop = int(np.searchsorted(readings.time_s, bounds.end_s, side="right"))
    sample = slice(first, min(stop, first + _NOISE_SAMPLE))
    noise_v, noise_a = jitter(readings.voltage_v[sample]), jitter(readings.current_a[sample])
    if widths is not None:
        noise_v = noise_a = 0.0  # few and far between: their own widths stand for it
    seconds_per_volt = end_noise = cutoff_v = cutoff_a = 0.0
    if crossing is not None and cutoff is not None:
        u = rectangular(voltage.limit(cutoff.voltage_v))
        cutoff_v, cutoff_a = cutoff.voltage_v, crossing.current_a
        if widths is None:
            slope = _fall_at_end(readings, first, crossing.after, cutoff_v, 3 * u + 6 * noise_v)
            seconds_per_volt = 1 / slope if slope > 0 else 0.0
        else:
            seconds_per_volt = _late_by_volt(readings, first, crossing.after, cutoff_v, u)
        # A person looks in once in a while: between two looks the voltage may have bent either way, or have fallen at once.
        bend = 0.1 if widths is None else 0.5
        width_s = bend * crossing.bracket_s / 2
        if widths is not None and widths.between == HELD:
            width_s = float(readings.time_s[crossing.after] - readings.time_s[max(crossing.after - 1, 0)])
        end_noise = math.hypot(noise_v * seconds_per_volt, rectangular(width_s))
    return Budget(
        voltage,
        current,
        seconds_per_volt,
        cutoff_v,
        cutoff_a,
        end_noise,
        noise_a,
        noise_v,
        readings.typical_interval_s,
        gaps,
        _typed(readings, widths, first, stop),
        *(_edges(looked, first, stop) if widths is None else (0.0, 0.0)),
    )


def _edges(looked: Scan, first: int, stop: int) -> tuple[float, float]:
    """(Ah, s) standard uncertainties of the edges of pulses inside: each lies anywhere between the two readings beside it.

    Where a period is a whole number of readings every edge lies at the same place between two, and they do not average; where it is not, the
    edges move through the interval, and average more quickly than by chance.
    """
    if stop - first < 3 or looked.least_amps(first, stop - 1) > _PULSE_SHARE * looked.most_amps(first, stop - 1):
        return 0.0, 0.0
    readings = looked.readings
    amps = readings.current_a[first:stop]
    amps = np.minimum(amps, _ALONE * float(np.median(amps[amps > 0]))) if (amps > 0).any() else amps  # what stands alone is said as that
    steps = np.abs(np.diff(amps))
    apart = np.diff(readings.time_s[first:stop])
    edge = (steps > _PULSE_SHARE * float(amps.max())) & (apart <= GAP_FACTOR * readings.typical_interval_s)  # gaps are paid for as gaps
    dt = apart[edge]
    rising = np.flatnonzero(edge & (np.diff(amps) > 0))
    alike = 1.0
    if len(rising) > 2:
        periods = np.diff(rising)
        mean = float(rising[-1] - rising[0]) / (len(rising) - 1)
        swept = abs(mean - round(mean)) * (len(rising) - 1)
        if float(np.std(periods)) < 1.0:
            share = min(1.0, 1 / (math.pi * max(swept - _SWEPT, 1e-9)))  # of a sine that runs through so many turns, its mean
            alike = (len(rising) * share + 1) / math.sqrt(len(rising))
    return (
        alike * rectangular(math.sqrt(float(np.sum((dt * steps[edge] / 2) ** 2)))) / 3600,
        alike * rectangular(math.sqrt(float(np.sum((dt / 2) ** 2)))),
    )


def _typed(readings: Readings, widths: Widths | None, first: int, stop: int) -> tuple[Value, Value]:
    if widths is None or stop - first < 1:
        return exactly(0.0), exactly(0.0)
    first = max(first - 1, 0) if first and readings.current_a[first - 1] > 0 else first
    part = slice(first, min(stop + 1, len(readings)))
    return of_typed(readings.between(first, part.stop - 1), Widths(widths.half_v[part], widths.half_a[part], widths.between))


def _fall_at_end(readings: Readings, first: int, after: int, cutoff_v: float, reach_v: float) -> float:
    """How fast the voltage falls where it meets the cut-off, volts per second, by a straight line through the readings near by."""
    low = max(first, after - _SLOPE_READINGS)
    volts = readings.voltage_v[low : after + 2]
    near = np.flatnonzero(volts > cutoff_v + reach_v)
    start = low + (int(near[-1]) + 1 if len(near) else 0)
    start = min(start, after - 1) if after >= 1 else 0
    time, volts = readings.time_s[max(start, first) : after + 2], readings.voltage_v[max(start, first) : after + 2]
    if len(time) < 2:
        return 0.0
    centred = time - time.mean()
    return float(-np.dot(centred, volts) / np.dot(centred, centred))


def _late_by_volt(readings: Readings, first: int, after: int, cutoff_v: float, u_v: float) -> float:
    """How much later the cut-off would come for a volt less, by what a standard uncertainty to each side does; of readings that are joined by straight lines."""
    volts = np.minimum.accumulate(readings.voltage_v[first : after + 2])[::-1]
    time = readings.time_s[first : after + 2][::-1]
    if len(time) < 2 or not u_v > 0:
        return 0.0
    early, at, late = (float(np.interp(cutoff_v + by, volts, time)) for by in (u_v, 0.0, -u_v))
    return max(at - early, late - at) / u_v
