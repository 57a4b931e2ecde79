"""The other worlds: a bench supply or a battery, leads, a converter or inverter, a load, meters at its two ends; and a breaker on a supply."""

from __future__ import annotations

import json
import math
from dataclasses import asdict, dataclass, field
from typing import Any

from ubrant.bench.standins.faults import Fault, FaultSwitch
from ubrant.core.models.cell import Pack, PackParameters
from ubrant.core.models.circuit import CURRENT
from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.core.models.shown import Imperfection, gauss, shown

_SETTLES_S = 0.4
_CHANNELS = ("input_v", "input_a", "output_v", "output_a", "output_w", "source_v")


@dataclass(frozen=True)
class BreakerParameters:
    """A thermal breaker: it opens once its heat, which follows (I/rated)² with ``tau_s``, passes ``opens_at``²; at once over ``at_once`` times its rating."""

    rated_a: float
    tau_s: float = 60.0
    opens_at: float = 1.25
    at_once: float = 8.0


@dataclass(frozen=True)
class ConverterScenario:
    """Everything this world is told; see ``scenario.Scenario`` for what both have.

    With a ``pack`` a battery feeds it, without one a supply. With a ``breaker`` there is no converter: supply, breaker, load.
    """

    converter: ConverterParameters
    lead_ohm: float = 0.02
    pack: PackParameters | None = None
    soc: float = 1.0
    breaker: BreakerParameters | None = None
    input_v: Imperfection = field(default_factory=Imperfection)
    input_a: Imperfection = field(default_factory=Imperfection)
    output_v: Imperfection = field(default_factory=Imperfection)
    output_a: Imperfection = field(default_factory=Imperfection)
    output_w: Imperfection = field(default_factory=Imperfection)
    source_v: Imperfection = field(default_factory=Imperfection)
    supply_max_a: float = 60.0
    seed: int = 1
    step_s: float = 0.05
    free_speed: float = 60.0
    linger_s: float = 5.0
    faults: tuple[Fault, ...] = ()
    runs_free: bool = False
    board_every_s: float = 0.0

    def to_json(self) -> str:
        return json.dumps({"world": "converter", **asdict(self)})


def converter_from_json(data: dict[str, Any]) -> ConverterScenario:
    """The scenario written by ``to_json``."""
    told: dict[str, Any] = {k: Imperfection(**data[k]) for k in _CHANNELS}
    told["faults"] = tuple(Fault(**f) for f in data["faults"])
    told["converter"] = ConverterParameters(**data["converter"])
    told["pack"] = PackParameters(**data["pack"]) if data["pack"] else None
    told["breaker"] = BreakerParameters(**data["breaker"]) if data["breaker"] else None
    return ConverterScenario(**{**{k: v for k, v in data.items() if k != "world"}, **told})


class ConverterWorld:
    """Source → leads → converter (or breaker) → load. It advances over a fixed grid of steps; what is set arrives within a second or so."""

    def __init__(self, scenario: ConverterScenario) -> None:
        self.scenario = scenario
        self.converter = Converter(scenario.converter)
        self.pack = Pack(scenario.pack, scenario.soc) if scenario.pack else None
        self.steps = 0
        self.supply_v = self.supply_a = 0.0
        self.supply_is_on = False
        self.inverter_is_on = scenario.pack is None
        self.mode, self.set_a, self.own_cutoff_v = CURRENT, 0.0, 0.0
        self.load_is_on = self.tripped = False
        self.input_v = self.input_a = self.output_v = self.output_a = 0.0
        self.source_v = self.pack.voltage_v(0.0) if self.pack else 0.0
        self.heat, self.breaker_is_open = 0.0, False
        self.counted_wh = 0.0
        self.faults = FaultSwitch(scenario.faults, lambda: self.time_s)

    @property
    def time_s(self) -> float:
        return self.steps * self.scenario.step_s

    @property
    def output_w(self) -> float:
        return self.output_v * self.output_a

    def advance_to(self, time_s: float) -> None:
        dt = self.scenario.step_s
        target = math.floor(time_s / dt + 1e-6)
        while self.steps < target:
            self.steps += 1
            if self.scenario.breaker is not None:
                self._step_breaker(self.scenario.breaker, dt)
            else:
                self._step(dt)

    def _step(self, dt: float) -> None:
        keep = math.exp(-dt / _SETTLES_S)
        asked = self.set_a if self.load_is_on else 0.0
        if self.pack is not None:
            self.source_v = self.pack.step(self.input_a, dt)
        else:
            self.source_v = self.supply_v if self.supply_is_on else 0.0
        volts = self.source_v - self.input_a * self.scenario.lead_ohm
        if not self.inverter_is_on:
            out_v = out_a = in_a = 0.0
        elif self.mode == CURRENT:
            out_v, in_a = self.converter.output(volts, asked)
            out_a = asked if out_v > 0.05 else 0.0
        else:
            out_v, out_a, in_a = self.converter.output_of_watts(volts, asked)
        if self.pack is None and self.supply_a:
            in_a = min(in_a, self.supply_a)
        self.input_a = in_a + (self.input_a - in_a) * keep if self.pack is None or self.pack.tripped == "" else 0.0
        self.output_v = out_v + (self.output_v - out_v) * keep
        self.output_a = out_a
        self.input_v = self.source_v - self.input_a * self.scenario.lead_ohm
        self.counted_wh += self.output_w * dt / 3600
        if self.load_is_on and self.output_v < self.own_cutoff_v:
            self.load_is_on, self.tripped = False, True

    def _step_breaker(self, breaker: BreakerParameters, dt: float) -> None:
        asked = self.set_a if self.load_is_on and self.supply_is_on and not self.breaker_is_open else 0.0
        share = asked / breaker.rated_a
        self.heat += dt / breaker.tau_s * (share * share - self.heat)
        if self.heat >= breaker.opens_at**2 or share > breaker.at_once:
            self.breaker_is_open, asked = True, 0.0
        self.source_v = self.input_v = self.supply_v if self.supply_is_on else 0.0
        self.input_a = self.output_a = asked
        self.output_v = 0.0 if self.breaker_is_open else self.input_v

    def operator(self, action: str) -> None:
        """What a person at the bench does, when asked to."""
        match action:
            case "reset":
                self.breaker_is_open, self.heat = False, 0.3 * self.heat
            case "cool":
                self.heat = 0.0
            case "on" | "off":
                self.inverter_is_on = action == "on"
                self.converter.is_on = True
            case "economy" | "normal":
                self.converter.economy = action == "economy"

    def switch(self, on: bool) -> None:
        self.load_is_on, self.tripped = on, self.tripped and not on

    def read(self, name: str, true: float, channel: Imperfection) -> float:
        return shown(true, channel, gauss(self.scenario.seed, name, self.steps))
