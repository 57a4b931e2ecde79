"""Capacity of lead-acid at its reference temperature."""

from __future__ import annotations

from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import within
from ubrant.core.wording import say, words

REFERENCE_C = 20.0
"""IEC 60896-21 refers to 20 °C; other practice to 25 °C. Value from memory."""
SLOW, FAST = 0.006, 0.01
"""λ per °C, for discharges of 3 h and slower, and for faster ones. IEC 60896-21, values from memory."""
THERMOMETER_C = 1.0
"""Half-width taken for a battery's temperature that a person measured."""


def capacity_at_reference(charge: Finding, hours: float, temperature_c: float, reference_c: float = REFERENCE_C) -> Finding:
    """C_ref = C ÷ (1 + λ(θ − θ_ref)), θ the battery's own temperature at the start.

    References
    ----------
    IEC 60896-21, temperature correction of capacity (coefficients from memory).
    """
    coefficient = SLOW if hours >= 3 else FAST
    name = f"At {plain(reference_c)} °C"
    if charge.value is None:
        return Finding("reference_capacity", name, None, "Ah", None, say("nothing to correct"))
    of_thermometer = within(THERMOMETER_C, words("battery's temperature"), "°C")
    value = charge.known / (1 + coefficient * (temperature_c - reference_c + of_thermometer))
    working = f"λ = {plain(coefficient)} per °C, from {plain(temperature_c)} °C"
    text = say(
        "{value} Ah ÷ (1 + {coefficient} × ({temperature_c} − {reference_c})) = {value_2} Ah (IEC 60896-21)",
        value=show(charge.value),
        coefficient=plain(coefficient),
        temperature_c=plain(temperature_c),
        reference_c=plain(reference_c),
        value_2=show(value.value),
    )
    return Finding.made("reference_capacity", name, value, "Ah", working, (text,))
