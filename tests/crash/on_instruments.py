"""A run on instruments, to be killed: ``python -m tests.crash.on_instruments LOGBOOK SILENT_S METER LOAD [LOG]``. Says when the load is on, and how it ended."""

from __future__ import annotations

import sys
from pathlib import Path

from tests.faults.test_hostile import instrument_at
from ubrant.bench.lines import VisaLine
from ubrant.bench.session import RunSession
from ubrant.bench.switched_on import Whose
from ubrant.core.equipment.meter import Meter, MeterDetails
from ubrant.core.equipment.unit import Unit
from ubrant.core.record.head import INSTRUMENTS, RunHeader, Setup
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import new_run
from ubrant.logbook.writer import RunWriter
from ubrant.methods.method import Scene
from ubrant.methods.steps import ReadRest, Steps, SwitchLoadOff, SwitchLoadOn
from ubrant.runs.making.benches import BenchChoice, open_instruments


def steps() -> Steps:
    yield SwitchLoadOn(2.0, 10.5, "Load on")
    yield ReadRest(600.0, 0.05, "Reading")
    yield SwitchLoadOff("Load off")


def main() -> None:
    path, silent_s, meter, load = Path(sys.argv[1]), float(sys.argv[2]), *sys.argv[3:5]
    log = sys.argv[5] if len(sys.argv) > 5 else ""
    logbook = Logbook(path)
    setup = Setup(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4"), {"battery": instrument_at("meter", meter)})
    run = logbook.start_run(new_run(RunHeader("discharge", setup), INSTRUMENTS))
    others = (Meter("Another program", details=MeterDetails(connection="file", address=log, tap="source"), id=99),) if log else ()
    choice = BenchChoice(INSTRUMENTS, 1.0, load=instrument_at("load", load), others=others, guardian_s=silent_s)
    scene = Scene(taps=("battery",), battery=True, load=True, load_is_metered=True)
    benches = []

    def opened():  # type: ignore[no-untyped-def]
        benches.append(open_instruments(choice, scene, setup, whose=Whose(str(logbook.path), run.id)))
        return benches[0]

    session = RunSession(steps(), opened, RunWriter(logbook.place, run.id))
    session.start()
    said = -1
    while session.running:
        session.join(0.02)
        lapses = sum(e.text.startswith("Not guarded for a moment") for e in session.live.events())
        if session.progress.load_on_s is not None and lapses > said:
            said, guardian = lapses, benches[0].guardian.pid
            children = [c._connection._line._child.pid for c in benches[0].connections if isinstance(c._connection._line, VisaLine)]
            print(f"on {guardian} {' '.join(map(str, children))}", flush=True)
    texts = " | ".join(f"{e.kind}: {e.text}" for e in session.live.events())
    print(f"ended {session.progress.ended_by} | {session.progress.trouble} | {texts}", flush=True)
    logbook.close()


if __name__ == "__main__":
    main()
