"""The pieces of a kit: sources in their order, ways from source to load, loads, inputs."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np

from ubrant.core.outlook.duty import DAY_S, Duty
from ubrant.core.outlook.spread import ALL, NONE, Uncertain
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.quantities.readings import Array

EXPONENT = {"lead-acid": Uncertain(1.2, 0.0, 1.1, 1.3), "nimh": Uncertain(1.02, 0.0, 1.0, 1.08)}
LITHIUM_EXPONENT = Uncertain(1.02, 0.0, 1.0, 1.05)
"""Peukert's k where it was not measured. Common practice, no source."""
EXPONENT_BESIDE_SAG = {"lead-acid": Uncertain(1.09, 0.0, 1.0, 1.18), "nimh": Uncertain(1.01, 0.0, 0.98, 1.06)}
LITHIUM_BESIDE_SAG = Uncertain(1.005, 0.0, 0.98, 1.03)
"""The same where the volts are walked down to a cut-off: what they sag is not in it a second time. Common practice, no source."""
WALKED_U = 0.007
"""Of a battery's capacity, what a walk along its curve leaves out: a standard uncertainty. Common practice, no source."""
USUAL_PERIOD_S = 1800.0
"""One turn of on and off where nobody said. Common practice, no source."""
GENTLEST = 0.2
"""Of the rate it was measured at: under that a battery gives no more for being used more gently."""
WIDE_OHM = 0.5
"""Half-width of a resistance that was guessed from the kind of cell, as a share of it. Common practice, no source."""
CONSTANT, SUN, RECORDED = "constant", "sun", "recorded"


@dataclass(frozen=True, eq=False)
class DischargeCurve:
    """A battery's voltage on the way down.

    Attributes
    ----------
    share : (m,) rising 0 to 1, of the capacity that was used
    volts : (m,) at the terminals at ``rate_a``
    rate_a : current it was measured at; 0 for voltages at rest
    ohm : resistance that current drops more volts across
    cutoff_v : under this loaded voltage its own protection, or the person, ends it; 0 for none
    """

    share: Array
    volts: Array
    rate_a: float
    ohm: Uncertain
    cutoff_v: float = 0.0


@dataclass(frozen=True)
class Source:
    """What it runs from.

    Attributes
    ----------
    capacity : Wh, or Ah where there is a ``curve``
    usable : share of it that may be used, 0 to 1
    kept_wh : kept back besides, for a task
    exponent : Peukert's k against ``rate_a`` (A, or W without a curve); 1 where the rate does not matter or nobody knows at what it was measured
    rate : what it was measured at, in A with a curve and in W without; None where nobody knows
    full : share it starts with
    max_w : it gives no more; inf for no limit
    swap_s : how long the loads stand still before it takes over
    stored : share of what is charged into it that comes out again
    plug : what it is plugged in by, in words: size, gender, polarity
    nominal_v, chemistry, series : as its label says; 0 and "" where nobody knows
    taper_from : share of full from which a charger tapers down to nothing at full; 1 for none
    why : where its figures come from
    """

    name: str
    capacity: Uncertain
    curve: DischargeCurve | None = None
    usable: float = 1.0
    kept_wh: float = 0.0
    exponent: Uncertain = ALL
    rate: float | None = None
    full: Uncertain = ALL
    max_w: float = math.inf
    swap_s: float = 0.0
    stored: float = 1.0
    taper_from: float = 1.0
    nominal_v: float = 0.0
    chemistry: str = ""
    series: int = 0
    plug: str = ""
    why: str = ""

    @property
    def mean_v(self) -> float:
        """Mean voltage over its use; 1 without a curve: its Wh count as they are."""
        return float(np.trapezoid(self.curve.volts, self.curve.share)) if self.curve is not None else 1.0

    @property
    def energy_wh(self) -> float:
        """In the middle, full."""
        return self.capacity.value * self.mean_v

    @property
    def usable_wh(self) -> float:
        return max(0.0, self.energy_wh * (self.full.value - (1 - self.usable)) - self.kept_wh)


@dataclass(frozen=True)
class Way:
    """What stands between source and loads.

    Attributes
    ----------
    efficiency, idle : without and with nothing attached; or else
    loss : (p₀, a, b) of P_loss = p₀ + a·P + b·P²
    cutoff_v : loaded volts at its input under which it goes off
    max_w, surge_w : what it carries for ever, and at a start
    lead_ohm : of both conductors between source and it
    fuse_a : what its fuse or breaker at the source carries for ever; a start passes it
    window : volts that may stand at its input: over them is damage
    mains : what comes out of it can kill
    switched : it stands idle only while one of its loads may be on
    """

    name: str
    efficiency: Uncertain = ALL
    idle: Uncertain = NONE
    loss: tuple[Uncertain, Uncertain, Uncertain] | None = None
    cutoff_v: float = 0.0
    max_w: float = math.inf
    surge_w: float = math.inf
    lead_ohm: float = 0.0
    switched: bool = False
    fuse_a: float = math.inf
    window: tuple[float, float] | None = None
    mains: bool = False
    plug: str = ""
    why: str = ""


POWER, CURRENT, RESISTANCE = "power", "current", "resistance"


