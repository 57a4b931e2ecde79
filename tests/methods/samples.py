"""For every method a unit, a plan and lines as a person types them, so that what holds for all methods can be tested over all."""

from __future__ import annotations

from dataclasses import dataclass, field

from tests.making import BREAKER, HUT, PACK, prepared
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.methods.method import Prepared
from ubrant.methods.registry import entries

DC = Meter("Bench <meter>", "0.05 % + 2 mV", "0.2 % + 2 mA", max_v=60.0, max_a=100.0)
AC = Meter("Plug", "0.5 % + 0.5 V", "1 % + 10 mA", max_v=250.0, max_a=16.0, details=MeterDetails(power_accuracy="1 % + 0.3 W"))


@dataclass(frozen=True)
class Sample:
    unit: Unit
    typed: dict[str, str]
    lines: dict[float, str]
    meters: tuple[Meter, ...] = (DC, DC)
    battery: Unit | None = None
    on_bench: dict[str, str] = field(default_factory=dict)
    device: Unit | None = None

    def prepared(self, key: str, *, by_hand: bool = False) -> Prepared:
        return prepared(
            key, self.unit, self.meters, self.battery, device=self.device, **(self.typed if by_hand else {**self.typed, **self.on_bench})
        )


def _each(*lines: str) -> dict[float, str]:
    return {120.0 * k: line for k, line in enumerate(lines, start=1)}


