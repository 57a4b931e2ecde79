"""What the models, an outlook, a ranking and the comparison of runs of one unit say, for a few of each."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from tests.said import saying
from ubrant.core.battery.state_of_charge import from_resting_voltage
from ubrant.core.conversion.candidates import Job, rank, ranking_sentence
from ubrant.core.models.cell import Pack, cell_ocv, pack_from_label
from ubrant.core.models.circuit import Circuit
from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.core.outlook.answers import look, size, what_buys_time
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import LoadOn
from ubrant.core.record.head import SIMULATED, Origin, head_from_json
from ubrant.core.record.jot_text import is_jot_text
from ubrant.core.record.record import record_of
from ubrant.methods.registry import method_of
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_rows import INPUT, LOAD, SOURCE, WAY, kit_part_of
from ubrant.runs.kits.outlooks import cautions_of, goes_dark, sentence, size_sentence

_OF_A_CHEMISTRY = {
    "lead-acid": "12 V 45 Ah lead-acid",
    "lifepo4": "12.8 V 50 Ah LiFePO4",
    "li-ion": "7.2 V 10 Ah Li-ion",
    "nimh": "9.6 V 2.5 Ah NiMH",
}
MODELLED = tuple(_OF_A_CHEMISTRY)
_OUTLOOKS = (
    ([(SOURCE, "Pack 640 ± 24 Wh, usable 90 %"), (WAY, "inverter 86..90 %, idle 5..7 W"), (LOAD, "blower 60..64 W")], ""),
    ([(SOURCE, "bank 90 Wh, full 80 %"), (LOAD, "lamp ~5 W 8 of 20 min")], ""),
    ([(SOURCE, "Pack 500 ± 10 Wh, keep 120 Wh"), (WAY, "step-down 90 %, idle 1 W"), (LOAD, "radio 40 W"), (INPUT, "charger 40..80 W")], ""),
    (
        [
            (SOURCE, "Pack 50 Ah 12.8 V LiFePO4 label, usable 80 %"),
            (SOURCE, "Spare 300 Wh, swap 4 min"),
            (WAY, "inverter 88 %, idle 6 W, cut-off 11 V, leads 1.5 m 4 mm²"),
            (LOAD, "projector 90 W 18:00 to 20:00, 20:30 to 23:00, standby 2 W, start 200 W"),
            (LOAD, "fan 12 W, straight"),
            (INPUT, "panel 60 W sun 07:00 to 19:00"),
        ],
        "17:00",
    ),
)
_JOBS = (
    Job(11.5, 13.6, 10.0, 6.0, 500.0, 0.3),
    Job(8.0, 13.6, 3.0, 2.0, 300.0, 0.4, always_on=True),
    Job(10.0, 15.5, 200.0, 24.0, 640.0, 0.2),
)
_TEXTS = (
    "method: discharge\nunit: Pack\n12.9 V 5 A\n",
    "@14:32 12.9 V\n@14:40 12.8 V\n",
    "unit: Pack\n12.9 V\n",
    "@14:32 12.9 V\n12.8 V\n12.7 V\n12.6 V\n12.5 V\n12.4 V\n12.3 V\n",
    "time,volts\n0,12\n",
    "# only a remark\n",
    "label: 50 Ah\nmeter battery: Clamp\n+5min 12 V",
)


def of_chemistry(key: str) -> Iterator[str]:
    """A cell's chart, a pack of it under a load and pulses until it ends, and what its resting volts say."""
    yield f"open: {saying.text_of([cell_ocv(key, s) for s in np.linspace(-0.05, 1.05, 45)])}"
    label = parse_label(_OF_A_CHEMISTRY.get(key, "12 V 10 Ah"), key)
    kind = CHEMISTRIES[key]
    assert label.series
    for volts in np.linspace(0.8, 1.15, 15) * kind.nominal_v[0] * label.series:
        yield f"at rest {saying.number(volts)}: {saying.text_of(from_resting_voltage(float(volts), label.series, kind, 0.02))}"
    parameters = pack_from_label(label)
    yield saying.text_of(parameters)
    for amps, protection_a in ((0.2, 0.0), (1.5, 0.0), (4.0, 3.0)):
        pack = Pack(replace(parameters, protection_a=protection_a * parameters.capacity_ah, ambient_c=12.0), 0.97)
        told = []
        for k in range(400):
            volts = pack.step(0.0 if k % 40 < 4 else amps * parameters.capacity_ah, 60.0 if amps < 1 else 12.0)
            if k % 25 in {0, 4, 13}:
                told.append((volts, pack.soc, pack.temperature_c, pack.resistance_ohm(), pack.open_circuit_v()))
        yield f"{amps} C: {pack.tripped or 'held'} {saying.text_of([saying.text_of(np.array(part)) for part in told])}"
    for mode in ("A", "W", "R"):
        circuit = Circuit(Pack(parameters), 0.02)
        circuit.draw({"A": 5.0, "W": 60.0, "R": 4.0}[mode], {"A": "current", "W": "power", "R": "resistance"}[mode])
        for _ in range(30):
            circuit.step(60.0)
        yield f"{mode}: {saying.text_of([circuit.current_a, circuit.load_v, circuit.battery_v, circuit.charge_ah, circuit.energy_wh])}"
        circuit.draw(0.0)
        circuit.charge(8.0, kind.nominal_v[0] * label.series * 1.12)
        for _ in range(40):
            circuit.step(60.0)
        yield f"{mode}, charged: {saying.text_of([circuit.current_a, circuit.battery_v, circuit.charge_ah])}"


