"""Benches of which the truth is known, apart from the laws: what flows is worked out from the load back to what feeds it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ubrant.core.network.graph import BATTERY, CHARGER, INPUT, LOAD, OUTPUT, SOURCE, Graph, Key, graph_of
from ubrant.core.network.moment import Read
from ubrant.core.network.whole import Whole
from ubrant.core.quantities.accuracy import Accuracy

DIGITS = {"V": 0.005, "A": 0.005, "W": 0.05}
"""Half of the last digit."""


@dataclass
class Bench:
    """A bench at one moment: its true values and its meters, each a gain and a zero inside its accuracy."""

    places: frozenset[str]
    truth: dict[Key, float]
    graph: Graph
    accuracy: dict[Key, Accuracy]
    wrong: dict[Key, tuple[float, float]] = field(default_factory=dict)

    def shown(self, key: Key, times: float = 1.0) -> float:
        gain, zero = self.wrong[key]
        step = 2 * DIGITS[key[1]]
        return round((self.truth[key] * times * (1 + gain) + zero) / step) * step

    def read(self, keys: list[Key], moment: int = 0, slips: dict[Key, float] | None = None) -> list[Read]:
        slips = slips or {}
        return [Read(moment, key, self.shown(key) * slips.get(key, 1.0), DIGITS[key[1]], self.accuracy[key]) for key in keys]


def bench(rng: np.random.Generator, places: set[str], *, mains: bool = False) -> Bench:
    """One drawn: leads drop a little, a charger and a converter lose what they lose."""
    truth: dict[Key, float] = {}
    volts = float(rng.uniform(11.5, 14.0))
    out_w, load_w = float(rng.uniform(10, 90)), float(rng.uniform(5, 60))
    into_w = out_w / rng.uniform(0.75, 0.95) + rng.uniform(0.5, 5.0)
    at = {place: volts * (1 - rng.uniform(0.0, 0.02)) for place in (BATTERY, CHARGER, LOAD, INPUT)}
    amps = {INPUT: into_w / at[INPUT] if {INPUT, OUTPUT} & places else 0.0, LOAD: load_w / at[LOAD] if LOAD in places else 0.0}
    drawn = amps[INPUT] + amps[LOAD]
    if not drawn and not (BATTERY in places and {CHARGER, SOURCE} & places):
        drawn = float(rng.uniform(0.5, 5.0))  # by something that nobody reads
    charging = {CHARGER, SOURCE} & places
    amps[CHARGER] = float(rng.uniform(0.2, 1.6)) * max(drawn, 1.0) if charging else 0.0
    if BATTERY not in places:
        amps[CHARGER] = drawn
    amps[BATTERY] = drawn - amps[CHARGER]
    if not drawn and BATTERY in places and charging:
        amps[BATTERY] = -amps[CHARGER]
    for place in (BATTERY, CHARGER, LOAD, INPUT):
        truth[place, "V"], truth[place, "A"], truth[place, "W"] = at[place], amps[place], at[place] * amps[place]
    out_v = 230.0 if mains else float(rng.choice([5.0, 9.0, 19.0]))
    truth[OUTPUT, "V"], truth[OUTPUT, "W"] = out_v, out_w
    truth[OUTPUT, "A"] = out_w / out_v / (rng.uniform(0.6, 1.0) if mains else 1.0)
    source_v = float(rng.uniform(16, 20))
    source_w = truth[CHARGER, "W"] / rng.uniform(0.85, 0.97)
    if CHARGER not in graph_of(places).edges:
        truth[SOURCE, "V"], truth[SOURCE, "A"] = at[BATTERY], drawn
        truth[SOURCE, "W"] = at[BATTERY] * drawn
    else:
        truth[SOURCE, "V"], truth[SOURCE, "A"], truth[SOURCE, "W"] = source_v, source_w / source_v, source_w
    accuracy, wrong = {}, {}
    for key in truth:
        gain, zero = float(rng.uniform(0.001, 0.01)), float(rng.uniform(0.5, 3.0)) * DIGITS[key[1]]
        accuracy[key] = Accuracy(gain, zero, key[1], meter=f"{key[0]} {key[1]}", place=key[0])
        wrong[key] = float(rng.uniform(-1, 1)) * gain, float(rng.uniform(-1, 1)) * zero
    graph = graph_of(places, {OUTPUT} if mains else set())
    return Bench(frozenset(places), {k: v for k, v in truth.items() if k[0] in graph.edges}, graph, accuracy, wrong)


SETUPS: tuple[tuple[set[str], bool], ...] = (
    ({BATTERY, INPUT, OUTPUT}, False),
    ({BATTERY, OUTPUT}, True),
    ({BATTERY, LOAD}, False),
    ({BATTERY, LOAD, INPUT, OUTPUT}, False),
    ({CHARGER, BATTERY, LOAD}, False),
    ({CHARGER, BATTERY}, False),
    ({SOURCE, CHARGER, BATTERY}, False),
    ({SOURCE, CHARGER, BATTERY, LOAD}, False),
    ({SOURCE, CHARGER, BATTERY, INPUT, OUTPUT}, True),
    ({SOURCE, BATTERY, LOAD}, False),
    ({CHARGER, BATTERY, LOAD, INPUT, OUTPUT}, True),
    ({INPUT, OUTPUT}, False),
    ({INPUT, OUTPUT}, True),
    ({SOURCE, INPUT, OUTPUT}, False),
    ({CHARGER, LOAD}, False),
    ({CHARGER, INPUT, OUTPUT}, False),
    ({BATTERY}, False),
    ({OUTPUT}, True),
    ({SOURCE, CHARGER}, False),
    ({SOURCE, CHARGER, BATTERY, LOAD, INPUT, OUTPUT}, False),
)


def whole(made: Bench, keys: list[Key]) -> Whole:
    return Whole(made.graph, tuple(made.read(keys)), ("",))
