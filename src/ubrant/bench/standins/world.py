"""The world: one circuit that advances in fixed steps, and the instruments that look at it."""

from __future__ import annotations

import hashlib
import math
import struct

from ubrant.bench.standins.scenario import Channel, Scenario
from ubrant.core.cell import Pack
from ubrant.core.circuit import Circuit


class World:
    """Circuit, load and meter. It has no clock: ``advance_to`` moves it on, always over the same grid of steps.

    State exists on that grid only, and noise is a function of seed, instrument and grid step, so however the way there is cut
    into pieces the readings are the same to the last bit.
    """

    def __init__(self, scenario: Scenario) -> None:
        self.scenario = scenario
        self.circuit = Circuit(Pack(scenario.pack, scenario.soc), scenario.lead_ohm)
        self.steps = 0
        self.set_a = 0.0
        self.own_cutoff_v = 0.0
        self.load_is_on = False
        self.tripped = False

    @property
    def time_s(self) -> float:
        return self.steps * self.scenario.step_s

    def advance_to(self, time_s: float) -> None:
        circuit, dt = self.circuit, self.scenario.step_s
        target = math.floor(time_s / dt + 1e-6)
        while self.steps < target:
            circuit.step(dt)
            self.steps += 1
            if self.load_is_on and circuit.load_v() < self.own_cutoff_v:
                self.switch(False)
                self.tripped = True

    def switch(self, on: bool) -> None:
        self.load_is_on = on
        self.tripped = self.tripped and not on
        self.circuit.draw(self.set_a * (1 + self.scenario.set_gain) if on else 0.0)

    def set_current(self, amps: float) -> None:
        self.set_a = amps
        if self.load_is_on:
            self.switch(True)

    def meter_voltage(self) -> float:
        return self._shown("meter V", self.circuit.battery_v, self.scenario.meter_v)

    def meter_current(self) -> float:
        return self._shown("meter A", self.circuit.current_a, self.scenario.meter_a)

    def load_voltage(self) -> float:
        return self._shown("load V", self.circuit.load_v(), self.scenario.load_v)

    def load_current(self) -> float:
        return self._shown("load A", self.circuit.current_a, self.scenario.load_a)

    def _shown(self, name: str, true: float, channel: Channel) -> float:
        value = true * (1 + channel.gain) + channel.zero
        if channel.noise:
            value += channel.noise * self._gauss(name)
        return round(value / channel.digit) * channel.digit if channel.digit else value

    def _gauss(self, name: str) -> float:
        """Standard normal number for this seed, instrument and grid step (Box–Muller on a hash)."""
        digest = hashlib.blake2b(f"{self.scenario.seed}/{name}/{self.steps}".encode(), digest_size=16).digest()
        one, two = struct.unpack("<QQ", digest)
        return math.sqrt(-2 * math.log((one + 1) / 2**64)) * math.cos(2 * math.pi * two / 2**64)
