"""While a discharge runs: where is it heading? The expected curve is stretched until it fits what was read so far."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.quantities.readings import Array, Readings
from ubrant.core.wording import say

MODEL_HALF_WIDTH_V = 0.0015
"""How far, per volt, a model of the right capacity may lie off the real curve once its level is matched."""


@dataclass(frozen=True)
class Forecast:
    """Estimated capacity to the cut-off, and the band of capacities that fit nearly as well, all in Ah."""

    charge_ah: float
    low_ah: float
    high_ah: float
    left_s: float


def forecast(charge_ah: Array, voltage_v: Array, expected_ah: Array, expected_v: Array, current_a: float) -> Forecast | None:
    """Fit the expected discharge curve, stretched along the charge, to the readings so far.

    Parameters
    ----------
    charge_ah, voltage_v : (n,) so far, charge growing
    expected_ah, expected_v : (m,) from a rehearsal to the cut-off
    current_a : now

    Returns
    -------
    None while too little has flowed (under 2 % of what is expected).
    """
    if len(charge_ah) < 5 or len(expected_ah) < 5 or charge_ah[-1] < 0.02 * expected_ah[-1]:
        return None
    pick = np.unique(np.linspace(0, len(charge_ah) - 1, 160).astype(int))
    pick = pick[charge_ah[pick] > 0.01 * expected_ah[-1]]
    so_far, volts = charge_ah[pick], voltage_v[pick]
    least = so_far[-1] / expected_ah[-1]
    scales = np.linspace(max(0.3, least), max(1.6, 1.05 * least), 160)
    misfit = np.array([_misfit(np.interp(so_far / s, expected_ah, expected_v) - volts) for s in scales])
    best = int(np.argmin(misfit))
    close = scales[misfit <= misfit[best] + MODEL_HALF_WIDTH_V * float(np.mean(volts))]
    total = float(scales[best] * expected_ah[-1])
    left_s = (total - float(so_far[-1])) / current_a * 3600 if current_a > 0 else 0.0
    low, high = float(close[0] * expected_ah[-1]), float(close[-1] * expected_ah[-1])
    return Forecast(total, max(low, float(so_far[-1])), high, max(0.0, left_s))


def _misfit(difference: Array) -> float:
    """Root mean square after taking the mean level out: a resistance guessed wrong shifts the whole curve."""
    return float(np.sqrt(np.mean((difference - difference.mean()) ** 2)))


def running_charge(readings: Readings) -> Array:
    """(n,) ampere-hours from the first reading to each."""
    steps = np.diff(readings.time_s) * (readings.current_a[1:] + readings.current_a[:-1]) / 7200
    return np.concatenate(([0.0], np.cumsum(steps)))


def forecast_sentence(forecast: Forecast | None, delivered_ah: float, label: Label | None) -> str:
    """What a colleague would say at this point of the run."""
    if forecast is None:
        return say("Too early to say anything: let it run a while.")
    span = f"{plain(forecast.low_ah, 2)} to {plain(forecast.high_ah, 2)} Ah"
    if label is None or not label.charge_ah:
        return say("On course for about {charge_ah} Ah, somewhere from {span}.", charge_ah=plain(forecast.charge_ah, 2), span=span)
    rated = label.charge_ah
    head = say("On course for about {charge_ah} Ah of {rated} Ah on the label.", charge_ah=plain(forecast.charge_ah, 2), rated=plain(rated))
    if forecast.low_ah <= rated <= forecast.high_ah or forecast.low_ah <= 0.8 * rated <= forecast.high_ah:
        return say(
            "{head} Too early to judge: {delivered_ah} Ah so far could still be a battery of {span}.",
            head=head,
            delivered_ah=show(delivered_ah, 3),
            span=span,
        )
    return say("{head} What was read so far fits {span}.", head=head, span=span)


def fraction_left(forecast: Forecast | None, delivered_ah: float, expected_ah: float) -> float:
    """State of charge by counting, 0 to 1, from the course or else from what was expected."""
    total = forecast.charge_ah if forecast else expected_ah
    return min(1.0, max(0.0, 1 - delivered_ah / total)) if total > 0 else 0.0


def thinned(readings: Readings, most: int = 20_000) -> Readings:
    """At most so many readings, evenly picked, for a fit that needs no more."""
    step = max(1, len(readings) // most)
    return Readings(readings.time_s[::step], readings.voltage_v[::step], readings.current_a[::step])


def power_of(readings: Readings) -> Array:
    """(n,) watts at each reading."""
    return np.asarray(readings.voltage_v * readings.current_a)
