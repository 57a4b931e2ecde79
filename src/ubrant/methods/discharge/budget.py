"""Where the ± of a discharge comes from: meter gains and zeros, gaps, both ends, noise."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show
from ubrant.core.record.cutoff import Crossing, Cutoff
from ubrant.core.record.gaps import GAP_FACTOR, Gap
from ubrant.core.record.integrals import Totals
from ubrant.core.record.readings import Readings, jitter
from ubrant.core.record.scan import Scan
from ubrant.core.record.typed import Widths, uncertainties
from ubrant.core.uncertainty.contributions import Contribution, Contributions, rectangular
from ubrant.core.wording import say

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
    typed : what readings that a person took down add: widths (Ah, Wh), what lay between them (Ah, Wh)
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
    gaps: tuple[Gap, ...]
    typed: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    edges_ah: float = 0.0
    edges_s: float = 0.0

    def of_current(self, amps: float) -> Contributions:
        """Parts of a mean current."""
        gain, zero = self.current.gain, self.current.zero
        return (
            Contribution("current gain", rectangular(gain) * amps, f"{show(gain * 100, 2)} % of {show(amps)} A ÷ √3"),
            Contribution("current zero", rectangular(zero), f"{show(zero * 1000, 2)} mA ÷ √3"),
        )

    def parts(self, sums: Totals, bounds: Bounds) -> tuple[Contributions, Contributions, Contributions]:
        """Parts of charge (Ah), energy (Wh) and duration (s). Errors of one meter keep their signs from one to the other."""
        gain_a, zero_a = rectangular(self.current.gain), rectangular(self.current.zero)
        gain_v, zero_v = rectangular(self.voltage.gain), rectangular(self.voltage.zero)
        q, e, hours = sums.charge_ah, sums.energy_wh, sums.hours
        # A voltmeter that reads high sees the cut-off late, and counts on until then.
        late_gain_s, late_zero_s = gain_v * self.cutoff_v * self.seconds_per_volt, zero_v * self.seconds_per_volt
        ah_per_s = self.cutoff_a / 3600
        wh_per_s = ah_per_s * self.cutoff_v
        start_s = rectangular(bounds.load_on_half_s)
        start_ah = start_s * bounds.start_a / 3600
        off_s = rectangular(bounds.end_half_s)
        off_ah = off_s * (q / hours if hours else 0.0) / 3600
        off_text = say("went off within ± {end_half_s} s, ÷ √3", end_half_s=show(bounds.end_half_s, 2))
        mean_v = e / q if q else 0.0
        count = max(hours * 3600 / self.interval_s, 1.0) if self.interval_s else 1.0
        noise_ah = self.noise_a * hours / math.sqrt(count)
        gap_ah = math.sqrt(sum(g.charge_half_ah**2 for g in self.gaps) / 3)
        gap_wh = math.sqrt(sum(g.energy_half_wh**2 for g in self.gaps) / 3)
        gain_text, zero_text = f"{show(self.current.gain * 100, 2)} %", f"{show(self.current.zero * 1000, 2)} mA"
        gain_v_text, zero_v_text = f"{show(self.voltage.gain * 100, 2)} %", f"{show(self.voltage.zero * 1000, 2)} mV"
        later = "sees the cut-off earlier or later"
        charge = (
            Contribution("current gain", gain_a * q, f"{gain_text} of {show(q)} Ah ÷ √3"),
            Contribution("current zero", zero_a * hours, f"{zero_text} × {show(hours)} h ÷ √3"),
            Contribution("voltage gain", late_gain_s * ah_per_s, f"{gain_v_text}, {later}"),
            Contribution("voltage zero", late_zero_s * ah_per_s, f"{zero_v_text}, {later}"),
            Contribution("gaps", gap_ah, "what could have flowed in them, ÷ √3"),
            Contribution(
                "load on", start_ah, say("came on within ± {load_on_half_s} s, ÷ √3", load_on_half_s=show(bounds.load_on_half_s, 2))
            ),
            Contribution("load off", off_ah, off_text),
            Contribution("edges of pulses", self.edges_ah, "each anywhere between two readings, ÷ √3"),
            Contribution("current noise", noise_ah, "averages over the readings"),
            Contribution("noise at the cut-off", self.end_noise_s * ah_per_s),
            Contribution("widths of the readings", self.typed[0], "last digits and widths as taken down, ÷ √3"),
            Contribution("between the readings", self.typed[2], "what may have flowed from one to the next, ÷ √3"),
        )
        energy = (
            Contribution("current gain", gain_a * e, f"{gain_text} of {show(e)} Wh ÷ √3"),
            Contribution("current zero", zero_a * sums.volt_hours, f"{zero_text} × {show(sums.volt_hours)} V·h ÷ √3"),
            Contribution(
                "voltage gain",
                gain_v * e + late_gain_s * wh_per_s,
                say("{gain_v_text} of {e} Wh ÷ √3, and {later}", gain_v_text=gain_v_text, e=show(e), later=later),
            ),
            Contribution("voltage zero", zero_v * q + late_zero_s * wh_per_s, f"{zero_v_text} × {show(q)} Ah ÷ √3, and {later}"),
            Contribution("gaps", gap_wh, "what could have flowed in them, ÷ √3"),
            Contribution(
                "load on",
                start_ah * mean_v,
                say("came on within ± {load_on_half_s} s, ÷ √3", load_on_half_s=show(bounds.load_on_half_s, 2)),
            ),
            Contribution("load off", off_ah * mean_v, off_text),
            Contribution("edges of pulses", self.edges_ah * mean_v, "each anywhere between two readings, ÷ √3"),
            Contribution("current noise", noise_ah * mean_v, "averages over the readings"),
            Contribution("voltage noise", self.noise_v * q / math.sqrt(count), "averages over the readings"),
            Contribution("noise at the cut-off", self.end_noise_s * wh_per_s),
            Contribution("widths of the readings", self.typed[1], "last digits and widths as taken down, ÷ √3"),
            Contribution("between the readings", self.typed[3], "what may have flowed from one to the next, ÷ √3"),
        )
        duration = (
            Contribution("voltage gain", late_gain_s, f"{gain_v_text} of {show(self.cutoff_v)} V ÷ √3, {later}"),
            Contribution("voltage zero", late_zero_s, f"{zero_v_text} ÷ √3, {later}"),
            Contribution(
                "load on", start_s, say("came on within ± {load_on_half_s} s, ÷ √3", load_on_half_s=show(bounds.load_on_half_s, 2))
            ),
            Contribution("load off", off_s, off_text),
            Contribution("edges of pulses", self.edges_s, "each anywhere between two readings, ÷ √3"),
            Contribution("noise at the cut-off", self.end_noise_s),
        )
        return charge, energy, duration


def budget_of(
    voltage: Accuracy | None,
    current: Accuracy | None,
    looked: Scan,
    bounds: Bounds,
    crossing: Crossing | None,
    cutoff: Cutoff | None,
    gaps: tuple[Gap, ...],
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
        reach = 3 * rectangular(voltage.limit(cutoff.voltage_v)) + 6 * noise_v
        slope = _fall_at_end(readings, first, crossing.after, cutoff.voltage_v, reach)
        cutoff_v, cutoff_a = cutoff.voltage_v, crossing.current_a
        seconds_per_volt = 1 / slope if slope > 0 else 0.0
        # A person looks in once in a while: between two looks the voltage may have bent either way.
        bend = 0.1 if widths is None else 0.5
        end_noise = math.hypot(noise_v * seconds_per_volt, rectangular(crossing.bracket_s / 2) * bend)
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


def _typed(readings: Readings, widths: Widths | None, first: int, stop: int) -> tuple[float, float, float, float]:
    if widths is None or stop - first < 1:
        return 0.0, 0.0, 0.0, 0.0
    first = max(first - 1, 0) if first and readings.current_a[first - 1] > 0 else first
    part = slice(first, min(stop + 1, len(readings)))
    return uncertainties(readings.between(first, part.stop - 1), Widths(widths.half_v[part], widths.half_a[part], widths.between))


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
