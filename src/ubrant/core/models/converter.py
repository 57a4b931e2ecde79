"""A model of a converter or inverter: what it takes in for what it gives out, where it sags, shuts off and starts again."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.readings import Array


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
    wave : of an inverter's output: ``sine``, ``stepped`` or ``square``
    economy_w : what it takes with nothing attached in its sleep or economy setting; None where it has none
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
    wave: str = "sine"
    economy_w: float | None = None


class Converter:
    """One converter at work: on or off, and what flows."""

    def __init__(self, parameters: ConverterParameters) -> None:
        self.parameters = parameters
        self.is_on = True
        self.tripped = False
        self.economy = False

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
        volts, _ = self._held(input_v, output_a)
        watts = volts * output_a
        if self.economy and p.economy_w is not None and output_a <= 0:
            return volts, p.economy_w / input_v
        return volts, (watts + p.fixed_w + p.proportional * watts + p.resistive_per_w * watts * watts) / input_v

    def output_of_watts(self, input_v: float, watts: float) -> tuple[float, float, float]:
        """(volts out, amperes out, amperes in) with a load that draws so many watts."""
        amps = watts / self.parameters.output_v
        for _ in range(4):  # the output sags a few percent at most: this settles at once
            volts, _ = self._held(input_v, amps)
            amps = watts / volts if volts > 0 else 0.0
        volts, into = self.output(input_v, amps if watts > 0 else 0.0)
        return volts, (watts / volts if volts > 0 else 0.0), into

    def _held(self, input_v: float, output_a: float) -> tuple[float, float]:
        """Volts out as long as it is on, and the input under which they sag."""
        p = self.parameters
        held = p.output_v - p.output_ohm * output_a + p.line_per_v * (input_v - p.nominal_in_v)
        needs = p.sags_below_v + p.sags_ohm * output_a
        return (held * min(1.0, input_v / needs) if needs > 0 else held), needs

    def wave(self, volts_rms: float, cycles: float = 3.0, samples: int = 600) -> tuple[Array, Array]:
        """(seconds, volts) of its output as a scope would see it."""
        time = np.asarray(np.arange(samples) * (cycles / self.parameters.hertz / samples), dtype=float)
        turn = (time * self.parameters.hertz + 0.1) % 1.0
        sign = np.where(turn < 0.5, 1.0, -1.0)
        if self.parameters.wave == "square":
            shape = sign
        elif self.parameters.wave == "stepped":
            half = turn % 0.5
            shape = math.sqrt(1.5) * np.where((half > 1 / 12) & (half < 5 / 12), sign, 0.0)
        else:
            shape = math.sqrt(2) * (np.sin(2 * np.pi * turn) + 0.012 * np.sin(6 * np.pi * turn) + 0.008 * np.sin(10 * np.pi * turn))
        return time, np.asarray(volts_rms * shape, dtype=float)
