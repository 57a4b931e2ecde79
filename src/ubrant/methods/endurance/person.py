"""A simulated person with a clock: on, a look now and then, the alarm, off."""

from __future__ import annotations

from ubrant.core.record.head import label_of
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_LOOK_S, _ALARM_SHARE, _USUAL_W, _USUAL_WH = 3600.0, 0.93, 40.0, 300.0


def watches(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """As long as what it holds lasts at what is drawn."""
    unit, device = prepared.setup.unit, prepared.setup.device
    label = label_of(unit)
    held = (label.energy_wh if label is not None and label.energy_wh else _USUAL_WH) * reader.known(unit, "health", 0.9, 0.08)
    watts = reader.known(device, "draws_w", _USUAL_W) if device is not None else _USUAL_W
    end = held / watts * 3600
    alarm = end * reader.known(unit, "alarm_at", _ALARM_SHARE)
    yield 60.0, "load on"
    now = 0.0
    while now + _LOOK_S < alarm:
        now += _LOOK_S
        yield _LOOK_S, "still on"
    yield alarm - now, "alarm"
    yield end - alarm, "empty"
