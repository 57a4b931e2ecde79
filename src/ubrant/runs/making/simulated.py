"""The simulated bench for a test: the unit as its label suggests (or as its stand-in says), meters somewhere inside their accuracy."""

from __future__ import annotations

import zlib
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from ubrant.bench.bench import Bench
from ubrant.bench.clocks import LaterClock
from ubrant.bench.simulated import Around, open_simulated, open_simulated_converter
from ubrant.bench.standins.converter_world import BreakerParameters, ConverterScenario
from ubrant.bench.standins.scenario import Scenario, scenario_for
from ubrant.core.equipment.meter import MAKER, Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import pack_from_label
from ubrant.core.models.converter import ConverterParameters
from ubrant.core.models.shown import Imperfection, drawn_inside
from ubrant.core.quantities.accuracy import Accuracy, parse_accuracy
from ubrant.core.record.head import Setup
from ubrant.methods.method import Scene
from ubrant.methods.ratings import UnitRatings, read_ratings

LOAD_NAME = "Load"
_UNKNOWN = {"V": "0.5 % + 5 mV", "A": "0.5 % + 5 mA", "W": "1 % + 0.5 W"}
_UNKNOWN_METER = (Accuracy(0.002, 0.005, "V"), Accuracy(0.01, 0.02, "A"))
"""How wrong a simulated meter is when nobody said."""


def opener(
    scene: Scene, setup: Setup, run_number: int, speed: float, from_s: float = 0.0, changes: dict[str, Any] | None = None
) -> Callable[[], Bench]:
    """How the bench is opened; the same every time for the same unit and run. ``changes`` alters the scenario, for demonstrations and tests."""
    if scene.battery:
        return _battery_opener(scene, setup, run_number, speed, from_s, changes or {})
    scenario = replace(converter_scenario(scene, setup, run_number), **(changes or {}))
    into, out = setup.meter("input"), setup.meter("output") if "output" in setup.meters else setup.meter("input")
    around = Around(
        into.name,
        out.name if "output" in scene.taps else "",
        out.name if scene.mains else "",
        "Battery terminals" if scene.on_battery else "",
        "Scope" if scene.scope else "",
        "Supply" if scene.supply else "",
    )

    def opened() -> Bench:
        bench = open_simulated_converter(scenario, speed, around)
        return replace(bench, clock=LaterClock(bench.clock, from_s)) if from_s else bench

    return opened


def uncorrected(setup: Setup) -> Setup:
    """Simulated meters are off by anything inside their accuracies, and nothing was found of them."""
    meters = {tap: replace(meter, details=replace(meter.details, **_AS_MADE)) for tap, meter in setup.meters.items()}
    return replace(setup, meters=meters)


_AS_MADE: dict[str, Any] = (
    {"counts": MAKER, "zeroed": "", "reversed": False}
    | dict.fromkeys(("gain_v", "gain_a", "gain_w"), 1.0)
    | dict.fromkeys(("zero_v", "zero_a", "zero_w"), 0.0)
)


def _battery_opener(
    scene: Scene, setup: Setup, run_number: int, speed: float, from_s: float, changes: dict[str, Any]
) -> Callable[[], Bench]:
    meter = setup.meter("battery")
    scenario = battery_scenario(setup.unit, meter, setup.leads.resistance_ohm, run_number)
    soc = max(0.02, 1 - scene.given_ah / scenario.pack.capacity_ah) if scene.given_ah else scene.full_share
    scenario = replace(replace(scenario, step_s=0.1 if scene.every_s <= 2 else 0.5, soc=soc), **changes)

    def opened() -> Bench:
        bench = open_simulated(
            scenario,
            speed,
            meter.name,
            LOAD_NAME,
            charger=scene.supply,
            thermometer=scene.thermometer,
            max_v=meter.max_v,
            max_a=meter.max_a,
        )
        return replace(bench, clock=LaterClock(bench.clock, from_s)) if from_s else bench

    return opened


