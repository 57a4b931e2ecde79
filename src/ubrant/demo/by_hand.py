"""Runs of the star dome whose instruments are mostly displays: a simulated person reads them off and types, with a fixed seed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime

from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import Setup
from ubrant.demo.kit import BENCH_METER, BENCH_METER_TWO, CLAMP, PLUG_METER, STATION_DISPLAY, on_shelf
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import UnknownMethodError, method_of
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kept.found_of_meters import found_of_meter
from ubrant.runs.making.begin import start
from ubrant.runs.making.benches import BenchChoice
from ubrant.runs.typed.typed_session import TypedSession


@dataclass(frozen=True)
class ReadRun:
    """One such run: of what, fed to what, with which meters, and what was typed into its form."""

    method: str
    unit: str
    day: datetime
    device: str = ""
    meters: Mapping[str, Meter] = field(default_factory=dict)
    fields: Mapping[str, str] = field(default_factory=dict)


_NODE = {"charger": CLAMP, "load": BENCH_METER, "battery": BENCH_METER_TWO}
_WAYS = {"source": STATION_DISPLAY, "load": PLUG_METER}
_LAST_CHECK = datetime(2026, 11, 1, tzinfo=UTC)
READ = (
    ReadRun("output", "Ticket bank", datetime(2026, 9, 25, 8, 0, tzinfo=UTC), meters={"output": BENCH_METER}),
    ReadRun("output", "Ticket bank", datetime(2026, 9, 21, 8, 0, tzinfo=UTC), meters={"output": BENCH_METER}, fields={"amps": "0.25 A"}),
    ReadRun("recharge", "Ticket bank", datetime(2026, 9, 26, 9, 40, tzinfo=UTC), "Ticket tablet"),
    ReadRun("ways", "Hall station", datetime(2026, 9, 27, 17, 5, tzinfo=UTC), "Blower", _WAYS),
    ReadRun("ways", "Hall station", datetime(2026, 9, 29, 8, 0, tzinfo=UTC), "Exit light", _WAYS),
    ReadRun(
        "balance", "Dome pack A", datetime(2026, 9, 28, 10, 0, tzinfo=UTC), "", _NODE, {"loads": "0, 1.3, 2.6, 5.1, 7.6, 5.1, 2.6, 0 A"}
    ),
    ReadRun(
        "balance",
        "Backup module",
        datetime(2026, 10, 1, 9, 0, tzinfo=UTC),
        "",
        {**_NODE, "charger": BENCH_METER},
        {"loads": "0, 0.05, 0.1, 0.2, 0.3, 0.4, 0.6, 0.8, 0.6, 0.4, 0.3, 0.2, 0.1, 0.05, 0 A"},
    ),
    ReadRun("source", "Roof panel", datetime(2026, 9, 29, 8, 30, tzinfo=UTC), "", {"source": BENCH_METER}, {"points": "8"}),
    ReadRun("source", "Head-torch cells", datetime(2026, 9, 30, 9, 0, tzinfo=UTC), "", {"source": BENCH_METER}),
    ReadRun(
        "port",
        "Hall station",
        datetime(2026, 10, 2, 10, 0, tzinfo=UTC),
        "",
        {"input": BENCH_METER},
        {"candidates": "roof panel 14-21 V; pack A 10.8-14.6 V; step-up 47-49 V; cells 8-11 V"},
    ),
    ReadRun("capacitor", "Exit-light capacitors", datetime(2026, 10, 4, 9, 0, tzinfo=UTC), "", {"battery": BENCH_METER}, {"load_w": "3 W"}),
    ReadRun("charger", "Pack charger", datetime(2026, 10, 5, 9, 0, tzinfo=UTC), "Dome pack A", {"battery": BENCH_METER}),
    ReadRun("brick", "Laptop's brick", datetime(2026, 11, 8, 16, 0, tzinfo=UTC), "", {"output": BENCH_METER}),
    ReadRun("appliance", "Projector", datetime(2026, 11, 8, 14, 0, tzinfo=UTC), "", {"input": PLUG_METER}, {"modes": "standby, eco, full"}),
    ReadRun(
        "appliance", "Blower", datetime(2026, 10, 22, 17, 0, tzinfo=UTC), "", {"input": CLAMP}, {"modes": "off, low, high", "fed": "DC"}
    ),
    ReadRun(
        "handover",
        "Sound desk",
        datetime(2026, 10, 23, 16, 0, tzinfo=UTC),
        "",
        {"output": BENCH_METER},
        {"sources": "hall mains, pack B, its own battery", "least_v": "10.8 V"},
    ),
    ReadRun(
        "endurance", "Dome pack B", datetime(2026, 10, 23, 17, 30, tzinfo=UTC), "Sound desk", {}, {"settings": "as in the show, lamps half"}
    ),
    ReadRun(
        "audit",
        "Tow van battery",
        datetime(2026, 10, 30, 8, 30, tzinfo=UTC),
        "",
        {"battery": CLAMP},
        {"loads": "fridge box, roof light, charger, fan", "usable": "35 %"},
    ),
    ReadRun(
        "plug-day",
        "Hall fridge",
        datetime(2026, 11, 9, 9, 0, tzinfo=UTC),
        "",
        {"input": PLUG_METER},
        {"conditions": "17 °C in the hall, thermostat at 3", "wider": "20 %"},
    ),
    *(
        ReadRun(
            "meter-check",
            "Dome pack A",
            datetime(2026, month, 10, 18, 0, tzinfo=UTC),
            "",
            {"display": CLAMP, "reference": BENCH_METER},
            {"quantity": "amperes", "points": "6"},
        )
        for month in (8, 9, 10, 11)
    ),
    ReadRun(
        "external-supply", "Laptop's brick", datetime(2026, 11, 8, 15, 0, tzinfo=UTC), "", {"input": PLUG_METER, "output": BENCH_METER}
    ),
    ReadRun(
        "ladder",
        "Exit light",
        datetime(2026, 11, 12, 17, 0, tzinfo=UTC),
        "",
        {"input": BENCH_METER},
        {"volts": "14.5, 13.5, 12.5, 11.5, 11, 10.5, 10, 9.5, 9, 8.5 V"},
    ),
)


def read_them(logbook: Logbook, units: Mapping[str, Unit]) -> None:
    """Each from its begin to its end, as a simulated person types it."""
    for one in READ:
        try:
            method = method_of(one.method)
        except UnknownMethodError:
            continue
        meters = {tap: on_shelf(logbook, meter) for tap, meter in one.meters.items()}
        setup = Setup(units[one.unit], meters, Leads(0.0), device=units.get(one.device))
        run, session = start(logbook, method, method.prepare(setup, one.fields), BenchChoice(unattended=True), started=one.day)
        assert isinstance(session, TypedSession)
        while session.running:
            session.keep_up()
        run = logbook.run(run.id)
        if (found := found_of_meter(logbook, run, account_of(logbook, run)[1])) is not None and one.day < _LAST_CHECK:
            logbook.keep_meter(found[0])  # the last one waits for a person to take it
