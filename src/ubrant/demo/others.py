"""The star dome's converters, inverters, breaker and appliances on the simulated bench."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime

from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import Setup
from ubrant.demo.kit import BENCH_METER, BENCH_METER_TWO, CLAMP, LEADS, PLUG_METER, Coming, on_shelf
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import method_of
from ubrant.runs.making.begin import start_by_itself
from ubrant.runs.making.benches import BenchChoice

_WIDE = replace(BENCH_METER, max_a=100.0)


@dataclass(frozen=True)
class _Planned:
    """One test of the demo; ``changes`` are fields of the form as they are typed; ``same_as_last``: the one before on another unit."""

    unit: str
    method: str
    day: datetime
    meters: tuple[Meter, Meter] = (BENCH_METER, BENCH_METER_TWO)
    battery: str = ""
    leads: Leads = LEADS
    same_as_last: bool = False
    changes: Mapping[str, str] = field(default_factory=dict)


_ON_AC = (_WIDE, PLUG_METER)
_WALKED = {"loads": "1 A", "highest": "14 V", "lowest": "7 V", "step": "1 V"}
TESTS = (
    _Planned("Step-down two", "sweep", datetime(2026, 10, 24, 13, 0, tzinfo=UTC), changes={"loads": "0, 0.3, 1, 2.5, 4, 5 A"}),
    _Planned("Step-down one", "sweep", datetime(2026, 10, 24, 14, 30, tzinfo=UTC), changes={"loads": "0, 0.2, 0.6, 1.5, 2.4, 3 A"}),
    _Planned("Step-down one", "sweep", datetime(2026, 10, 24, 16, 0, tzinfo=UTC), changes=_WALKED),
    _Planned("Step-down two", "sweep", datetime(2026, 10, 24, 16, 40, tzinfo=UTC), changes=_WALKED, same_as_last=True),
    _Planned("Laptop step-up", "sweep", datetime(2026, 10, 25, 9, 30, tzinfo=UTC)),
    _Planned("Hut 300", "idle", datetime(2026, 10, 31, 9, 0, tzinfo=UTC), (BENCH_METER, BENCH_METER), changes={"seconds": "3 min"}),
    _Planned("Hall 1000", "idle", datetime(2026, 10, 31, 9, 30, tzinfo=UTC), (BENCH_METER, BENCH_METER), changes={"seconds": "3 min"}),
    _Planned("Step-down one", "idle", datetime(2026, 10, 31, 10, 0, tzinfo=UTC), (CLAMP, CLAMP)),
    _Planned(
        "Hut 300",
        "steps",
        datetime(2026, 10, 31, 11, 0, tzinfo=UTC),
        _ON_AC,
        "Dome pack A",
        changes={"loads": "0, 15, 30, 65, 100, 150, 225, 300 W", "hold": ""},
    ),
    _Planned(
        "Hall 1000",
        "steps",
        datetime(2026, 10, 31, 13, 0, tzinfo=UTC),
        _ON_AC,
        "Dome pack A",
        changes={"loads": "0, 30, 65, 130, 260, 390 W", "hold": "", "ratings": "leads 40 A, fuse 40 A"},
    ),
    _Planned(
        "Hut 300",
        "steps",
        datetime(2026, 11, 7, 9, 0, tzinfo=UTC),
        _ON_AC,
        "Hall block",
        Leads(3.0, 2.5),
        changes={"loads": "0, 65, 200 W", "hold": "200 W"},
    ),
    _Planned(
        "Attic 150",
        "steps",
        datetime(2026, 11, 7, 13, 0, tzinfo=UTC),
        _ON_AC,
        "Dome pack A",
        changes={"loads": "0, 20, 40, 65, 100, 150, 200 W", "hold": ""},
    ),
    _Planned(
        "Pack breaker",
        "trip",
        datetime(2026, 11, 8, 10, 0, tzinfo=UTC),
        (_WIDE, _WIDE),
        changes={"longest": "10 min", "curve": "1.05: over 1 h; 1.35: 60 s..30 min; 2: 4 s..60 s"},
    ),
)


def begin_others(logbook: Logbook, units: Mapping[str, Unit]) -> list[Coming]:
    """Everything in TESTS, to be carried out."""
    coming: list[Coming] = []
    for planned in TESTS:
        method = method_of(planned.method)
        meters = {tap: on_shelf(logbook, meter) for tap, meter in zip(method.taps, planned.meters, strict=False)}
        setup = Setup(units[planned.unit], meters, planned.leads, units.get(planned.battery))
        choice = BenchChoice(unattended=True)
        series = coming[-1].run.id if planned.same_as_last else 0
        prepared = method.prepare(setup, planned.changes)
        coming.append(Coming(*start_by_itself(logbook, method, prepared, choice, started=planned.day, series=series)))
    return coming
