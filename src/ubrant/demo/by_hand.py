"""Runs of the star dome that are typed: what a person reads off simulated things, their displays and meters, with a fixed seed."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime

from ubrant.bench.orders import Order
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.models.cell import Pack, pack_from_label
from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.core.models.shown import gauss
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.label import parse_label
from ubrant.core.record.head import Setup
from ubrant.demo.kit import BENCH_METER, BENCH_METER_TWO, CLAMP, PLUG_METER, STATION_DISPLAY, WatchedClock
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import UnknownMethodError, method_of
from ubrant.runs.begin import start_by_hand
from ubrant.runs.jotting import take_down

Lines = Iterator[tuple[float, str]]
"""(minutes since the line before, what is typed)."""
_STEP_S = 10.0
_SEED = 20261

BOOST = ConverterParameters(output_v=5.1, fixed_w=0.28, proportional=0.07, resistive_per_w=0.004, nominal_in_v=3.7, output_ohm=0.02)
STATION_AC = ConverterParameters(output_v=230.0, fixed_w=9.5, proportional=0.07, resistive_per_w=0.0003, nominal_in_v=25.6, hertz=50.0)
STATION_DC = ConverterParameters(output_v=12.6, fixed_w=1.1, proportional=0.045, resistive_per_w=0.0005, nominal_in_v=25.6)


@dataclass(frozen=True)
class Typed:
    """One typed run: of what, fed to what, with which meters, and what was typed into its form."""

    method: str
    unit: str
    day: datetime
    lines: Lines
    device: str = ""
    meters: Mapping[str, Meter] = field(default_factory=dict)
    fields: Mapping[str, str] = field(default_factory=dict)


def _read(true: float, meter: Meter, unit: str, digits: int, step: int) -> str:
    """What a meter of the shelf shows: off by a gain and a zero of its own, within its limits, and a last digit."""
    accuracy = meter.accuracy(unit)
    assert accuracy is not None
    if not true:
        return f"{0.0:.{digits}f}"
    gain = 0.5 * accuracy.gain * math.tanh(gauss(_SEED, f"{meter.name} {unit} gain", 0))
    zero = 0.5 * accuracy.zero * math.tanh(gauss(_SEED, f"{meter.name} {unit} zero", 0))
    noise = 0.2 * 10.0**-digits * gauss(_SEED, f"{meter.name} {unit}", step)
    return f"{true * (1 + gain) + zero + noise:.{digits}f}"


def recharge_lines() -> Lines:
    """The bank fills the tablet through its 5 V port; both have displays in whole percent, the bank's not quite straight."""
    bank = Pack(pack_from_label(parse_label("24 000 mAh 3.7 V")), 0.96)
    tablet = Pack(pack_from_label(parse_label("7.6 Ah 3.85 V")), 0.004)
    boost = Converter(BOOST)

    def display(soc: float) -> int:
        return round(100 * min(max(soc + 0.02 * math.sin(2 * math.pi * soc), 0.0), 1.0))

    yield 0.0, f"source {display(bank.soc)} % device empty"
    minutes, amps, since = 0.0, 2.0, 0.0
    while True:
        volts = tablet.voltage_v(-amps)
        if volts >= 4.2:  # constant voltage from here on
            amps = max(0.0, (4.2 - tablet.open_circuit_v()) / max(tablet.resistance_ohm() + 0.02, 1e-3))
        if amps < 0.2 and tablet.soc > 0.5:
            break
        tablet.step(-amps, _STEP_S)
        watts = max(volts, 3.0) * amps / 0.9  # its own charging circuit
        cell_v = bank.voltage_v(3.0)
        _, _, into = boost.output_of_watts(cell_v, watts)
        bank.step(into, _STEP_S)
        minutes, since = minutes + _STEP_S / 60, since + _STEP_S / 60
        if since >= 40.0:
            yield since, f"source {display(bank.soc)} % device {display(tablet.soc)} %"
            since = 0.0
    yield since, f"source {display(bank.soc)} % device full"


