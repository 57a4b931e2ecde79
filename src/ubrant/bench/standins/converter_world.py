"""The other world: a bench supply, leads, a converter, a load, and meters at its two ends."""

from __future__ import annotations

import json
import math
from dataclasses import asdict, dataclass, field
from typing import Any

from ubrant.bench.standins.faults import Fault, FaultSwitch
from ubrant.bench.standins.noise import gauss, shown
from ubrant.bench.standins.scenario import Channel
from ubrant.core.converter import Converter, ConverterParameters

_SETTLES_S = 0.4


@dataclass(frozen=True)
class ConverterScenario:
    """Everything this world is told; see ``scenario.Scenario`` for what both have."""

    converter: ConverterParameters
    lead_ohm: float = 0.02
    input_v: Channel = field(default_factory=Channel)
    input_a: Channel = field(default_factory=Channel)
    output_v: Channel = field(default_factory=Channel)
    output_a: Channel = field(default_factory=Channel)
    source_v: Channel = field(default_factory=Channel)
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
    channels: dict[str, Any] = {k: Channel(**data[k]) for k in ("input_v", "input_a", "output_v", "output_a", "source_v")}
    channels["faults"] = tuple(Fault(**f) for f in data["faults"])
    channels["converter"] = ConverterParameters(**data["converter"])
    return ConverterScenario(**{**{k: v for k, v in data.items() if k != "world"}, **channels})


class ConverterWorld:
    """Supply → leads → converter → load. It advances over a fixed grid of steps; what is set arrives within a second or so."""

    def __init__(self, scenario: ConverterScenario) -> None:
        self.scenario = scenario
        self.converter = Converter(scenario.converter)
        self.steps = 0
        self.supply_v = self.supply_a = 0.0
        self.supply_is_on = False
        self.set_a = self.own_cutoff_v = 0.0
        self.load_is_on = self.tripped = False
        self.input_v = self.input_a = self.output_v = self.output_a = 0.0
        self.faults = FaultSwitch(scenario.faults, lambda: self.time_s)

    @property
    def time_s(self) -> float:
        return self.steps * self.scenario.step_s

    def advance_to(self, time_s: float) -> None:
        dt = self.scenario.step_s
        keep = math.exp(-dt / _SETTLES_S)
        target = math.floor(time_s / dt + 1e-6)
        while self.steps < target:
            self.steps += 1
            asked = self.set_a if self.load_is_on else 0.0
            source = self.supply_v if self.supply_is_on else 0.0
            volts = source - self.input_a * self.scenario.lead_ohm
            out_v, in_a = self.converter.output(volts, asked)
            in_a = min(in_a, self.supply_a) if self.supply_a else in_a
            self.input_a = in_a + (self.input_a - in_a) * keep
            self.output_v = out_v + (self.output_v - out_v) * keep
            self.output_a = (asked if out_v > 0.05 else 0.0) if out_v > 0 else 0.0
            self.input_v = source - self.input_a * self.scenario.lead_ohm

    def switch(self, on: bool) -> None:
        self.load_is_on = on

    def read(self, name: str, true: float, channel: Channel) -> float:
        return shown(true, channel, gauss(self.scenario.seed, name, self.steps))
