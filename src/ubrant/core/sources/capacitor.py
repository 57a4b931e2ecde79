"""A capacitor discharged through a load: farads over a window of voltage, resistance from the step, the energy in it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import parse_number, plain, show
from ubrant.core.quantities.readings import Array, ReadingsError
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.value import Value, within
from ubrant.core.wording import say, words

ON_SHARE = 0.2
"""Over this share of its largest current it is loaded; a resistor's falls with the voltage."""
BY_HAND_S = 1.0
"""A person who writes down a time is off by up to so much at each end, rectangular. Common practice, no source."""
_LEAST = 3
_CURVED = 6
"""From so many readings on a parabola is laid through them."""
_ONE_RESISTANCE = 0.1
"""So much volts over amperes may differ in one discharge through one resistor: digits, and what gets warm. Common practice, no source."""
_FACTORS = {"": 1.0, "m": 1e-3, "µ": 1e-6, "μ": 1e-6, "u": 1e-6}


@dataclass(frozen=True)
class CapacitorLabel:
    """Farads and the rated voltage on a label, None for what it does not say."""

    farads: float | None
    volts: float | None


def read_label(text: str) -> CapacitorLabel:
    """``3000 F 2.7 V``, ``4700 µF 63 V``."""
    farads = re.search(r"(\d+(?:[.,]\d+)?)\s*([mµμu]?)F\b", text)
    volts = re.search(r"(\d+(?:[.,]\d+)?)\s*V\b", text)
    return CapacitorLabel(parse_number(farads[1]) * _FACTORS[farads[2]] if farads else None, parse_number(volts[1]) if volts else None)


@dataclass(frozen=True)
class Discharged:
    """(n,) readings of one discharge, and how they were made.

    Attributes
    ----------
    half : ``V`` and ``A``: (n,) how wide each reading is to both sides
    window : between which voltages; None for all that was loaded
    by_hand : a person wrote the times down
    """

    time_s: Array
    volts: Array
    amps: Array
    voltage: Accuracy | None
    current: Accuracy | None
    half: Mapping[str, Array]
    window: tuple[float, float] | None = None
    by_hand: bool = False


def between_of(made: Discharged) -> tuple[float, float]:
    """(higher, lower) V that its farads are of. Raises as :func:`analyse_capacitor`."""
    first, last = _loaded(made)
    return _Sums(made.time_s[first : last + 1], made.window).window_of(made.volts[first : last + 1])


def analyse_capacitor(made: Discharged) -> dict[str, Finding]:
    """Farads, resistance and energy.

    Raises
    ------
    ReadingsError
        It was not loaded for three readings, its voltage does not fall, or the window was not passed.
    """
    first, last = _loaded(made)
    time, volts, amps = (column[first : last + 1] for column in (made.time_s, made.volts, made.amps))
    if volts[-1] >= volts[0]:
        raise ReadingsError(say("Its voltage does not fall while it is loaded: it was being charged, or the clamp is on backwards."))
    before = float(made.volts[first - 1]) if first and made.amps[first - 1] <= ON_SHARE * amps[0] else None
    values: dict[str, Array] = {"V": volts, "A": amps, "before": np.array([] if before is None else [before])}
    half = {key: column[first : last + 1] for key, column in made.half.items()}
    if before is not None and "V" in made.half:
        half["before"] = made.half["V"][first - 1 : first]
    figures = _Sums(time, made.window)
    known = made.voltage is not None and made.current is not None
    errors = (*errors_in(made.voltage, "V", "before"), *errors_in(made.current, "A"))
    base = by_errors(figures, values, errors, half, known=known)
    high, low = figures.window_of(volts)
    farads, charge = base["capacitance"], base["charge"]
    assert farads is not None and charge is not None
    if made.by_hand:
        seconds = max(float(time[-1] - time[0]), 1.0)
        farads += farads * _clock() / seconds
        if charge.value > 0:
            farads += farads * _between(time, volts, amps) / charge.value
    working = say(
        "{q} C ÷ {dv} V, from {high} down to {low} V", q=show(charge.value), dv=show(high - low), high=show(high, 3), low=show(low, 3)
    )
    found = {"capacitance": Finding.made("capacitance", say("Capacitance"), farads, "F", working)}
    if (ohm := base["resistance"]) is not None and before is not None:
        found["resistance"] = Finding.made(
            "resistance",
            say("Resistance, from the step"),
            Value(max(ohm.value, 0.0), ohm.parts),
            "Ω",
            say("{dv} V of a step ÷ {a} A", dv=show(before - figures.back(volts)), a=show(float(amps[0]))),
        )
    found["energy_between"] = Finding.made(
        "energy_between",
        say("Energy from {high} to {low} V", high=show(high, 3), low=show(low, 3)),
        farads * (high**2 - low**2) / 2 / 3600,
        "Wh",
        say("½ × {c} F × ({high}² − {low}²) ÷ 3600", c=show(farads.value), high=show(high, 3), low=show(low, 3)),
    )
    return found


