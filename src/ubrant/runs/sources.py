"""What an outlook can rest on: the energy a run gave, or failing that a label."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from ubrant.core.battery.outlook import LABEL_HALF_WIDTH, Outlook, Width
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.quantities.quantity import plain, show, show_with
from ubrant.core.uncertainty.contributions import COVERAGE, rectangular
from ubrant.logbook.logbook import Logbook
from ubrant.methods.method import label_of
from ubrant.runs.accounts import summary_of


@dataclass(frozen=True)
class Source:
    """Energy to run from.

    Attributes
    ----------
    name, unit : for choosing, and of the thing itself
    energy_wh, energy_u : with its standard uncertainty
    told : where it comes from, in a line
    doubtful : what to know about it, empty when it was measured to its cut-off
    share : measured Wh over the label's, 1 where unknown
    run_id : None for a label
    """

    name: str
    unit: str
    energy_wh: float
    energy_u: float
    told: str
    doubtful: str
    share: float
    run_id: int | None

    def outlook(self, load: Width, efficiency_percent: Width, idle: Width, coming_in: Width, kept_share: float, kept_wh: float) -> Outlook:
        """A prediction from this source."""
        efficiency = Width(efficiency_percent.value / 100, efficiency_percent.half / 100)
        return Outlook(self.energy_wh, self.energy_u, self.told, load, efficiency, idle, coming_in, kept_share, kept_wh, self.share)


def sources(logbook: Logbook, most: int = 60) -> list[Source]:
    """Runs with an energy, the newest first, then the labels of units that were never tested."""
    known: list[Source] = []
    tested = set()
    for run, name in logbook.runs(limit=most):
        if run.state == "running":
            continue
        summary = summary_of(logbook, run)
        if summary is None or summary.energy is None:
            continue
        energy_wh, energy_u, whole, share = summary.energy
        tested.add(run.unit_id)
        doubtful = "" if whole else "The run did not reach its cut-off: there is at least so much."
        if energy_u is None:
            doubtful += " Nobody said how accurate the meter is, so its part is missing from the band."
        value, spread = show_with(energy_wh, energy_u)
        known.append(
            Source(
                f"{name or run.source}, run of {datetime.fromisoformat(run.started).astimezone():%-d %b %Y}",
                name or run.source,
                energy_wh,
                (energy_u or 0.0) / COVERAGE,
                f"measured: {value}{f' ± {spread}' if spread else ''} Wh",
                doubtful.strip(),
                share,
                run.id,
            )
        )
    for unit in logbook.units():
        label = label_of(unit)
        if unit.id not in tested and label is not None and label.energy_wh:
            description = f"label: {show_with(label.energy_wh, LABEL_HALF_WIDTH * label.energy_wh)[0]} Wh, taken as ± 10 %"
            doubtful = "Only the label says so: a test would narrow the band."
            known.append(
                Source(
                    f"{unit.name}, by its label",
                    unit.name,
                    label.energy_wh,
                    rectangular(LABEL_HALF_WIDTH * label.energy_wh),
                    description,
                    doubtful,
                    1.0,
                    None,
                )
            )
    return known


def outlook_path(name: str, outlook: Outlook) -> PowerPath:
    """Source → converter → load in watts, all worked out."""
    battery = Node("battery", name, f"{show(outlook.energy_wh, 4)} Wh", outlook.usable_wh / outlook.energy_wh, _kept_note(outlook))
    load = Node("load", "Load", f"{plain(outlook.load_w.value)} W")
    source, sink = Flow(outlook.source_w), Flow(outlook.load_w.value)
    lost = outlook.source_w - outlook.load_w.value
    if lost < 1e-9:
        return PowerPath((battery, load), (sink,), (None, None), (0.0, 0.0), "W")
    converter = Node("converter", "Converter", f"{plain(100 * outlook.efficiency.value)} %, idle {plain(outlook.idle_w.value)} W")
    return PowerPath((battery, converter, load), (source, sink), (None, f"{show(lost, 3)} W lost", None), (0.0, lost, 0.0), "W")


def _kept_note(outlook: Outlook) -> str:
    parts = []
    if outlook.stays_wh > 0:
        parts.append(f"{show(outlook.stays_wh, 3)} Wh kept back")
    if outlook.input_w.value:
        parts.append(f"{plain(outlook.input_w.value)} W coming in")
    return ", ".join(parts)
