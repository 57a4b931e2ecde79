"""A simulated person at a node of charger, battery and load: a charger held at its current, or a backup module with a cell of its own."""

from __future__ import annotations

from ubrant.core.models.bank import of_a_unit
from ubrant.core.models.cell import Pack
from ubrant.core.models.sources import BackupModule
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared

_STEP_S, _DWELL_S = 10.0, 600.0
_LEAD_OHM = 0.012


def sweeps(prepared: Prepared, reader: SimulatedEyes) -> ReadLines:
    """The loads in their order, each until all stands still."""
    unit, loads = prepared.setup.unit, [a for a in prepared.plan.loads if a == a]
    cells = of_a_unit(unit.label, unit.stand_in, reader.known(unit, "health", 0.97))
    kind = CHEMISTRIES[cells.chemistry]
    limit_a = reader.known(unit, "charger_a", 0.62 * max(loads, default=1.0))
    pack = Pack(cells, reader.known(unit, "soc", 0.6))
    is_module = "again_v" in unit.stand_in
    module = BackupModule(
        pack,
        limit_a,
        again_v=reader.known(unit, "again_v", 99.0 * cells.series),
        full_v=kind.charged_v[1] * cells.series,
        charging=not is_module,
    )
    for load_a in loads:
        charger_a = battery_a = volts = 0.0
        for _ in range(round(_DWELL_S / _STEP_S)):
            charger_a, battery_a, volts = module.step(load_a, _STEP_S)
        load = f"load {reader.volts('load', volts - _LEAD_OHM * load_a)} {reader.amps('load', load_a)}"
        yield (
            _DWELL_S,
            f"charger {reader.amps('charger', charger_a)} {load} battery {reader.volts('battery', volts)} {reader.amps('battery', battery_a)}",
        )