SAMPLES = {
    "notes": Sample(Unit("", ""), {}, _each("12.9 V 5 A", "12.8 V 5.1 A load on", "12.7 V 5 A", "load off"), (DC,)),
    "discharge": Sample(
        Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4"),
        {"load": "0.5 A", "cutoff": "11 V", "temperature_c": "20 °C", "start": "charged overnight"},
        {
            0.0: "13.34 V",
            60.0: "load on 13.10 V 0.50 A",
            1800.0: "12.98 V 0.50 A",
            2900.0: "12.60 V 0.50 A",
            3300.0: "11.90 V 0.50 A",
            3500.0: "10.90 V 0.50 A load off",
            4000.0: "12.30 V",
        },
        on_bench={"every": "5 s", "rest_before": "20 s", "rest_after": "60 s", "zero_first": "yes"},
    ),
    "fullness": Sample(Unit("Van", "battery", "12 V 82 Ah lead-acid"), {"rested_s": "5 h"}, _each("12.37 V 0.00 A"), (DC,)),
    "sweep": Sample(
        Unit("Step-down", "converter", "12 V to 5 V, 2 A"),
        {"highest": "12 V", "lowest": "9 V", "step": "3 V", "loads": "0, 0.4, 1, 2 A"},
        _each(*(f"input {v} V {0.02 + p * 1.08 / v:.4f} A output 5.00 V {p / 5:.3f} A" for p in (0, 2, 5, 10) for v in (12.0, 9.0, 12.0))),
    ),
    "steps": Sample(
        HUT,
        {"loads": "0, 65, 150, 300 W", "hold": ""},
        _each(
            "input 12.6 V 0.36 A output 231 V 0 W 50 Hz",
            "input 12.3 V 5.8 A output 230 V 65 W 50 Hz",
            "input 12.0 V 13.8 A output 229 V 150 W 50 Hz",
            "input 11.6 V 29.3 A output 227 V 300 W 50 Hz",
            "load off",
            "source 12.5 V",
        ),
        (DC, AC),
        PACK,
        {"hold": "250 W"},
    ),
    "idle": Sample(HUT, {"seconds": "1 min"}, _each("input 12.8 V 0.00 A", "input 12.8 V 0.35 A", "input 12.8 V 0.04 A"), (DC,)),
    "trip": Sample(BREAKER, {"amps": "31, 45 A", "longest": "4 min"}, _each("31 A", "held", "45 A", "tripped"), (DC,)),
    "appliance": Sample(
        Unit("Lamp", "load", "230 V, 52 W"), {"modes": "standby, on"}, _each("231 V 0.01 A 0.5 W standby", "231 V 0.39 A 51 W on"), (AC,)
    ),
    "external-supply": Sample(
        Unit("Brick", "charger", "230 V to 19 V, 65 W"),
        {},
        _each(
            "input 73.0 W output 19.0 V 3.4 A",
            "input 54.0 W output 19.0 V 2.55 A",
            "input 36.3 W output 19.1 V 1.7 A",
            "input 18.6 W output 19.1 V 0.85 A",
            "input 0.21 W",
        ),
        (AC, DC),
    ),
}
SAMPLES["recharge"] = Sample(
    Unit("Bank", "bank", "20000 mAh 3.7 V"),
    {},
    {60.0: "source 97 % device empty", 4000.0: "source 80 % device 41 %", 9000.0: "source 55 % device full"},
    (DC,),
    device=Unit("Reader", "load", "5 Ah 3.85 V"),
)
SAMPLES["source"] = Sample(
    Unit("Odd cells", "source", ""),
    {},
    _each("6.31 V 0 A", "6.02 V 0.10 A", "5.71 V 0.20 A", "5.10 V 0.40 A", "3.90 V 0.80 A", "3.00 V 1.10 A", "2.10 V 1.40 A"),
    (DC,),
)
SAMPLES["capacitor"] = Sample(
    Unit("Exit buffer", "source", "100 F 5.4 V"),
    {},
    _each("5.40 V 0 A", "5.35 V 1.00 A", "4.15 V 1.00 A", "2.95 V 1.00 A", "1.75 V 1.00 A", "1.80 V 0 A"),
    (DC,),
)
SAMPLES["balance"] = Sample(
    Unit("Pack", "battery", "20 Ah 12.8 V LiFePO4"),
    {"loads": "0, 1, 3 A"},
    _each(
        "charger 13.9 V 2.00 A load 13.6 V 0 A battery 13.7 V -2.00 A",
        "charger 13.8 V 2.00 A load 13.4 V 1.00 A battery 13.5 V -1.00 A",
        "charger 13.5 V 2.00 A load 12.9 V 3.00 A battery 13.1 V 1.00 A",
    ),
    (DC, DC, DC),
)
SAMPLES["anything"] = Sample(
    Unit("Step-down", "converter", "12 V to 5 V, 8 A"),
    {},
    _each(
        "battery 12.61 V 0.80 A input 12.58 V output 5.02 V 1.80 A",
        "battery 12.55 V 1.62 A input 12.50 V output 5.01 V 3.61 A",
        "battery 12.47 V 3.30 A input 12.38 V output 4.99 V 7.20 A",
    ),
    (DC, DC, DC),
)
SAMPLES["ways"] = Sample(
    Unit("Hall station", "station", "500 Wh 25.6 V"),
    {"ways": "mains socket, 12 V socket"},
    _each("source 31 W load 19 W", "source 23 W"),
    (DC, DC),
    device=Unit("Dock", "load", "12 V, 20 W"),
)
SAMPLES["output"] = Sample(
    Unit("Bank", "bank", "10000 mAh 3.7 V"),
    {},
    {
        120.0: "load on output 5.08 V 1.00 A bank 100 %",
        6000.0: "output 5.07 V 1.00 A bank 71 %",
        21_000.0: "output 5.05 V 1.00 A bank 4 %",
        21_600.0: "empty",
    },
    (DC,),
)
SAMPLES["charger"] = Sample(
    Unit("Pack charger", "charger", "230 V to 14.6 V, 5 A"),
    {"low": "11 V", "high": "14.7 V"},
    _each("11.0 V 0.50 A", "11.5 V 0.50 A", "12.5 V 5.01 A", "13.5 V 5.02 A", "14.3 V 5.00 A", "14.59 V 2.60 A", "14.60 V 1.10 A"),
    (DC,),
    device=Unit("Pack A", "battery", "12.8 V 20 Ah LiFePO4"),
)
SAMPLES["port"] = Sample(
    Unit("Hall station", "station", "500 Wh 25.6 V, input 11-60 V 13 A 300 W"),
    {"candidates": "pack 11-14.6 V; pair 22-29.2 V"},
    _each("input 12.4 V 8.90 A pack", "input 28.8 V 7.00 A pair"),
    (DC,),
)
SAMPLES["brick"] = Sample(
    Unit("Brick", "charger", "230 V to 19 V, 65 W"),
    {"loads": "0, 1.5, 3.4 A"},
    _each("output 19.2 V 0 A", "output 19.1 V 1.5 A", "output 19.0 V 3.4 A"),
    (DC,),
)
SAMPLES["audit"] = Sample(
    Unit("Van battery", "battery", "12 V 95 Ah lead-acid"),
    {"loads": "lights, pump"},
    _each("12.63 V", "0.42 A", "2.10 A lights", "4.42 A pump", "6.10 A all on"),
    (DC,),
)
SAMPLES["plug-day"] = Sample(
    Unit("Fridge", "load", "230 V, 90 W"), {}, {60.0: "1.1 W", 120.0: "84 W", 180.0: "0 Wh", 87540.0: "0.874 kWh"}, (AC,)
)
SAMPLES["endurance"] = Sample(
    Unit("Night bank", "bank", "12000 mAh 3.7 V"),
    {"settings": "dim"},
    {60.0: "load on", 3600.0: "still on", 7200.0: "alarm", 8000.0: "empty"},
    (DC,),
)
SAMPLES["handover"] = Sample(
    Unit("Desk", "load", "12 V, 30 W"),
    {"sources": "mains, pack, its own", "least_v": "10.8 V"},
    _each("12.1 V runs", "11.6 V falters", "12.2 V runs", "12.4 V runs"),
    (DC,),
)
SAMPLES["emptying"] = Sample(
    Unit("Bank", "bank", "20000 mAh 3.7 V"),
    {"devices": "tablet 7.6 Ah 3.85 V; phone 11 Wh"},
    {
        60.0: "source 100 % device empty output 0.00 Wh",
        9000.0: "source 47 % device full output 36.2 Wh",
        9060.0: "source 47 % device 20 % output 36.2 Wh",
        14000.0: "source 33 % device full output 46.1 Wh",
    },
    (DC,),
)
SAMPLES["ladder"] = Sample(
    Unit("Torch", "load", "3.7 V, 2 W"),
    {"volts": "4.1, 3.6, 3.2, 2.9 V"},
    _each(
        "4.10 V 0.402 A runs",
        "3.60 V 0.421 A runs",
        "3.20 V 0.433 A dims",
        "2.90 V 0 A off",
        "3.20 V 0 A does not start",
        "3.60 V 0.421 A starts",
    ),
    (DC,),
)
SAMPLES["short-load"] = Sample(
    Unit("Gate block", "battery", "12 V 45 Ah lead-acid"),
    {"amps": "20 A", "lowest": "11 V"},
    {60.0: "12.71 V 0.00 A", 75.0: "12.55 V 10.0 A", 95.0: "12.39 V 20.0 A"},
    (DC,),
)
SAMPLES["round-trip"] = Sample(
    Unit("Hall station", "station", "500 Wh"),
    {},
    _each("input 0.0 Wh station 5 %", "input 566.0 Wh station full", "output 0.0 Wh station full", "output 402.0 Wh station 5 %"),
    (AC, AC),
)
SAMPLES["standing"] = Sample(Unit("Spare block", "battery", "12 V 45 Ah lead-acid"), {}, {60.0: "12.72 V", 28 * 86_400.0: "12.63 V"}, (DC,))
SAMPLES["joint"] = Sample(
    Unit("Fuse holder", "lead", "30 A fuse"),
    {"currents": "1, 5, 10, 20 A"},
    _each("1.4 mV 1.00 A", "6.1 mV 5.02 A", "12.3 mV 10.1 A", "25.2 mV 20.4 A warm"),
    (DC,),
)
SAMPLES["meter-check"] = Sample(
    Unit("Pack", "battery", "20 Ah 12.8 V LiFePO4"),
    {"quantity": "amperes", "points": "3"},
    _each("display 1.03 A reference 1.00 A", "display 5.15 A reference 5.00 A", "display 10.30 A reference 10.00 A"),
    (Meter("Clamp", "0.5 % + 10 mV", "2 % + 50 mA"), DC),
)
BY_HAND = [e.key for e in entries() if e.method.is_started]
ON_BENCH = [e.key for e in entries() if e.method.is_started and not e.method.by_eye and len(e.method.roads) > 1]