@dataclass(frozen=True)
class Load:
    """What is run.

    Attributes
    ----------
    drawn : W, or A for CURRENT, while it is on
    kind : POWER, CURRENT, or RESISTANCE (its W are those at ``at_v``); the latter two follow the volts only straight from a source
    standby : W while it is not on
    start_w : peak when it comes on; 0 for none
    gives_up_v : under these volts it works no more; only straight from a source
    way : name of its way; "" for straight from the source
    window : volts that may stand at it, straight from the source
    guessed : its hours are a guess, and it is not ranked
    """

    name: str
    drawn: Uncertain
    duty: Duty = field(default_factory=Duty)
    kind: str = POWER
    at_v: float = 0.0
    standby: Uncertain = NONE
    start_w: float = 0.0
    gives_up_v: float = 0.0
    way: str = ""
    guessed: bool = False
    window: tuple[float, float] | None = None
    plug: str = ""
    why: str = ""


@dataclass(frozen=True, eq=False)
class Input:
    """What comes in at the source.

    Attributes
    ----------
    watts : while it comes in; of SUN the most of a day, at the middle of its window
    duty : its windows
    shape : CONSTANT, SUN (half a sine over each window), RECORDED
    limit_w : of its circuit, socket or charger
    record : RECORDED: (n,) seconds of the day rising, and (n,) W
    starts_at, until : it is started when so little is left, as at an alarm, and runs until so much is; None for one that needs no starting
    """

    name: str
    watts: Uncertain
    duty: Duty = field(default_factory=Duty)
    shape: str = CONSTANT
    limit_w: float = math.inf
    record: tuple[Array, Array] | None = None
    starts_at: float | None = None
    until: float = 0.98
    why: str = ""

    def at(self, second_of_day: Array) -> Array:
        """(n,) share of its watts at these seconds of the day."""
        s = np.asarray(second_of_day) % DAY_S
        if self.shape == RECORDED and self.record is not None:
            top = max(float(self.record[1].max()), 1e-12)
            return np.asarray(np.interp(s, *self.record, left=0.0, right=0.0) / top)
        if not self.duty.windows:
            return np.full(s.shape, self.duty.share.value)
        found = np.zeros(s.shape)
        for start, end in self.duty.windows:
            for shift in (0.0, DAY_S):
                there = (s + shift >= start) & (s + shift < end)
                shape = np.sin(np.pi * (s + shift - start) / (end - start)) if self.shape == SUN else 1.0
                found = np.where(there, np.maximum(found, shape), found)
        return found * self.duty.share.value


@dataclass(frozen=True)
class Kit:
    """Everything together; ``starts_s`` is the second of the day it is switched on, ``remarks`` what could not be taken into account."""

    sources: tuple[Source, ...]
    loads: tuple[Load, ...]
    ways: tuple[Way, ...] = ()
    inputs: tuple[Input, ...] = ()
    starts_s: float = 0.0
    name: str = ""
    remarks: tuple[str, ...] = ()

    def way_of(self, load: Load) -> Way | None:
        """What it goes through; None for straight from the source."""
        return next((way for way in self.ways if way.name == load.way), None) if load.way else None

    @property
    def varies(self) -> bool:
        """Whether anything comes and goes by the clock."""
        duties = [load.duty for load in self.loads] + [one.duty for one in self.inputs]
        return any(duty.windows for duty in duties) or any(i.shape != CONSTANT or i.starts_at is not None for i in self.inputs)


def exponent_of(chemistry: str | None, *, beside_sag: bool = False) -> Uncertain:
    """Peukert's k of a kind of cell that was measured at one rate only; ``beside_sag``: where its volts are walked to a cut-off."""
    if chemistry is None:
        return Uncertain(1.0)
    return EXPONENT_BESIDE_SAG.get(chemistry, LITHIUM_BESIDE_SAG) if beside_sag else EXPONENT.get(chemistry, LITHIUM_EXPONENT)


def curve_at_rest(chemistry: str, series: int, ohm: Uncertain, cutoff_v: float = 0.0) -> DischargeCurve | None:
    """By the resting chart of its kind; None where that has none."""
    kind = CHEMISTRIES[chemistry]
    if not kind.rest_chart:
        return None
    volts, percent = np.array(kind.rest_chart, float).T
    share = 1 - percent / 100
    if share[-1] < 1:
        share, volts = np.append(share, 1.0), np.append(volts, kind.usual_cutoff_v)
    return DischargeCurve(share, volts * series, 0.0, ohm, cutoff_v)


def highest_v(source: Source) -> float | None:
    """The most that may stand at its terminals: the end of charging of its cells, else what its curve begins with; None where nobody knows."""
    kind = CHEMISTRIES.get(source.chemistry)
    if kind is not None and source.series:
        return kind.charged_v[2] * source.series
    return float(source.curve.volts.max()) if source.curve is not None else None


def with_volts(source: Source) -> Source | None:
    """A source of Wh with the volts of its kind, holding as many Wh as before; None where its cells are not known."""
    if source.curve is not None or not source.chemistry or not source.series or not source.nominal_v:
        return source if source.curve is not None else None
    ah = source.capacity.value / source.nominal_v
    curve = curve_at_rest(source.chemistry, source.series, usual_ohm(source.chemistry, source.series, ah))
    if curve is None:
        return None
    mean = float(np.trapezoid(curve.volts, curve.share))
    return replace(source, capacity=source.capacity.times(1 / mean), curve=curve, rate=None, exponent=Uncertain(1.0))


def usual_ohm(chemistry: str, series: int, ah: float) -> Uncertain:
    """A first guess at a pack's resistance, wide."""
    ohm = CHEMISTRIES[chemistry].usual_ohm(series, ah)
    return Uncertain(ohm, 0.0, (1 - WIDE_OHM) * ohm, (1 + WIDE_OHM) * ohm)