def battery_scenario(unit: Unit, meter: Meter, lead_ohm: float, run_number: int) -> Scenario:
    """The unit's stand-in, meters somewhere inside their accuracy."""
    accuracy_v, accuracy_a = meter.accuracy("V") or _UNKNOWN_METER[0], meter.accuracy("A") or _UNKNOWN_METER[1]
    return scenario_for(unit.label, accuracy_v, accuracy_a, lead_ohm, f"{unit.name}/{unit.label_text}/{run_number}", unit.stand_in)


def converter_of(unit: Unit) -> ConverterParameters:
    """The simulated thing behind a converter or inverter."""
    known: dict[str, Any] = {k: v for k, v in unit.stand_in.items() if k in ConverterParameters.__dataclass_fields__}
    ratings = read_ratings(unit)
    return ConverterParameters(**{**(_inverter(ratings) if ratings.gives_mains else _converter(ratings)), **known})


def _converter(ratings: UnitRatings) -> dict[str, Any]:
    into, out, watts = ratings.input_v, ratings.output_v, ratings.watts
    up = out > into
    return {
        "output_v": out,
        "fixed_w": watts * 0.012,
        "proportional": 0.05,
        "resistive_per_w": 0.05 / watts,
        "nominal_in_v": into,
        "output_ohm": 0.006 * out * out / watts,
        "line_per_v": 2e-4 * out,
        "sags_below_v": into * (0.72 if up else max(0.6, (out + 1.2) / into)),
        "shutoff_v": into * 0.62 if up else max(out + 0.4, into * 0.5),
        "restart_v": into * 0.75,
    }


def _inverter(ratings: UnitRatings) -> dict[str, Any]:
    into, out, watts = ratings.input_v, ratings.output_v, ratings.watts
    return {
        "output_v": out,
        "fixed_w": 1.5 + 0.01 * watts,
        "proportional": 0.05,
        "resistive_per_w": 0.07 / watts,
        "nominal_in_v": into,
        "output_ohm": 0.02 * out * out / watts,
        "line_per_v": 0.0,
        "sags_below_v": 0.86 * into,
        "shutoff_v": 0.875 * into,
        "restart_v": 1.04 * into,
        "limit_a": 1.15 * watts / out,
        "hertz": 50.0 if out > 200 else 60.0,
        "economy_w": 0.2 + 0.001 * watts,
    }


def converter_scenario(scene: Scene, setup: Setup, run_number: int) -> ConverterScenario:
    """A bench for what is fed, the same every time for the same run."""
    unit, into = setup.unit, setup.meter("input")
    out = setup.meter("output") if "output" in setup.meters else into
    rng = np.random.default_rng(zlib.crc32(f"{unit.name}/{unit.label_text}/{run_number}".encode()))
    breaker = None
    if scene.breaker is not None:
        known = {k: v for k, v in unit.stand_in.items() if k in BreakerParameters.__dataclass_fields__}
        breaker = BreakerParameters(**{**scene.breaker, **known})
    parameters = converter_of(unit) if breaker is None else ConverterParameters(12.0, 0.0, 0.0, 0.0, limit_a=100 * breaker.rated_a)

    def channel(text: str, unit_of: str, noise: float, digit: float = 0.001) -> Imperfection:
        return drawn_inside(parse_accuracy(text or _UNKNOWN[unit_of], unit_of), rng, noise, digit)

    mains = parameters.hertz > 0
    return ConverterScenario(
        parameters,
        setup.leads.resistance_ohm,
        pack=pack_from_label(setup.battery.label) if scene.on_battery and setup.battery is not None else None,
        breaker=breaker,
        input_v=channel(into.voltage_accuracy, "V", 5e-4),
        input_a=channel(into.current_accuracy, "A", 5e-4),
        output_v=channel(out.voltage_accuracy, "V", 0.05 if mains else 5e-4, 0.1 if mains else 0.001),
        output_a=channel(out.current_accuracy, "A", 5e-4),
        output_w=channel(out.details.power_accuracy, "W", 0.02, 0.1),
        source_v=channel(into.voltage_accuracy, "V", 5e-4),
        seed=int(rng.integers(1, 2**31)),
    )
