"""What the loads of a kit ask of its sources at each step, and what comes in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ubrant.core.outlook.draws import Drawn
from ubrant.core.outlook.duty import DAY_S, Duty
from ubrant.core.outlook.kit import CURRENT, RESISTANCE, Kit
from ubrant.core.quantities.readings import Array


@dataclass(frozen=True, eq=False)
class Demand:
    """At each of n steps, in each of D draws.

    Attributes
    ----------
    load_w : (n, L) mean W of each load, in the middle; those that follow the volts as on their plate
    bus_w, variance, peak_w : (n, D) at the sources: mean W, its variance over the duty, the most at once
    ohmic_s, amps : (n, D) siemens and amperes of what follows the volts
    into_w : (n, D) of what needs no starting
    started_w : (n, I, D) of what does, while it runs
    way_w, way_peak_w : (n, W, D) out of each way, mean while on and at the most
    lost_w : (n, W, D) in each way
    way_into_w : (n, W, D) into each way with all on that may be, starts left out
    lead_w : (n, W, D) in its leads
    is_on : (n, L) whether each may be on
    same_as_before : (n,) whether a step asks for what the one before did
    limited : ways that have a rating
    """

    load_w: Array
    bus_w: Array
    variance: Array
    peak_w: Array
    ohmic_s: Array
    amps: Array
    into_w: Array
    started_w: Array
    way_w: Array
    way_peak_w: Array
    lost_w: Array
    lead_w: Array
    way_into_w: Array
    is_on: npt.NDArray[np.bool_]
    same_as_before: npt.NDArray[np.bool_]
    limited: tuple[int, ...]


def demand_of(kit: Kit, drawn: Drawn, time_s: Array) -> Demand:
    """Over the steps between (n + 1,) edges in seconds from when it is switched on."""
    clock = ((time_s[:-1] + time_s[1:]) / 2 + kit.starts_s) % DAY_S
    asked = _Asked(kit, drawn, clock)
    for i in range(len(kit.loads)):
        asked.add(i)
    bus, variance, peak_w = asked.mean[:, -1], asked.variance[:, -1], asked.peak[:, -1] + asked.start[:, -1:]
    n, ways, count = len(clock), len(kit.ways), drawn.count
    lost, lead, into_way = (np.zeros((n, ways, count)) for _ in range(3))
    for j, way in enumerate(kit.ways):
        p0, a, b = drawn.fixed[j], drawn.proportional[j], drawn.resistive[j]
        mean, var, top = asked.mean[:, j], asked.variance[:, j], asked.peak[:, j] + asked.start[:, j : j + 1]
        idles = asked.open[:, j : j + 1] if way.switched else np.ones((n, 1), bool)
        lost[:, j] = np.where(idles, p0 + a * mean + b * (mean**2 + var), 0.0)
        into = mean + lost[:, j]
        if way.lead_ohm and kit.sources[0].curve is not None:
            lead[:, j] = way.lead_ohm * (into**2 + var) / asked.volts**2
        bus = bus + into + lead[:, j]
        variance = variance + var * (1 + a) ** 2
        on = asked.peak[:, j]
        into_way[:, j] = np.where(idles, on + p0 + a * on + b * on**2, 0.0)
        peak_w = peak_w + np.where(idles, top + p0 + a * top + b * top**2, 0.0)
    into_w, started_w = np.zeros((n, count)), np.zeros((n, len(kit.inputs), count))
    for i, one in enumerate(kit.inputs):
        comes = np.minimum(one.at(clock)[:, None] * drawn.coming_in[i], one.limit_w)
        if one.starts_at is None:
            into_w += comes
        else:
            started_w[:, i] = comes
    same = np.zeros(n, bool)
    same[1:] = (np.abs(np.diff(peak_w[:, 0])) <= _ALIKE) & (np.abs(np.diff(bus[:, 0])) <= _ALIKE)
    limited = tuple(j for j, way in enumerate(kit.ways) if np.isfinite(way.max_w) or np.isfinite(way.surge_w))
    peaks = asked.peak[:, :ways] + asked.start[:, :ways, None]
    return Demand(
        asked.load_w,
        bus,
        variance,
        peak_w,
        asked.ohmic,
        asked.amps,
        into_w,
        started_w,
        asked.mean[:, :ways],
        peaks,
        lost,
        lead,
        into_way,
        asked.is_on,
        same,
        limited,
    )


_ALIKE = 1e-9


class _Asked:
    """What the loads ask of each way, (n, W + 1, D); the last place is straight from the source."""

    def __init__(self, kit: Kit, drawn: Drawn, clock: Array) -> None:
        n, count, places = len(clock), drawn.count, len(kit.ways) + 1
        self._kit, self._drawn = kit, drawn
        self.is_on = np.array([_may_be_on(load.duty, clock) for load in kit.loads]).reshape(len(kit.loads), n).T
        self.mean, self.variance, self.peak = (np.zeros((n, places, count)) for _ in range(3))
        self.start = np.zeros((n, places))
        self.open = np.zeros((n, places), bool)
        self.ohmic, self.amps = np.zeros((n, count)), np.zeros((n, count))
        self.load_w = np.zeros((n, len(kit.loads)))
        self.volts = kit.sources[0].mean_v
        self._place = {way.name: j for j, way in enumerate(kit.ways)}

    def add(self, i: int) -> None:
        """The so-manieth load."""
        load, drawn = self._kit.loads[i], self._drawn
        on = self.is_on[:, i : i + 1]
        share = on * drawn.share[i]
        watts = drawn.load[i] * (self.volts if load.kind == CURRENT else 1.0)
        standby = drawn.standby[i]
        mean = share * watts + (1 - share) * standby
        self.load_w[:, i] = mean[:, 0]
        j = self._place.get(load.way, -1) if load.way else -1
        begins = self.is_on[:, i] & (np.r_[True, ~self.is_on[:-1, i]] | (load.duty.share.value < 1))
        extra = np.where(begins, max(load.start_w - float(watts[0]), 0.0), 0.0)
        self.start[:, j] = np.maximum(self.start[:, j], extra)
        if j < 0 and load.kind == RESISTANCE:
            self.ohmic += share * drawn.load[i] / max(load.at_v or self.volts, 1e-9) ** 2
        elif j < 0 and load.kind == CURRENT:
            self.amps += share * drawn.load[i]
        else:
            self.mean[:, j] += mean
            self.variance[:, j] += share * (1 - share) * (watts - standby) ** 2
            self.peak[:, j] += np.where(on, np.maximum(watts, standby), standby)
            self.open[:, j] |= self.is_on[:, i] | bool(load.standby.value > 0)


def _may_be_on(duty: Duty, clock: Array) -> npt.NDArray[np.bool_]:
    if not duty.windows:
        return np.ones(clock.shape, bool)
    found = np.zeros(clock.shape, bool)
    for start, end in duty.windows:
        found |= ((clock >= start) & (clock < end)) | ((clock + DAY_S >= start) & (clock + DAY_S < end))
    return found
