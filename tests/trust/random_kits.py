"""Kits that differ, what the meters say of each piece, and what then becomes of them on the bench's own pack."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import Pack, PackParameters, pack_from_label
from ubrant.core.outlook.duty import Duty
from ubrant.core.outlook.kit import Input, Kit, Load, Source, Way
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.quantities.label import parse_label
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, under_options
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.runs.kits.measured import source_of

KINDS = (("lifepo4", 12.8, "LiFePO4", 11.0), ("li-ion", 14.8, "Li-ion", 12.4), ("lead-acid", 12.0, "lead-acid", 10.5))
VOLTS, AMPS = "0.1 % + 1 digit of 10 mV", "0.5 % + 1 digit of 10 mA"


@dataclass(frozen=True)
class Truth:
    """What nobody knows of a kit: its pack, what its way loses, what its loads draw and for how much of the time, what comes in."""

    pack: PackParameters
    cutoff_v: float
    loss: tuple[float, float, float]
    watts: tuple[float, ...]
    shares: tuple[float, ...]
    periods_s: tuple[float, ...]
    coming_in_w: float


def random_pack(rng: np.random.Generator) -> tuple[str, PackParameters, float]:
    """(its label, what it is, cut-off)."""
    _, volts, name, cutoff = KINDS[rng.integers(len(KINDS))]
    ah = float(np.exp(rng.uniform(math.log(5), math.log(100))).round(1))
    text = f"{ah:g} Ah {volts:g} V {name}"
    usual = pack_from_label(parse_label(text))
    harder = rng.uniform(0.7, 1.6)
    made = replace(
        usual,
        capacity_ah=usual.capacity_ah * rng.uniform(0.7, 1.05),
        r0_ohm=usual.r0_ohm * harder,
        r1_ohm=usual.r1_ohm * harder,
        r2_ohm=usual.r2_ohm * harder,
        protection_v=0.0,
    )
    return text, made, cutoff


def measured(rng: np.random.Generator, text: str, pack: PackParameters, cutoff: float, amps: float) -> Source:
    """The program's own account of a discharge at a steady current, with meters as wrong as they may be."""
    cell, dt = Pack(pack), pack.capacity_ah / amps * 3600 / 700
    read_v, t = [], 0.0
    for _ in range(1500):
        v = cell.step(amps, dt)
        read_v.append(v)
        t += dt
        if v < cutoff:
            break
    n = len(read_v)
    time = np.arange(n + 2) * dt
    volts = np.array(
        [cell.parameters.series * 0 + read_v[0] + amps * (pack.r0_ohm + pack.r1_ohm), *read_v, read_v[-1] + amps * pack.r0_ohm]
    )
    current = np.r_[0.0, np.full(n, amps), 0.0]
    gv, ga = rng.uniform(-1e-3, 1e-3), rng.uniform(-5e-3, 5e-3)
    shown_v = (volts * (1 + gv) + rng.uniform(-0.01, 0.01)).round(2)
    shown_a = np.where(current > 0, (current * (1 + ga) + rng.uniform(-0.01, 0.01)).round(2), 0.0)
    log = LogFile("pack.csv", time, shown_v, shown_a)
    unit = Unit("Pack", "battery", text)
    options = LogOptions(said={"cutoff": f"{cutoff} V"}, accuracies=(VOLTS, AMPS, "", ""), unit=unit, full=True)
    stored = under_options(from_log(log), options)
    record = stored.record()
    found = source_of(stored.run, record, account_of_stored(record))
    assert found is not None, account_of_stored(record).trouble
    return found


def random_kit(rng: np.random.Generator, *, like_measured: bool) -> tuple[Kit, Truth, float]:
    """(what is known of it, what it is, the current it was measured at)."""
    text, pack, cutoff = random_pack(rng)
    volts = parse_label(text).voltage_v or 12.0
    mean_a = pack.capacity_ah / np.exp(rng.uniform(math.log(3), math.log(20)))
    mean_w = mean_a * volts
    p0, a, b = rng.uniform(0.01, 0.08) * mean_w, rng.uniform(0.03, 0.12), rng.uniform(0.0, 0.04) / mean_w
    out_w = max((mean_w - p0) / (1 + a), 0.3 * mean_w)
    count = int(rng.integers(1, 4))
    parts = rng.dirichlet(np.full(count, 2.0)) * out_w
    shares = tuple(float(s) for s in np.where(rng.random(count) < 0.5, 1.0, rng.uniform(0.3, 0.95, count)))
    watts = tuple(float(w / s) for w, s in zip(parts, shares, strict=True))
    periods = tuple(float(x) for x in rng.uniform(300, 1500, count))
    coming = float(rng.uniform(0.1, 0.4) * mean_w) if rng.random() < 0.4 else 0.0
    net_a = mean_a - coming / volts
    amps = float((net_a if like_measured else net_a * np.exp(rng.uniform(math.log(0.35), math.log(2.8)))).round(2))
    amps = max(min(amps, pack.capacity_ah / 2), 0.1)
    source = measured(rng, text, pack, cutoff, amps)

    def about(value: float, share: float) -> Uncertain:
        u = share * value
        return Uncertain(value + u * float(rng.standard_normal()), u)

    loads = tuple(
        Load(f"load {k}", about(w, 0.006), Duty((), about(s, 0.01) if s < 1 else Uncertain(1.0), p), way="way")
        for k, (w, s, p) in enumerate(zip(watts, shares, periods, strict=True))
    )
    way = Way("way", loss=(about(p0, 0.02), about(a, 0.05), about(b, 0.05)))
    inputs = (Input("charger", about(coming, 0.02)),) if coming else ()
    return Kit((source,), loads, (way,), inputs), Truth(pack, cutoff, (p0, a, b), watts, shares, periods, coming), amps


def becomes_of(truth: Truth, rng: np.random.Generator) -> float:
    """Hours until its loaded volts reach the cut-off, every load cycling by itself."""
    cell, t, dt = Pack(truth.pack), 0.0, 20.0
    p0, a, b = truth.loss
    start = rng.random(len(truth.watts))
    v = cell.open_circuit_v()
    low_since = 0.0
    while t < 400 * 3600:
        out = sum(
            w for w, s, p, at in zip(truth.watts, truth.shares, truth.periods_s, start, strict=True) if s >= 1 or (t / p + at) % 1.0 < s
        )
        net = out + p0 + a * out + b * out * out - truth.coming_in_w
        amps = net / max(v, 1.0)
        before = v
        v = cell.step(amps, dt)
        t += dt
        if v < truth.cutoff_v:
            low_since += dt
            if low_since >= dt:
                share = (before - truth.cutoff_v) / (before - v) if before > v and before > truth.cutoff_v else 0.0
                return (t - dt + share * dt) / 3600
        else:
            low_since = 0.0
    return math.inf