def ways_lines() -> Lines:
    """The blower's 12 V motor takes 38 W; by the mains socket its own brick is between. The station's display shows whole watts."""
    brick = 1 / 0.86
    for minutes, parameters, way, watts in ((0.0, STATION_AC, "mains socket", 38.0 * brick), (12.0, STATION_DC, "12 V socket", 38.0)):
        _, _, amps = Converter(parameters).output_of_watts(25.6, watts)
        taken = f"load {_read(watts, PLUG_METER, 'W', 1, 1)} W " if way == "mains socket" else ""
        yield minutes, f'source {25.6 * amps:.0f} W {taken}"{way}"'


def balance_lines() -> Lines:
    """A charger held at 4 A and dew heaters, fan and laptop one after the other on pack A, up and down again."""
    pack = Pack(pack_from_label(parse_label("12.8 V 50 Ah LiFePO4")), 0.6)
    for step, load in enumerate((0.0, 1.3, 2.6, 5.1, 7.6, 5.1, 2.6, 0.0)):
        battery = load - 4.0
        for _ in range(30):
            pack.step(battery, _STEP_S)
        volts = pack.voltage_v(battery)
        amps = (
            f"charger {_read(4.0, CLAMP, 'A', 2, step)} A",
            f"load {_read(volts - 0.012 * load, BENCH_METER, 'V', 2, step)} V {_read(load, BENCH_METER, 'A', 3, step)} A",
            f"battery {_read(battery, BENCH_METER_TWO, 'A', 3, step)} A",
        )
        yield 5.0 if step else 1.0, " ".join(amps)


def panel_lines() -> Lines:
    """The roof panel on a dull morning: a diode's law, loaded more and more by lamps."""
    short, open_v, knee = 1.65, 20.4, 1.25
    for step, amps in enumerate((0.0, 0.4, 0.8, 1.1, 1.3, 1.45, 1.52, 1.58, 1.62)):
        volts = open_v + knee * math.log(max(1 - amps / short, 1e-6)) - 0.25 * amps
        yield 2.0, f"{_read(volts, BENCH_METER, 'V', 2, step)} V {_read(amps, BENCH_METER, 'A', 3, step)} A"


def typed_runs() -> tuple[Typed, ...]:
    return (
        Typed("recharge", "Ticket bank", datetime(2026, 9, 26, 9, 40, tzinfo=UTC), recharge_lines(), "Ticket tablet"),
        Typed(
            "ways",
            "Hall station",
            datetime(2026, 9, 27, 17, 5, tzinfo=UTC),
            ways_lines(),
            "Blower",
            {"source": STATION_DISPLAY, "load": PLUG_METER},
        ),
        Typed(
            "balance",
            "Dome pack A",
            datetime(2026, 9, 28, 10, 0, tzinfo=UTC),
            balance_lines(),
            "",
            {"charger": CLAMP, "load": BENCH_METER, "battery": BENCH_METER_TWO},
            {"loads": "0, 1.3, 2.6, 5.1, 7.6, 5.1, 2.6, 0 A"},
        ),
        Typed(
            "source", "Roof panel", datetime(2026, 9, 29, 8, 30, tzinfo=UTC), panel_lines(), "", {"source": BENCH_METER}, {"points": "8"}
        ),
    )


def type_them(logbook: Logbook, units: Mapping[str, Unit]) -> None:
    """Each line as a person types it, at its time."""
    for one in typed_runs():
        try:
            method = method_of(one.method)
        except UnknownMethodError:
            continue
        setup = Setup(units[one.unit], one.meters, Leads(0.0), device=units.get(one.device))
        run, session = start_by_hand(logbook, method, method.by_person(method.prepare(setup, one.fields)), WatchedClock, one.day)
        clock = session.clock
        assert isinstance(clock, WatchedClock)
        for minutes, text in one.lines:
            clock.time_s += 60 * minutes
            jotting = Grammar().parse(text)
            assert jotting is not None
            assert not session.lacks(jotting), session.lacks(jotting)
            take_down(logbook, run, jotting, clock.time_s, session)
        session.order(Order.END)
