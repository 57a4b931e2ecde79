"""Every battery and panel of a shelf against every port: a table."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import label_of
from ubrant.core.sources.matrix import Feeder, Fit, feeder_of_battery, feeder_of_panel, gives_into, with_learned
from ubrant.core.sources.port import PortLabel, read_port
from ubrant.core.uncertainty.finding import Finding
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kept.accounts import account_of_stored, summary_of

_PORTS = ("station", "bank", "charger", "load")
_NAMED = re.compile(r"\b(input|in|solar)\b", re.I)
"""Volts of which a label does not say that they go in may be what comes out."""
_LOOKED_AT = 8


@dataclass(frozen=True)
class PortOf:
    """A port on the shelf: its unit, its limits, and whether they were learned or stand on its label."""

    name: str
    port: PortLabel
    is_learned: bool
    own_wh: float | None


@dataclass(frozen=True)
class WhatFeeds:
    """``fits[k][j]``: feeder k at port j."""

    feeders: tuple[Feeder, ...]
    ports: tuple[PortOf, ...]
    fits: tuple[tuple[Fit, ...], ...]


def has_port(unit: Unit) -> bool:
    """Whether its label gives the window of an input."""
    return unit.kind in _PORTS and _NAMED.search(unit.label_text) is not None and read_port(unit.label_text).window is not None


def what_feeds(logbook: Logbook) -> WhatFeeds:
    """The table of a logbook as it is now."""
    units = logbook.units()
    ports = tuple(_port(logbook, unit) for unit in units if has_port(unit))
    feeders = tuple(f for unit in units if (f := _feeder(logbook, unit)) is not None)
    return WhatFeeds(feeders, ports, tuple(tuple(gives_into(f, p.port) for p in ports) for f in feeders))


def _port(logbook: Logbook, unit: Unit) -> PortOf:
    label = read_port(unit.label_text)
    found = _newest_with(logbook, unit, ("current_limit", "power_limit"))
    amps, watts = (found[key].value if key in found else None for key in ("current_limit", "power_limit"))
    held = label_of(unit)
    return PortOf(unit.name, with_learned(label, amps, watts), bool(found), held.energy_wh if held is not None else None)


def _feeder(logbook: Logbook, unit: Unit) -> Feeder | None:
    if unit.kind == "battery":
        label = label_of(unit)
        return feeder_of_battery(unit.name, label, _energy(logbook, unit, label.energy_wh)) if label is not None else None
    if unit.kind != "source":
        return None
    found = _newest_with(logbook, unit, ("open_circuit_voltage",))
    if not found:
        return None
    volts, power_v, power_w = (found[k].value for k in ("open_circuit_voltage", "maximum_power_voltage", "maximum_power"))
    return feeder_of_panel(unit.name, volts, power_v, power_w) if volts and power_v and power_w else None


def _energy(logbook: Logbook, unit: Unit, label_wh: float | None) -> float | None:
    """Measured to its end, else as its label says."""
    for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit.id):
        summary = summary_of(logbook, run)
        if summary is not None and summary.energy is not None and summary.energy[2]:
            return summary.energy[0]
    return label_wh


def _newest_with(logbook: Logbook, unit: Unit, keys: tuple[str, ...]) -> Mapping[str, Finding]:
    """Findings of the newest run of a unit that has one of these."""
    for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit.id):
        if run.state == "running":
            continue
        account = account_of_stored(logbook.kept(run).record())
        if any(key in account.findings for key in keys):
            return account.findings
    return {}