def of_converters() -> Iterator[str]:
    for parameters in (
        ConverterParameters(5.0, 0.1, 0.03, 0.004, 12.0, 0.02, 0.003, 7.5, 0.1, 6.0, 8.0, 3.3),
        ConverterParameters(
            230.0, 6.0, 0.06, 0.0002, 12.8, 1.0, shutoff_v=10.5, restart_v=12.0, limit_a=1.4, hertz=50.0, wave="stepped", economy_w=1.0
        ),
        ConverterParameters(230.0, 6.0, 0.06, 0.0002, 12.8, 1.0, hertz=60.0, wave="square"),
        ConverterParameters(120.0, 4.0, 0.05, 0.0003, 25.6, 0.5, hertz=60.0),
    ):
        made = Converter(parameters)
        for volts in (13.8, 12.0, 9.0, 7.2, 5.5, 7.0, 8.5, 12.5):
            currents = (0.0, 0.5, 1.3, 4.0)
            yield f"{volts} V: {saying.text_of([made.output(volts, a) for a in currents])} {saying.text_of([made.output_of_watts(volts, w) for w in (0.0, 2.0, 100.0)])}"
        if parameters.hertz:
            yield f"wave: {saying.text_of([saying.text_of(part) for part in made.wave(parameters.output_v)])}"


def of_outlooks() -> Iterator[str]:
    for rows, starts in _OUTLOOKS:
        kit = kit_of(kit_part_of(rows, starts))
        looked = look(kit, 300)
        yield saying.text_of([looked.runtime_s, looked.low_s, looked.high_s, looked.energy_wh, looked.lost_wh])
        yield " / ".join([sentence(looked), *goes_dark(looked), size_sentence(size(kit, 36_000.0)), *cautions_of(kit), *kit.remarks])
        yield saying.text_of(what_buys_time(kit))
        yield saying.text_of([f"{name} {wh:.6g}" for name, wh in (*looked.by_load, *looked.lost)])


def of_ranking(lines: list[str]) -> Iterator[str]:
    """Everything among the records that can be chosen for a job."""
    accounts = [method_of(r.head.method).account(r) for r in map(saying.record_from, lines)]
    candidates = [replace(a.candidate, name=f"number {k}") for k, a in enumerate(accounts) if a.candidate is not None]
    for job in _JOBS:
        ranked = rank(job, candidates)
        yield ranking_sentence(job, ranked)
        yield from map(saying.text_of, ranked)


def of_study(lines: list[str]) -> Iterator[str]:
    """Every discharge beside all the others, as if they were of one unit."""
    method = method_of("discharge")
    records = [r for r in map(saying.record_from, lines) if r.head.method == "discharge"]
    pairs = [(r, a) for r in records if not (a := method.account(r)).trouble]
    for number, (record, account) in enumerate(pairs):
        others = [pair for k, pair in enumerate(pairs) if k != number and abs(k - number) < 12]
        studied = method.study(account, record, lambda others=others: iter(others))
        new = {key: f for key, f in studied.findings.items() if key not in account.findings or f is not account.findings[key]}
        warned = [w for w in studied.warnings if w not in account.warnings]
        if new or warned:
            yield f"{number}: {saying.text_of(list(new.values()))} {' '.join(warned)}"


def of_live(lines: list[str]) -> Iterator[str]:
    """A discharge that is going on, at a third and at two thirds of what is expected: where it is heading, and what is drawn of it."""
    method = method_of("discharge")
    for line in lines:
        kept = json.loads(line)
        head = head_from_json(kept["head"])
        if head.method != "discharge" or not head.setup.meters:
            continue
        try:
            made = method.prepare(head.setup, kept["typed"])
            expected = method.expect(made)
        except ValueError:
            continue
        if expected is None or expected.load_on_s is None or not expected.until_s:
            continue
        for share, weaker in ((0.33, 0.0), (0.66, 0.0), (0.66, 0.06), (0.9, 0.0)):
            until = expected.load_on_s + share * expected.until_s[0]
            part = expected.readings.time_s <= until
            time, volts, amps = expected.readings.time_s[part], expected.readings.voltage_v[part], expected.readings.current_a[part]
            readings = {("battery", "V"): Series(time, volts * (1 - weaker * (time / until) ** 3)), ("battery", "A"): Series(time, amps)}
            record = record_of(method.head(made, Origin(SIMULATED)), readings, (LoadOn(expected.load_on_s),), (), "running")
            account = method.account(record, expected)
            yield f"{head.setup.unit.label_text} at {share}: {saying.text_of(account.ahead)} {account.trouble}"
            yield from map(saying.text_of, account.drawings())


def of_texts() -> Iterator[str]:
    yield from (f"{is_jot_text(text)}: {text!r}" for text in _TEXTS)
