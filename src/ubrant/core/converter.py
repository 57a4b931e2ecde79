"""A model of a converter or inverter: what it takes in for what it gives out, where it sags, shuts off and starts again."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class ConverterParameters:
    """One converter.

    Attributes
    ----------
    output_v : at no load and ``nominal_in_v``
    fixed_w, proportional, resistive_per_w : its losses, P = p₀ + a·P_out + b·P_out²
    output_ohm : how far the output sags with its current; line_per_v : how far it follows the input, V/V
    sags_below_v, sags_ohm : input under which the output can no longer be held, and how that rises with the output current
    shutoff_v, restart_v : input at which it goes off and comes on again
    limit_a : largest output current; over it the output goes off until the load is taken away
    hertz : of an inverter's output; 0 for DC
    """

    output_v: float
    fixed_w: float
    proportional: float
    resistive_per_w: float
    nominal_in_v: float = 12.8
    output_ohm: float = 0.0
    line_per_v: float = 0.0
    sags_below_v: float = 0.0
    sags_ohm: float = 0.0
    shutoff_v: float = 0.0
    restart_v: float = 0.0
    limit_a: float = 1e9
    hertz: float = 0.0


class Converter:
    """One converter at work: on or off, and what flows."""

    def __init__(self, parameters: ConverterParameters) -> None:
        self.parameters = parameters
        self.is_on = True
        self.tripped = False

    def output(self, input_v: float, output_a: float) -> tuple[float, float]:
        """(volts out, amperes in) at an input voltage with a load that draws so much."""
        p = self.parameters
        if self.tripped and output_a <= 0:
            self.tripped = False
        if output_a > p.limit_a:
            self.tripped = True
        if self.is_on and input_v < p.shutoff_v:
            self.is_on = False
        elif not self.is_on and input_v > p.restart_v:
            self.is_on = True
        if not self.is_on or self.tripped or input_v <= 0:
            return 0.0, 0.0
        held = p.output_v - p.output_ohm * output_a + p.line_per_v * (input_v - p.nominal_in_v)
        needs = p.sags_below_v + p.sags_ohm * output_a
        volts = held * min(1.0, input_v / needs) if needs > 0 else held
        watts = volts * output_a
        return volts, (watts + p.fixed_w + p.proportional * watts + p.resistive_per_w * watts * watts) / input_v
