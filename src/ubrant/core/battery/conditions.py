"""What the temperature of a battery does to a comparison with its label."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ubrant.core.battery.temperature import FAST, SLOW, THERMOMETER_C
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import Value, within
from ubrant.core.wording import say, words

WINDOW_C = (15.0, 25.0)
"""In which labels of lithium and NiMH hold: 20 ± 5 °C, IEC 61960-3 and IEC 61951-2 (values from memory)."""
ROOM_C = (15.0, 27.0)
"""What a room may have had where nobody wrote it down. Common practice, no source."""
LIMITS_C = (0.0, 40.0)
"""Outside these no coefficient holds. Common practice, no source."""
PER_DEGREE, PER_DEGREE_HALF = 0.003, 0.002
"""Of lithium and NiMH outside their window, and half the width of that. Common practice, no source."""
LAMBDA_HALF = 0.002
"""Half the width of lead-acid's λ. Common practice, no source."""
SMALL_AH = 25.0


@dataclass(frozen=True)
class AtReference:
    """Divide a capacity by ``factor`` to have it at its label's temperature."""

    factor: Value
    sentence: str


def reference_c(label: Label) -> tuple[float, float]:
    """Temperature that lead-acid's label holds at, and the half-width of that, °C.

    References
    ----------
    25 °C small blocks and starters (IEC 61056-1, EN 50342-1, IEEE 450), 20 °C stationary (IEC 60896): values from memory.
    """
    if re.search(r"stationary|standby|\bopz", label.text, re.I):
        return 20.0, 0.0
    if re.search(r"starter|\bcca\b", label.text, re.I) or (label.charge_ah is not None and label.charge_ah < SMALL_AH):
        return 25.0, 0.0
    return 22.5, 2.5


def at_reference(label: Label, temperature_c: float | None, hours: float, room_c: tuple[float, float] | None = None) -> AtReference:
    """What a battery at this temperature (None where nobody wrote it down) gave, compared with its label's.

    Where only the room is known to lie between two temperatures the battery had that of its middle, within half of them.

    References
    ----------
    C_ref = C ÷ (1 + λ(θ − θ_ref)), IEC 60896-21 (coefficients from memory).
    """
    half_c, why = THERMOMETER_C, ""
    if temperature_c is not None:
        room_c = None
    if room_c is not None:
        low, high = room_c
        temperature_c, half_c = (low + high) / 2, (high - low) / 2
        why = say("a room of {low} to {high} °C", low=plain(low), high=plain(high))
    of_thermometer = within(half_c, words("battery's temperature"), "°C", note=why)
    if label.chemistry == "lead-acid":
        return _lead_acid(label, temperature_c, hours, of_thermometer)
    if temperature_c is None:
        half = PER_DEGREE * (ROOM_C[1] - ROOM_C[0]) / 2
        why = say("nobody wrote it down: {low} to {high} °C, {per} % per °C", low=ROOM_C[0], high=ROOM_C[1], per=100 * PER_DEGREE)
        return AtReference(1 + _not_known(half, why), "")
    low, high = WINDOW_C
    apart = max(low - temperature_c, temperature_c - high, 0.0)
    if not apart:
        outside = max(low - min(room_c), max(room_c) - high, 0.0) if room_c is not None else 0.0
        of_room = within(outside, words("battery's temperature"), "°C", note=why)
        return AtReference(1 + PER_DEGREE * of_room, "")
    sign = -1.0 if temperature_c < low else 1.0
    per_degree = PER_DEGREE + within(PER_DEGREE_HALF, words("temperature coefficient"), "1/°C")
    factor = 1 + per_degree * (sign * apart + of_thermometer)
    return AtReference(
        factor,
        say(
            "÷ {factor} for {celsius} °C ({per} ± {half} % per °C outside {low} to {high} °C)",
            factor=show(factor.value),
            celsius=plain(temperature_c),
            per=100 * PER_DEGREE,
            half=100 * PER_DEGREE_HALF,
            low=plain(low),
            high=plain(high),
        ),
    )


def _not_known(half: float, why: str) -> Value:
    return within(half, words("temperature not known"), note=why, kind=ErrorKind.CONDITION)


def _lead_acid(label: Label, temperature_c: float | None, hours: float, of_thermometer: Value) -> AtReference:
    reference, half = reference_c(label)
    per_degree = SLOW if hours >= 3 else FAST
    why = say("20 or 25 °C: the label does not say which")
    of_reference = within(half, words("reference temperature"), "°C", note=why)
    if temperature_c is None:
        apart = max(abs(edge - reference) for edge in ROOM_C)
        why = say("nobody wrote it down: up to {apart} °C from its reference, λ = {per} per °C", apart=plain(apart), per=per_degree)
        return AtReference(1 + _not_known(per_degree * apart, why) - per_degree * of_reference, "")
    coefficient = per_degree + within(LAMBDA_HALF, words("temperature coefficient"), "1/°C")
    factor = 1 + coefficient * (temperature_c - reference + of_thermometer - of_reference)
    return AtReference(
        factor,
        say(
            "÷ {factor} from {celsius} to {reference} °C (λ = {per} per °C, IEC 60896-21)",
            factor=show(factor.value),
            celsius=plain(temperature_c),
            reference=plain(reference),
            per=per_degree,
        ),
    )
