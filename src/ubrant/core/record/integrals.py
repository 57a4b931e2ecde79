"""Charge and energy: what flowed between the first reading and the last."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Array, blocks, require_usable
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, total_of, within, wrong_by
from ubrant.core.wording import words


@dataclass(frozen=True)
class Totals:
    """Integrals over a stretch of readings.

    Attributes
    ----------
    charge_ah : ∫ I dt
    energy_wh : ∫ V·I dt
    volt_hours : ∫ V dt, what one ampere of zero error would add to the energy
    hours : from the first reading to the last
    """

    charge_ah: float
    energy_wh: float
    volt_hours: float
    hours: float

    def __add__(self, other: Totals) -> Totals:
        return Totals(
            self.charge_ah + other.charge_ah, self.energy_wh + other.energy_wh, self.volt_hours + other.volt_hours, self.hours + other.hours
        )


NOTHING = Totals(0.0, 0.0, 0.0, 0.0)


def totals(elapsed_s: Array, voltage_v: Array, current_a: Array) -> Totals:
    """Charge and energy, exact for voltage and current that both move in straight lines between readings.

    The trapezium on the product V·I is not the same when both move: an interval holds
    Δt/6 · (2V₀I₀ + V₀I₁ + V₁I₀ + 2V₁I₁), written here as Δt/6 · ((V₀+V₁)(I₀+I₁) + V₀I₀ + V₁I₁).

    Parameters
    ----------
    elapsed_s : (n,) array, seconds, strictly increasing
    voltage_v, current_a : (n,) arrays, volts and amperes; current positive out of the source

    Raises
    ------
    ReadingsError
        Lengths differ, a value is not finite, or time does not increase; says at which reading.

    References
    ----------
    Integral of the product of two linear interpolants; docs/sums.md.
    """
    if not len(elapsed_s) == len(voltage_v) == len(current_a):
        require_usable(elapsed_s, voltage_v, current_a)
    coulombs = joules = volt_seconds = 0.0
    increasing = True
    for t, v, i in blocks(elapsed_s, voltage_v, current_a):
        dt = np.diff(t)
        if len(dt) and not dt.min() > 0:
            increasing = False
            break
        power = v * i
        current_sum = i[:-1] + i[1:]
        voltage_sum = v[:-1] + v[1:]
        coulombs += np.dot(dt, current_sum) / 2
        volt_seconds += np.dot(dt, voltage_sum) / 2
        voltage_sum *= current_sum
        voltage_sum += power[:-1]
        voltage_sum += power[1:]
        joules += np.dot(dt, voltage_sum) / 6
    if not (increasing and np.isfinite(joules) and np.isfinite(coulombs) and np.isfinite(volt_seconds)):
        require_usable(elapsed_s, voltage_v, current_a)
    hours = (elapsed_s[-1] - elapsed_s[0]) / 3600 if len(elapsed_s) else 0.0
    return Totals(float(coulombs) / 3600, float(joules) / 3600, float(volt_seconds) / 3600, float(hours))


def through_meter(
    sums: Totals, voltage: Accuracy | None, current: Accuracy | None, place: str = "", *, turned: bool = False
) -> tuple[Value, Value]:
    """Charge, Ah, and energy, Wh, with what gains and zeros of the meter that read them may do to them; what is added is what each integral's gradient says.

    Parameters
    ----------
    turned : the current was read with the other sign: what adds to the charge out of a battery takes from the charge into it
    """
    sign = -1.0 if turned else 1.0
    charge = sums.charge_ah + wrong_by(current, sums.charge_ah, sign * sums.hours, place)
    of_amps = wrong_by(current, sums.energy_wh, sign * sums.volt_hours, place)
    return charge, sums.energy_wh + of_amps + wrong_by(voltage, sums.energy_wh, sums.charge_ah, place)


def adds_up(unit: str, power: Accuracy | None) -> str:
    """What a counter of Ah or Wh adds up, by its quantities: watts, of a meter that reads them."""
    return "A" if unit == "Ah" else "W" if power is not None else "VA"


def off_in_count(
    unit: str, amount: float, voltage: Accuracy | None, current: Accuracy | None, power: Accuracy | None, place: str = ""
) -> Value:
    """What a meter is off by in so many Ah or Wh that it counted: by the gains of what it adds up."""
    gains = {"V": voltage, "A": current, "W": power}
    return total_of(wrong_by(gains[quantity], amount, 0.0, place) for quantity in adds_up(unit, power))


def watts_now_and_then(time_s: Array, watts: Array, half: float, accuracy: Accuracy | None, whose: str = "", place: str = "") -> Value:
    """Wh of watts that were read now and then, straight between, ± a quarter of each step.

    Parameters
    ----------
    time_s, watts : (n,) each
    half : of the last digit, W
    whose : tells them from others
    place : as :func:`wrong_by` has it
    """
    hours, between = np.diff(time_s) / 3600, np.abs(np.diff(watts))
    energy = float(np.sum(hours * (watts[1:] + watts[:-1]) / 2))
    value = energy + wrong_by(accuracy, energy, float(np.sum(hours)), place)
    value += within(half, words("widths of the readings"), "W", when=whose, kind=ErrorKind.DIGIT) * float(np.sum(hours))
    return value + within(0.25 * float(np.sum(hours * between)), words("between the readings"), "Wh", when=whose, kind=ErrorKind.BETWEEN)


def charge_ah(elapsed_s: Array, current_a: Array) -> float:
    """Charge between the first reading and the last, ampere-hours; see :func:`totals`."""
    return totals(elapsed_s, np.zeros_like(current_a), current_a).charge_ah


def energy_wh(elapsed_s: Array, voltage_v: Array, current_a: Array) -> float:
    """Energy between the first reading and the last, watt-hours; see :func:`totals`."""
    return totals(elapsed_s, voltage_v, current_a).energy_wh


def span(time_s: tuple[float, float], voltage_v: tuple[float, float], current_a: tuple[float, float]) -> Totals:
    """Totals of one straight piece between two points; nothing when it has no length."""
    if not time_s[1] > time_s[0]:
        return NOTHING
    return totals(np.array(time_s), np.array(voltage_v), np.array(current_a))
