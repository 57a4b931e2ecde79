"""The world: one circuit that advances in fixed steps, and the instruments that look at it."""

from __future__ import annotations

import math

from ubrant.bench.standins.faults import FaultSwitch
from ubrant.bench.standins.scenario import Scenario
from ubrant.core.models.cell import Pack
from ubrant.core.models.circuit import CURRENT, Circuit
from ubrant.core.models.shown import Imperfection, gauss, shown


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
        self.mode = CURRENT
        self.charger_a = self.charger_v = 0.0
        self.charger_is_on = False
        self.leads_are_open = False
        self.faults = FaultSwitch(scenario.faults, lambda: self.time_s)
        self._frozen: dict[str, float] = {}

    @property
    def time_s(self) -> float:
        return self.steps * self.scenario.step_s

    def advance_to(self, time_s: float) -> None:
        circuit, dt = self.circuit, self.scenario.step_s
        idle_from = next((f.at_s for f in self.scenario.faults if f.kind == "draws nothing"), None)
        target = math.floor(time_s / dt + 1e-6)
        while self.steps < target:
            circuit.step(dt)
            self.steps += 1
            if idle_from is not None and self.load_is_on and self.time_s >= idle_from:
                self.switch(True)
            if self.load_is_on and circuit.load_v() < self.own_cutoff_v:
                self.switch(False)
                self.tripped = True

    def switch(self, on: bool) -> None:
        if self.load_is_on and not on and self.faults.holds("load", "stuck on"):
            return
        self.load_is_on = on
        self.tripped = self.tripped and not on
        if on and self.faults.holds("load", "draws nothing"):
            self.circuit.draw(0.0)
        elif on:
            self.circuit.draw(self.set_a * (1 + self.scenario.set_gain), self.mode)
        elif self.charger_is_on:
            self.circuit.charge(self.charger_a, self.charger_v)
        else:
            self.circuit.draw(0.0)

    def set_load(self, amount: float) -> None:
        """Amperes, watts or ohms, as its mode is."""
        self.set_a = amount
        if self.load_is_on:
            self.switch(True)

    def set_mode(self, mode: str) -> None:
        self.mode = mode

    def switch_charger(self, on: bool) -> None:
        self.charger_is_on = on
        if not self.load_is_on:
            self.switch(False)

    def operator(self, action: str) -> None:
        """What a person at the bench does, when asked to."""
        if action in {"open leads", "close leads"}:
            self.leads_are_open = action == "open leads"

    def temperature(self) -> float:
        return self._shown("thermometer", self.circuit.pack.temperature_c, self.scenario.thermometer)

    def meter_voltage(self) -> float:
        return self._shown("meter V", 0.0 if self.leads_are_open else self.circuit.battery_v, self.scenario.meter_v)

    def meter_current(self) -> float:
        return self._shown("meter A", 0.0 if self.leads_are_open else self.circuit.current_a, self.scenario.meter_a)

    def load_voltage(self) -> float:
        return self._shown("load V", self.circuit.load_v(), self.scenario.load_v)

    def load_current(self) -> float:
        return self._shown("load A", self.circuit.current_a, self.scenario.load_a)

    def _shown(self, name: str, true: float, channel: Imperfection) -> float:
        device = name.split()[0]
        if self.faults.holds(device, "freeze"):
            return self._frozen.setdefault(name, self._value_of(name, true, channel))
        return self._value_of(name, true, channel)

    def _value_of(self, name: str, true: float, channel: Imperfection) -> float:
        return shown(true, channel, gauss(self.scenario.seed, name, self.steps) if channel.noise else 0.0)