@dataclass(frozen=True)
class _Sums:
    """The sums of one stretch; an error moves values, not which readings count."""

    time_s: Array
    window: tuple[float, float] | None

    def __call__(self, values: Columns) -> dict[str, float | None]:
        volts, amps = values["V"], values["A"]
        resistance = self._resistance(values)
        inner = volts + amps * max(resistance or 0.0, 0.0)  # what the plates have, so that a current that changes does no harm
        charge = np.concatenate(([0.0], np.cumsum(np.diff(self.time_s) * between_readings(volts, amps))))
        high, low = self.window if self.window is not None else (float(inner[0]), float(inner[-1]))
        down = inner[::-1]
        at = [float(np.interp(level, down, charge[::-1])) for level in (high, low)]
        taken = at[1] - at[0]
        return {"capacitance": taken / (high - low) if high > low else None, "charge": taken, "resistance": resistance}

    def window_of(self, volts: Array) -> tuple[float, float]:
        return self.window if self.window is not None else (float(volts[0]), float(volts[-1]))

    def back(self, volts: Array) -> float:
        """Volts under load at the moment it came on, by a line, or a parabola, through what follows."""
        count = min(max(len(volts) // 5, 2), len(volts))
        fitted = np.polyfit(self.time_s[:count] - self.time_s[0], volts[:count], 2 if count >= _CURVED else 1)
        return float(fitted[-1])

    def _resistance(self, values: Columns) -> float | None:
        before, first_a = values["before"], float(values["A"][0])
        return float(before[0] - self.back(values["V"])) / first_a if len(before) and first_a > 0 else None


def _loaded(made: Discharged) -> tuple[int, int]:
    """Indexes of the first and the last loaded reading."""
    if not len(made.amps) or not float(made.amps.max()) > 0:
        raise ReadingsError(say("No current flowed out of it: type volts and amperes while it is discharged, like “5.02 V 0.50 A”."))
    on = np.flatnonzero(made.amps > ON_SHARE * float(made.amps.max()))
    breaks = np.flatnonzero(np.diff(on) > 1)
    first, last = int(on[0]), int(on[breaks[0]]) if len(breaks) else int(on[-1])
    if last - first + 1 < _LEAST:
        raise ReadingsError(say("{count} loaded readings: at least three are needed while it is discharged.", count=last - first + 1))
    if made.window is not None:
        high, low = made.window
        seen = made.volts[first : last + 1]
        if not seen[0] >= high > low >= seen[-1]:
            text = say(
                "It was discharged from {a} to {b} V, and {high} to {low} V are asked for.",
                a=show(float(seen[0]), 3),
                b=show(float(seen[-1]), 3),
                high=plain(high),
                low=plain(low),
            )
            raise ReadingsError(text)
    return first, last


_UNEVEN, _PARTS = 1.35, 4
"""Over its lower half of volts a capacitor holds so many times more or less than over its upper one, at the most; from so many readings. Common practice, no source."""


def uneven(made: Discharged) -> tuple[float, float] | None:
    """(F over the upper half of its volts, F over the lower) where they are too far apart for one capacitor; None where they are not."""
    first, last = _loaded(made)
    time, volts, amps = (column[first : last + 1] for column in (made.time_s, made.volts, made.amps))
    middle = int(np.argmin(np.abs(volts - (volts[0] + volts[-1]) / 2)))
    if len(volts) < _PARTS or not 0 < middle < len(volts) - 1:
        return None
    charge = np.concatenate(([0.0], np.cumsum(np.diff(time) * (amps[1:] + amps[:-1]) / 2)))
    fell = volts[0] - volts[middle], volts[middle] - volts[-1]
    digits = 2 * float(np.max(made.half["V"])) if "V" in made.half else 0.0
    if not min(fell) > 0.2 * (volts[0] - volts[-1]) + digits:
        return None
    upper, lower = float(charge[middle]) / fell[0], float(charge[-1] - charge[middle]) / fell[1]
    room = _UNEVEN * (1 + digits / min(fell)) + (BY_HAND_S / float(np.diff(time).min()) if made.by_hand else 0.0)
    return None if max(upper, lower) <= room * min(upper, lower) else (float(upper), float(lower))


def _clock() -> Value:
    """What the span from the first to the last reading may be off by, s."""
    first, last = say("at the first reading"), say("at the last reading")
    return within(BY_HAND_S, words("time as it was written down"), "s", when=last) - within(
        BY_HAND_S, words("time as it was written down"), "s", when=first
    )


def between_readings(volts: Array, amps: Array) -> Array:
    """(n − 1,) mean current from each reading to the next: of a resistor's by the logarithmic mean, as it falls off exponentially, else the straight line's."""
    line = (amps[1:] + amps[:-1]) / 2
    if not _is_resistor(volts, amps):
        return line
    fall = np.log(amps[:-1] / amps[1:])
    return np.where(np.abs(fall) > 1e-6, (amps[:-1] - amps[1:]) / np.where(fall == 0, 1.0, fall), line)


def _is_resistor(volts: Array, amps: Array) -> bool:
    """Volts over amperes are one resistance, and both fell off by a tenth at least."""
    if not (amps > 0).all() or float(amps.min()) > 0.9 * float(amps.max()):
        return False
    ohm = volts / amps
    return float(np.ptp(ohm)) < _ONE_RESISTANCE * float(np.median(ohm))


def _between(time: Array, volts: Array, amps: Array) -> Value:
    """What the current may have done between two readings, C: of a resistor's half of what the straight line would have made of it; else a quarter of what it changed, to each side."""
    changed = np.abs(np.diff(amps)) / 4
    if _is_resistor(volts, amps):
        changed = np.abs((amps[1:] + amps[:-1]) / 2 - between_readings(volts, amps)) / 2
    return within(float(np.sum(np.diff(time) * changed)), words("between the readings"), "C")


_SLIPS = ((1000.0, "amperes for milliamperes"), (60.0, "seconds for minutes"), (3600.0, "seconds for hours"))
_UNBELIEVABLE = (0.1, 5.0)


def slip(found: Finding, label: CapacitorLabel) -> str:
    """Why so many farads cannot be, in a sentence; empty where they may."""
    if not found.value or not label.farads:
        return ""
    ratio = found.value / label.farads
    if _UNBELIEVABLE[0] < ratio < _UNBELIEVABLE[1]:
        return ""
    likely = next((say(words) for factor, words in _SLIPS if 0.5 < max(ratio, 1 / ratio) / factor < 2), say("a slip of unit"))
    return say(
        "{c} F are {n} times its label of {label} F: {likely}?",
        c=show(found.value),
        n=show(ratio, 2),
        label=show(label.farads),
        likely=likely,
    )


def against_label(found: Finding, label: CapacitorLabel) -> Finding | None:
    """Measured farads over the label's."""
    if found.value is None or not label.farads:
        return None
    working = say("{c} F ÷ {label} F", c=show(found.value), label=show(label.farads))
    return Finding.made("label_share", say("Share of the label"), 100 * found.known / label.farads, "%", working)


def runs_for(found: Finding, watts: float, high_v: float, low_v: float) -> Finding:
    """How long a load of constant power runs from one voltage down to another: ½C(V₁² − V₂²) ÷ P; what its resistance burns is not in it."""
    assert found.value is not None
    seconds = found.known * (high_v**2 - low_v**2) / 2 / watts
    working = say("½ × {c} F × ({high}² − {low}²) ÷ {w} W", c=show(found.value), high=plain(high_v), low=plain(low_v), w=plain(watts))
    return Finding.made("runs_for", say("Runs {watts} W for", watts=plain(watts)), seconds, "s", working)


def fills_in(found: Finding, amps: float, to_v: float) -> Finding:
    """How long a constant current takes from nothing to a voltage: C·V ÷ I."""
    assert found.value is not None
    working = say("{c} F × {v} V ÷ {a} A", c=show(found.value), v=plain(to_v), a=plain(amps))
    return Finding.made("fills_in", say("Fills at {amps} A in", amps=plain(amps)), found.known * to_v / amps, "s", working)
