"""What every method finds, by every road, as it stands before records and accounts are one: a logbook, its exports, logs from elsewhere, and the findings of all of them.

``python -m tests.goldens.make_goldens``, run once; what it wrote is never written again.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from tests.making import falling, small_plan
from ubrant.bench.engine import Order
from ubrant.core.converter import Converter, ConverterParameters
from ubrant.core.ending import Ends
from ubrant.core.finding import Finding
from ubrant.core.jot import Grammar
from ubrant.core.leads import Leads
from ubrant.core.meter import Meter, MeterDetails
from ubrant.core.unit import Unit
from ubrant.demo.kit import WatchedClock
from ubrant.logbook.exporting import export_csv, export_jots, export_package
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import StoredEvent
from ubrant.methods.discharge.procedure import ChargePlan
from ubrant.runs.benches import BY_HAND
from ubrant.workshop.continuing import go_on
from ubrant.workshop.jotting import take_down
from ubrant.workshop.running import new_run, start_discharge
from ubrant.workshop.trials.registry import trial_of, trial_view
from ubrant.workshop.trials.session import start_trial, start_typed_trial
from ubrant.workshop.trials.trial import Told
from ubrant.workshop.trials.wave import import_wave
from ubrant.workshop.typed_run import start_typed
from ubrant.workshop.views import view_of

DATA = Path(__file__).parent / "data"
DAY = datetime(2026, 11, 1, 9, 0, tzinfo=UTC)
BENCH = Meter("Bench meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=100.0)
TWO = Meter("Second meter", "0.05 % + 5 mV", "0.2 % + 5 mA", max_v=60.0, max_a=20.0, details=MeterDetails(zero_v=0.003, gain_a=1.002))
PLUG = Meter("Plug-in meter", "0.5 % + 0.5 V", "1 % + 10 mA", max_v=250.0, max_a=16.0, details=MeterDetails(power_accuracy="1 % + 0.3 W"))
CLAMP = Meter("Clamp", "0.8 % + 20 mV", "2 % + 50 mA", max_v=600, max_a=400, details=MeterDetails(reversed=True, zero_a=0.02, floor_a=0.01))
PACK = Unit("Small pack", "battery", "0.5 Ah 12.8 V LiFePO4", stand_in={"health": 0.97})
BLOCK = Unit("Block", "battery", "12 V 7.2 Ah AGM, 20 h rate", stand_in={"health": 0.98})
STEP_DOWN = Unit("Step-down", "converter", "12 V to 5 V, 3 A")
HUT = Unit("Hut", "inverter", "12 V to 230 V sine, 300 W")
BREAKER = Unit("Breaker", "lead", "30 A breaker")
PROJECTOR = Unit("Projector", "load", "230 V, 52 W")
BRICK = Unit("Brick", "charger", "230 V to 19 V, 65 W")


def main() -> None:
    shutil.rmtree(DATA, ignore_errors=True)
    DATA.mkdir()
    book = Logbook(DATA / "before.ubrant")
    units = {u.name: book.keep_unit(u) for u in (PACK, BLOCK, STEP_DOWN, HUT, BREAKER, PROJECTOR, BRICK)}
    for meter in (BENCH, TWO, PLUG, CLAMP):
        book.keep_meter(meter)
    names: dict[int, str] = {}
    discharges(book, units, names)
    converters(book, units, names)
    waves(book, units, names)
    found = {}
    for run_id, name in names.items():
        print(name)
        found[name] = said_of(book, run_id)
    for run_id, name in names.items():
        export_all(book, run_id, name)
    book.close()
    (DATA / "findings.json").write_text(json.dumps(found, indent=1, ensure_ascii=False) + "\n", "utf-8")
    (DATA / "command-line.json").write_text(json.dumps(command_line(), indent=1, ensure_ascii=False) + "\n", "utf-8")


def said_of(book: Logbook, run_id: int) -> dict[str, Any]:
    run = book.run(run_id)
    about = {"run": run_id, "method": run.method, "plan": run.plan, "state": run.state}
    if trial_of(run.method) is not None:
        view = trial_view(book, run)
        return {**about, "findings": figures(view.findings), "sentence": view.sentence, "warnings": list(view.warnings), "ended_by": view.ended_by,
                "points": 0 if view.points is None else len(view.points)}  # fmt: skip
    found = view_of(book, run).found
    return {**about, "findings": figures(found.findings), "verdict": found.verdict.word, "sentence": found.verdict.sentence, "warnings": list(found.warnings),
            "ended_by": found.ended_by, "gaps": len(found.gaps)}  # fmt: skip


def figures(findings: Mapping[str, Finding]) -> dict[str, Any]:
    return {key: [f.value, f.unit, f.expanded_uncertainty] for key, f in findings.items()}


def export_all(book: Logbook, run_id: int, name: str) -> None:
    run = book.run(run_id)
    unit = book.unit(run.unit_id).name if run.unit_id else ""
    if run.method == "waveform":
        return
    export_csv(book, run, DATA / f"{name}.csv")
    export_package(book, run, DATA / f"{name} package", unit)
    if book.jots(run_id):
        export_jots(book, run, DATA / f"{name}.jot", unit)


def simulated(book: Logbook, unit: Unit, meter: Meter, **changes: Any) -> int:
    plan = small_plan(unit.label_text, **changes)
    run, session = start_discharge(book, unit, plan, meter, Leads(), started=DAY)
    for _ in range(4):
        session.order(Order.DONE)
    session.start()
    session.join(120)
    assert session.progress.trouble == "", session.progress.trouble
    return run.id


def typed_lines(book: Logbook, session: Any, run: Any, lines: list[tuple[float, str]]) -> None:
    for moment, line in lines:
        session.clock.time_s = moment
        jotting = Grammar().parse(line)
        assert jotting is not None
        take_down(book, run, jotting, moment, session)


def discharges(book: Logbook, units: Mapping[str, Unit], names: dict[int, str]) -> None:
    pack, block = units["Small pack"], units["Block"]
    run_id = simulated(book, pack, BENCH, temperature_c=20.0)
    book.add_event(run_id, StoredEvent(600.0, "jotting", "case warm"))
    names[run_id] = "discharge simulated"
    names[simulated(book, pack, CLAMP, mode="power", amount=6.0)] = "discharge by power on a clamp"
    charge = ChargePlan(0.25, 14.6, 0.05)
    names[simulated(book, pack, BENCH, charge=charge, charge_when="cycles", cycles=2, every_s=20.0)] = "discharge in cycles"
    names[simulated(book, pack, BENCH, charge=charge, charge_when="after", every_s=20.0)] = "discharge and charge"
    pulses = {"profile": ((300.0, 0.5), (60.0, 0.0)), "repeats": True, "two_step": True, "take_out_ah": 0.1, "rated_ah": 0.5}
    names[simulated(book, pack, BENCH, **pulses)] = "discharge in pulses"
    run_id = simulated(book, block, BENCH, current_a=1.44, own_cutoff_v=10.2, every_s=30.0, temperature_c=17.0, limits=Ends(time_s=3600.0))
    kept = book.run(run_id)
    book.update_run(replace(kept, state="interrupted", ended_by="interrupted", plan={k: v for k, v in kept.plan.items() if k != "limits"}))
    off = next(e for e in book.events(run_id) if e.kind == "load off")
    book.remove_event(off.id)
    book.cut_after(run_id, off.time_s)
    names[run_id] = "discharge interrupted"
    run_id = simulated(book, block, BENCH, current_a=1.44, own_cutoff_v=10.2, every_s=30.0, limits=Ends(time_s=3600.0))
    kept = book.run(run_id)
    book.update_run(replace(kept, state="interrupted", ended_by="interrupted", plan={k: v for k, v in kept.plan.items() if k != "limits"}))
    off = next(e for e in book.events(run_id) if e.kind == "load off")
    book.remove_event(off.id)
    book.cut_after(run_id, off.time_s)
    _, session = go_on(book, book.run(run_id))
    for _ in range(3):
        session.order(Order.DONE)
    session.start()
    session.join(120)
    names[run_id] = "discharge gone on"
    plan = small_plan(block.label_text, current_a=0.36, temperature_c=18.0)
    for between, name in (("straight", "discharge typed"), ("held", "discharge typed and held")):
        blank = new_run(block, plan, CLAMP, Leads(), DAY, BY_HAND)
        run, session = start_typed(book, block, plan, replace(blank, plan={**blank.plan, "between": between}), WatchedClock)
        for _ in range(2):
            session.order(Order.DONE)
        typed_lines(book, session, run, [
            (60.0, "13.05 V"), (120.25, "load on 12.74 V 0.36 A"), (7200.0, "12.4 V 0.36 A case warm"), (20000.0, "12.12 V ~0.36 A"), (40000.0, "11.71 V 0.35..0.37 A temp 21 C"),
            (52000.0, "11.38 V 0.36 A"), (61000.0, "11.05 V 0.36 A"), (66000.0, "10.62 V 0.36 A"), (67000.5, "10.41 V 0.36 A"), (67060.0, "load off"), (68000.0, "11.6 V fan off"),
        ])  # fmt: skip
        session.end()
        names[run.id] = name
    blank = new_run(pack, small_plan(), BENCH, Leads(), DAY, BY_HAND)
    run, session = start_typed(book, pack, small_plan(), blank, WatchedClock)
    typed_lines(
        book,
        session,
        run,
        [(0.0, "13.3 V bank 100 % 0.000 Ah 0.00 Wh"), (10.0, "load on"), (1800.0, "0.241 Ah 3.11 Wh"), (3400.0, "0.452 Ah 5.74 Wh empty")],
    )
    session.end()
    names[run.id] = "discharge by counters"


def tried(
    book: Logbook,
    unit: Unit,
    method: str,
    meters: tuple[Meter, Meter],
    battery: Unit | None = None,
    leads: Leads | None = None,
    **fields: str,
) -> int:
    trial = trial_of(method)
    assert trial is not None
    told = Told(unit, {**trial.usual(unit), **fields}, meters, leads or Leads(), battery)
    run, session = start_trial(book, trial, told, started=DAY, unattended=True)
    session.start()
    session.join(120)
    assert session.progress.trouble == "", session.progress.trouble
    return run.id


def by_hand(
    book: Logbook, unit: Unit, method: str, meters: tuple[Meter, Meter], lines: list[str], battery: Unit | None = None, **fields: str
) -> int:
    trial = trial_of(method)
    assert trial is not None
    told = Told(unit, {**trial.usual(unit), **fields}, meters, Leads(), battery)
    run, session = start_typed_trial(book, trial, told, WatchedClock, DAY)
    session.order(Order.DONE)
    typed_lines(book, session, run, [(37.5 * (k + 1), line) for k, line in enumerate(lines)])
    session.end()
    return run.id


def converters(book: Logbook, units: Mapping[str, Unit], names: dict[int, str]) -> None:
    down, hut, block, pack = units["Step-down"], units["Hut"], units["Block"], units["Small pack"]
    names[tried(book, down, "sweep", (BENCH, TWO), highest="13 V", lowest="6 V", step="1 V", loads="0, 0.5, 1.5, 3 A")] = "sweep simulated"
    names[tried(book, down, "sweep", (BENCH, BENCH), highest="13 V", lowest="8 V", step="2.5 V", loads="0, 1 A", ratings="leads 1 A")] = (
        "sweep with one meter"
    )
    p = ConverterParameters(5.0, 0.4, 0.06, 0.004, output_ohm=0.02, sags_below_v=7.0, shutoff_v=6.2, restart_v=7.5)
    lines = []
    for amps in (0.0, 1.0, 2.0):
        converter = Converter(p)
        for volts in (13.0, 11.0, 9.0, 11.0, 13.0):
            out, into = converter.output(volts, amps)
            lines.append(f"input {volts:.1f} V {into:.2f} A output {out:.2f} V {amps:.1f} A source {volts + 0.05 * into:.2f} V")
    lines[4] = "skip"
    names[by_hand(book, down, "sweep", (BENCH, TWO), lines, highest="13 V", lowest="9 V", step="2 V", loads="0, 1, 2 A")] = "sweep typed"
    run_id = by_hand(book, down, "sweep", (BENCH, TWO), lines[:9], highest="13 V", lowest="9 V", step="2 V", loads="0, 1, 2 A")
    book.update_run(replace(book.run(run_id), state="interrupted", ended_by="interrupted"))
    names[run_id] = "sweep interrupted"
    big = replace(block, label_text="12 V 45 Ah lead-acid, 20 h rate, to 10.5 V")
    names[tried(book, hut, "steps", (BENCH, PLUG), big, Leads(4.0, 2.5), loads="0, 65, 200 W", hold="250 W")] = "load steps held"
    names[
        tried(book, hut, "steps", (BENCH, PLUG), replace(pack, label_text="12.8 V 50 Ah LiFePO4"), loads="0, 150, 300, 400 W", hold="")
    ] = "load steps overload"
    names[by_hand(book, hut, "steps", (BENCH, PLUG), [
        "input 12.61 V 0.33 A output 231 V 0.0 W 50.0 Hz source 12.63 V", "input 12.44 V 6.9 A output 230 V 75 W 50.0 Hz source 12.6 V",
        "input 12.21 V 14.2 A output 229 V 150 W 50.0 Hz", "input 11.7 V 14.9 A output 228 V 150 W 50.0 Hz source 12.0 V", "alarm input 10.9 V",
        "input 10.7 V 16.3 A output 226 V 150 W 49.9 Hz source 11.1 V", "load off", "source 12.1 V", "source 12.31 V",
    ], big, loads="0, 75, 150 W", hold="150 W")] = "load steps typed"  # fmt: skip
    names[tried(book, hut, "idle", (BENCH, BENCH), minutes="1 min")] = "idle simulated"
    names[tried(book, down, "idle", (CLAMP, CLAMP), minutes="1 min")] = "idle on a clamp"
    names[
        by_hand(
            book,
            hut,
            "idle",
            (BENCH, BENCH),
            ["input 12.8 V 0.02 A", "input 12.81 V 0.38 A", "input 12.81 V 0.07 A", "input 12.80 V 0.08 A"],
        )
    ] = "idle typed"
    names[tried(book, units["Breaker"], "trip", (BENCH, BENCH), amps="31.5, 45, 90 A", longest="2 min")] = "trip simulated"
    names[
        by_hand(
            book,
            units["Breaker"],
            "trip",
            (BENCH, BENCH),
            ["45 A", "tripped", "60 A", "tripped peak 80 A", "31 A", "held"],
            amps="45, 60, 31 A",
        )
    ] = "trip typed"
    names[
        by_hand(
            book,
            units["Projector"],
            "appliance",
            (PLUG, PLUG),
            ["231.0 V 0.006 A 0.5 W standby", "230.8 V 0.28 A 38 W eco", "skip", "230.1 V 0.39 A 51.5 W peak 61 W full"],
            modes="standby, eco, dark, full",
        )
    ] = "modes typed"
    names[by_hand(book, units["Brick"], "supply", (PLUG, BENCH), ["input 72.4 W output 18.90 V 3.42 A", "input 54.0 W output 18.95 V 2.56 A", "input 36.1 W output 19.0 V 1.71 A",
                                                                 "input 18.3 W output 19.05 V 0.855 A", "input 0.21 W"])] = "supply typed"  # fmt: skip


def waves(book: Logbook, units: Mapping[str, Unit], names: dict[int, str]) -> None:
    time, volts = Converter(ConverterParameters(230.0, 0, 0, 0, hertz=50.0, wave="stepped")).wave(228.0, 3.0)
    (DATA / "wave.csv").write_text(
        "\n".join(["Time (s),Voltage (V)", *(f"{t:.7f},{v:.3f}" for t, v in zip(time[::4], volts[::4], strict=True))])
    )
    names[import_wave(book, DATA / "wave.csv", units["Hut"], 40.0, started=DAY, accuracy="3 % + 0.1 V").id] = "wave of an inverter"
    moments = np.arange(0, 0.01, 2e-5)
    dip = 5.05 + 0.01 * np.sin(2 * np.pi * 50e3 * moments) - 0.4 * np.where(moments > 0.004, np.exp(-(moments - 0.004) / 5e-4), 0.0)
    (DATA / "dip.csv").write_text("\n".join(["Time (s),Voltage (V)", *(f"{t:.7f},{v:.4f}" for t, v in zip(moments, dip, strict=True))]))
    names[import_wave(book, DATA / "dip.csv", units["Step-down"], 10.0, started=DAY, accuracy="3 %", tolerance="5 V 5%").id] = (
        "wave with a dip"
    )


def command_line() -> dict[str, Any]:
    """Logs from elsewhere, and what the command line says of them."""
    body = falling(every_s=60.0)
    rows = [f"{t:g},{v:.4f},{a:.3f}" for t, v, a in zip(body.time_s, body.voltage_v, body.current_a, strict=True)]
    (DATA / "pack.csv").write_text("\n".join(["Time (s),Voltage (V),Current (A)", *rows[:100], *rows[120:]]) + "\n")
    p = ConverterParameters(5.0, 0.4, 0.06, 0.004, output_ohm=0.02, sags_below_v=7.0, shutoff_v=6.2, restart_v=7.5)
    lines = ["time / s,input voltage / V,input current / A,output voltage / V,output current / A,source voltage / V"]
    moment = 0.0
    for amps in (0.0, 0.5, 1.0, 2.0, 3.0):
        converter = Converter(p)
        for volts in [*np.arange(14.0, 5.9, -1.0), *np.arange(6.0, 14.1, 2.0)]:
            out, into = converter.output(volts, amps)
            for k in range(6):
                lines.append(
                    f"{moment:g},{volts:.4f},{into + 1e-4 * (k % 2):.5f},{out:.4f},{amps if out else 0.0:.4f},{volts + into * 0.05:.4f}"
                )
                moment += 1.0
    (DATA / "sweep log.csv").write_text("\n".join(lines) + "\n")
    steps = ["time / s,input voltage / V,input current / A,output voltage / V,output power / W,source voltage / V,output frequency / Hz"]
    for second in range(600):
        watts = (0, 65, 130, 200)[min(second // 60, 3)]
        source = 12.6 - 0.0022 * max(second - 180, 0) - watts / 1500
        amps = (6 + 1.1 * watts) / source
        volts, alive = source - 0.05 * amps, second < 500
        steps.append(
            f"{second},{volts if alive else source + 1.0:.4f},{amps if alive else 0.0:.4f},{229.5 - watts / 100 if alive else 0.0:.3f},{watts if alive else 0},{source if alive else source + 1.0:.4f},50"
        )
    (DATA / "steps log.csv").write_text("\n".join(steps) + "\n")
    idle = ["time / s,input voltage / V,input current / A"] + [
        f"{k},{12.8 - 1e-4 * k:.4f},{0.31 + 2e-3 * np.sin(k):.4f}" for k in range(120)
    ]
    (DATA / "idle log.csv").write_text("\n".join(idle) + "\n")
    (DATA / "bank.jot").write_text(
        "unit: Hall block\nlabel: 12 V 7.2 Ah AGM, 20 h rate\nvolts: 0.8 % + 20 mV\namps: 2 % + 50 mA\ncutoff: 10.5 V\nstarted: 2026-11-01 09:00\n\n"
        "@09:00 13.05 V\n@09:02 load on 12.74 V 0.36 A\n@11:00 12.40 V 0.36 A\n@14:40 12.12 V ~0.36 A\n@20:00 11.71 V 0.36 A\n@01:30 11.05 V 0.36 A\n@03:20 10.41 V 0.36 A\n@03:21 load off\n@03:40 11.6 V\n"
    )  # fmt: skip
    accuracy = ["--voltage-accuracy", "0.1% + 3 mV", "--current-accuracy", "0.5% + 5 mA"]
    calls = {
        "pack": ["pack.csv", "--rated", "50 Ah 12.8 V", "--chemistry", "lifepo4", "--cutoff", "11.0 V", *accuracy],
        "pack without a label": ["pack.csv", *accuracy],
        "sweep": ["sweep log.csv", "--method", "sweep", "--tolerance", "5 V 5%", "--rated", "15 W", *accuracy],
        "sweep with one meter": ["sweep log.csv", "--method", "sweep", "--one-meter", *accuracy],
        "steps": ["steps log.csv", "--method", "steps", "--rated", "300 W", "--battery", "12 V 45 Ah lead-acid", *accuracy],
        "idle": ["idle log.csv", "--method", "idle", *accuracy],
        "wave": ["wave.csv", "--method", "waveform", "--voltage-accuracy", "3 % + 0.1 V"],
        "dip": ["dip.csv", "--method", "waveform"],
        "jot text": ["bank.jot"],
    }
    found = {}
    for name, call in calls.items():
        done = subprocess.run(
            [sys.executable, "-m", "ubrant", "analyse", *call, "--json"], cwd=DATA, capture_output=True, text=True, check=True
        )
        found[name] = {"call": call, "said": json.loads(done.stdout)}
    return found


if __name__ == "__main__":
    main()
