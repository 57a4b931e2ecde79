"""The energy account along one power path: what each node hands on, and what is lost between two taps."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.integrals import totals


@dataclass(frozen=True)
class PathNode:
    """One box: ``kind`` battery, leads or load; ``level`` 0 to 1 fills it; ``note`` stands below."""

    kind: str
    title: str
    detail: str = ""
    level: float | None = None
    note: str = ""


@dataclass(frozen=True)
class Flow:
    """What goes from one node to the next, in W or Wh, with the tap's own values and how it is known.

    ``meter`` is the meter's name at the tap, empty where the value is worked out; ``between`` says where it lies that nothing determines.
    """

    amount: float | None
    volts: float | None = None
    amps: float | None = None
    meter: str = ""
    between: str = ""


@dataclass(frozen=True)
class PowerPath:
    """Nodes, the flows between them (one fewer), and the loss in each node (None where there is none to name).

    ``joins`` is what meets them at the second node: its box and what comes from it, negative where it takes.
    """

    nodes: tuple[PathNode, ...]
    flows: tuple[Flow, ...]
    losses: tuple[str | None, ...]
    loss_amounts: tuple[float, ...]
    unit: str
    joins: tuple[PathNode, Flow] | None = None


def watts(
    nodes: tuple[PathNode, ...],
    battery: tuple[float, float] | None,
    load: tuple[float, float] | None,
    meters: tuple[str, str],
    lead_ohm: float,
    accuracy: tuple[Accuracy | None, Accuracy | None],
) -> PowerPath:
    """Battery → leads → load at one moment.

    Parameters
    ----------
    battery, load : (V, A) at each tap; None where nothing was read. A missing load tap is worked out from the leads' resistance
    meters : names at the two taps
    accuracy : of volts and amperes at the battery, to tell a loss from a difference between meters
    """
    if battery is None:
        empty = Flow(None, meter=meters[0]), Flow(None, meter=meters[1])
        return PowerPath(nodes, empty, (None,) * len(nodes), (0.0,) * len(nodes), "W")
    volts, amps = battery
    source = Flow(volts * amps, volts, amps, meters[0])
    if load is None:
        load_v = volts - amps * lead_ohm
        sink = Flow(load_v * amps, load_v, amps)
    else:
        sink = Flow(load[0] * load[1], load[0], load[1], meters[1])
    uncertainty = sum(a.limit(v) * other for a, v, other in ((accuracy[0], volts, amps), (accuracy[1], amps, volts)) if a)
    return _with_loss(nodes, source, sink, uncertainty, "W")


def watt_hours(
    nodes: tuple[PathNode, ...],
    battery_wh: float,
    battery_u: float | None,
    load: Readings | None,
    between_s: tuple[float, float],
    meters: tuple[str, str],
) -> PowerPath:
    """Battery → leads → load over a run; without readings at the load the path is battery → load.

    ``battery_u`` is the expanded uncertainty of the energy at the battery, ``between_s`` the stretch it holds for.
    """
    source = Flow(battery_wh, meter=meters[0])
    if load is None or len(load) < 2:
        direct = tuple(n for n in nodes if n.kind != "leads")
        return PowerPath(direct, (source,), (None,) * len(direct), (0.0,) * len(direct), "Wh")
    inside = (load.time_s >= between_s[0]) & (load.time_s <= between_s[1])
    energy = totals(load.time_s[inside], load.voltage_v[inside], load.current_a[inside]).energy_wh if inside.any() else 0.0
    return _with_loss(nodes, source, Flow(energy, meter=meters[1]), battery_u or 0.0, "Wh")


def _with_loss(nodes: tuple[PathNode, ...], source: Flow, sink: Flow, uncertainty: float, unit: str) -> PowerPath:
    lost = (source.amount or 0.0) - (sink.amount or 0.0)
    if (source.amount or 0.0) <= 0.05:
        text, amount = None, 0.0
    elif lost > uncertainty:
        text, amount = f"{show(lost, 2 if lost < 100 else 3)} {unit} lost", lost
    else:
        text, amount = f"under {show(max(uncertainty, lost, 0.001), 2)} {unit} lost", max(lost, 0.0)
    return PowerPath(nodes, (source, sink), (None, text, None), (0.0, amount, 0.0), unit)
