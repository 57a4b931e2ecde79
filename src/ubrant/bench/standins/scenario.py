"""What stands on the simulated bench: the pack, the leads, and how wrong each instrument is."""

from __future__ import annotations

import json
import zlib
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np

from ubrant.bench.standins.faults import Fault
from ubrant.core.models.cell import PackParameters, pack_from_label
from ubrant.core.models.shown import Imperfection, drawn_inside
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import Label

_FINE_S, _COARSE_S = 0.1, 0.4
_SLOW_RATE = 0.1
"""What is usually emptied slower than this, in multiples of its Ah, moves on in coarser steps: its runs last a day."""


@dataclass(frozen=True)
class Scenario:
    """Everything the world process is told. ``seed`` fixes the noise; ``free_speed`` is how fast it runs on once it is left alone,
    ``runs_free`` lets it run at that speed from the start, without anybody's clock; ``board_every_s`` is how often the board prints a line."""

    pack: PackParameters
    soc: float = 1.0
    lead_ohm: float = 0.015
    meter_v: Imperfection = field(default_factory=Imperfection)
    meter_a: Imperfection = field(default_factory=Imperfection)
    load_v: Imperfection = field(default_factory=Imperfection)
    load_a: Imperfection = field(default_factory=Imperfection)
    set_gain: float = 0.0
    load_max_a: float = 60.0
    seed: int = 1
    step_s: float = 0.1
    free_speed: float = 60.0
    linger_s: float = 5.0
    faults: tuple[Fault, ...] = ()
    runs_free: bool = False
    board_every_s: float = 0.0
    thermometer: Imperfection = field(default_factory=Imperfection)

    def to_json(self) -> str:
        return json.dumps(asdict(self))


def from_json(text: str) -> Scenario:
    """The scenario written by ``Scenario.to_json``."""
    data: dict[str, Any] = json.loads(text)
    channels: dict[str, Any] = {k: Imperfection(**data[k]) for k in ("meter_v", "meter_a", "load_v", "load_a", "thermometer")}
    channels["faults"] = tuple(Fault(**f) for f in data["faults"])
    return Scenario(**{**data, **channels, "pack": PackParameters(**data["pack"])})


def scenario_for(
    label: Label, voltage: Accuracy, current: Accuracy, lead_ohm: float, seed_text: str, stand_in: dict[str, Any] | None = None
) -> Scenario:
    """A bench for a unit: the pack its label suggests, a little better or worse, and meters inside their accuracy.

    Parameters
    ----------
    seed_text : names the thing and the run; the same text gives the same bench
    stand_in : what is known of the simulated thing: ``health`` (share of the label it truly holds), ``ambient_c``, ``resistance`` (factor)

    Raises
    ------
    ValueError
        The label does not say enough for a model.
    """
    rng = np.random.default_rng(zlib.crc32(seed_text.encode()))
    known = stand_in or {}
    usual, kind = pack_from_label(label), label.kind_of_cell
    health = float(known.get("health", rng.uniform(0.9, 1.04)))
    ohm = float(known.get("resistance", 1.0)) * (1 + 2.5 * max(0.0, 0.95 - health))
    pack = replace(
        usual,
        capacity_ah=usual.capacity_ah * health,
        r0_ohm=usual.r0_ohm * ohm,
        r1_ohm=usual.r1_ohm * ohm,
        r2_ohm=usual.r2_ohm * ohm,
        ambient_c=float(known.get("ambient_c", 20.0)),
    )
    return Scenario(
        pack=pack,
        lead_ohm=lead_ohm,
        seed=int(rng.integers(1, 2**31)),
        meter_v=drawn_inside(voltage, rng, noise=0.0006, digit=0.001),
        meter_a=drawn_inside(current, rng, noise=0.0015, digit=0.001),
        load_v=Imperfection(float(rng.uniform(-1, 1)) * 5e-4, float(rng.uniform(-1, 1)) * 5e-3, 0.001, 0.001),
        load_a=Imperfection(float(rng.uniform(-1, 1)) * 2e-3, float(rng.uniform(-1, 1)) * 5e-3, 0.001, 0.001),
        set_gain=float(rng.uniform(-1, 1)) * 1e-3,
        step_s=_FINE_S if kind is None or kind.standard_rate_c >= _SLOW_RATE else _COARSE_S,
    )
