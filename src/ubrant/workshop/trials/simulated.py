"""Simulated benches for trials: a unit as its label suggests (or as its stand-in says), meters somewhere inside their accuracy."""

from __future__ import annotations

import zlib
from typing import Any

import numpy as np

from ubrant.bench.standins.converter_world import BreakerParameters, ConverterScenario
from ubrant.bench.standins.scenario import Channel, drawn_inside
from ubrant.core.accuracy import parse_accuracy
from ubrant.core.cell import pack_from_label
from ubrant.core.converter import ConverterParameters
from ubrant.core.unit import Unit
from ubrant.workshop.trials.trial import Told
from ubrant.workshop.trials.unit_ratings import UnitRatings, read_ratings

_UNKNOWN = {"V": "0.5 % + 5 mV", "A": "0.5 % + 5 mA", "W": "1 % + 0.5 W"}


def converter_of(unit: Unit) -> ConverterParameters:
    """The simulated thing behind a converter or inverter."""
    known: dict[str, Any] = {k: v for k, v in unit.stand_in.items() if k in ConverterParameters.__dataclass_fields__}
    ratings = read_ratings(unit)
    return ConverterParameters(**{**(_inverter(ratings) if ratings.gives_mains else _converter(ratings)), **known})


def _converter(ratings: UnitRatings) -> dict[str, Any]:
    into, out, watts = ratings.input_v, ratings.output_v, ratings.watts
    up = out > into
    return {
        "output_v": out, "fixed_w": watts * 0.012, "proportional": 0.05, "resistive_per_w": 0.05 / watts, "nominal_in_v": into,
        "output_ohm": 0.006 * out * out / watts, "line_per_v": 2e-4 * out, "sags_below_v": into * (0.72 if up else max(0.6, (out + 1.2) / into)),
        "shutoff_v": into * 0.62 if up else max(out + 0.4, into * 0.5), "restart_v": into * 0.75,
    }  # fmt: skip


def _inverter(ratings: UnitRatings) -> dict[str, Any]:
    into, out, watts = ratings.input_v, ratings.output_v, ratings.watts
    return {
        "output_v": out, "fixed_w": 1.5 + 0.01 * watts, "proportional": 0.05, "resistive_per_w": 0.07 / watts, "nominal_in_v": into,
        "output_ohm": 0.02 * out * out / watts, "line_per_v": 0.0, "sags_below_v": 0.86 * into, "shutoff_v": 0.875 * into, "restart_v": 1.04 * into,
        "limit_a": 1.15 * watts / out, "hertz": 50.0 if out > 200 else 60.0, "economy_w": 0.2 + 0.001 * watts,
    }  # fmt: skip


def scenario_for_trial(
    told: Told, run_number: int, *, battery: bool = False, breaker: BreakerParameters | None = None
) -> ConverterScenario:
    """A bench for a unit, the same every time for the same run."""
    unit, (into, out) = told.unit, told.meters
    rng = np.random.default_rng(zlib.crc32(f"{unit.name}/{unit.label_text}/{run_number}".encode()))
    rated_a = breaker.rated_a if breaker else 1.0
    parameters = converter_of(unit) if breaker is None else ConverterParameters(12.0, 0.0, 0.0, 0.0, limit_a=100 * rated_a)

    def channel(text: str, unit_of: str, noise: float, digit: float = 0.001) -> Channel:
        return drawn_inside(parse_accuracy(text or _UNKNOWN[unit_of], unit_of), rng, noise, digit)

    mains = parameters.hertz > 0
    return ConverterScenario(
        parameters, told.leads.resistance_ohm,
        pack=pack_from_label(told.battery.label) if battery and told.battery is not None else None, breaker=breaker,
        input_v=channel(into.voltage_accuracy, "V", 5e-4), input_a=channel(into.current_accuracy, "A", 5e-4),
        output_v=channel(out.voltage_accuracy, "V", 0.05 if mains else 5e-4, 0.1 if mains else 0.001), output_a=channel(out.current_accuracy, "A", 5e-4),
        output_w=channel(out.details.power_accuracy, "W", 0.02, 0.1), source_v=channel(into.voltage_accuracy, "V", 5e-4),
        seed=int(rng.integers(1, 2**31)),
    )  # fmt: skip
