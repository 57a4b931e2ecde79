"""A simulated person plugs one source after the other into a simulated input port."""

from __future__ import annotations

from ubrant.core.models.sources import InputPort
from ubrant.core.sources.port import PortLabel, read_candidates
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_RAMPS_S = 300.0
_USUAL = (12.0, 48.0)


def plugs_in(prepared: Prepared, reader: SimulatedEyes, label: PortLabel) -> ReadLines:
    """Each in the middle of its span; without any, three voltages of its window."""
    unit = prepared.setup.unit
    window = label.window or _USUAL
    port = InputPort(
        *window, reader.known(unit, "port_a", (label.amps or 8.0) * 0.96), reader.known(unit, "port_w", (label.watts or 120.0) * 0.97)
    )
    spans = [(f' "{c.name}"', (c.low_v + c.high_v) / 2) for c in read_candidates(prepared.plan.candidates)]
    spans = spans or [("", window[0] + share * (window[1] - window[0])) for share in (0.1, 0.45, 0.8)]
    for name, volts in spans:
        yield _RAMPS_S, f"input {reader.volts('input', volts)} {reader.amps('input', port.amps(volts))}{name}"
