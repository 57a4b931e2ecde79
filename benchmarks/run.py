"""Speed and memory, as ratios taken in one run: ``./dev bench [NAME …]``. Prints each figure with what it must reach; fails nothing."""

from __future__ import annotations

import os
import statistics
import sys
import time
from collections.abc import Callable

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the application does

import numpy as np


def paired(ours: Callable[[], object], theirs: Callable[[], object], rounds: int = 9) -> tuple[float, float, float]:
    """Medians of both, and the median of their ratios, taken in turn so that a slow moment of the machine hits both."""
    ours()
    theirs()
    mine, other = [], []
    for _ in range(rounds):
        for times, run in ((mine, ours), (other, theirs)):
            start = time.perf_counter()
            run()
            times.append(time.perf_counter() - start)
    return statistics.median(mine), statistics.median(other), statistics.median(a / b for a, b in zip(mine, other, strict=True))


def integration() -> str:
    """Charge, energy, cut-off, gaps and ± of 10 000 000 readings against scipy.integrate.trapezoid(v·i, t)."""
    from scipy.integrate import trapezoid

    from ubrant.core.quantities.accuracy import parse_accuracy
    from ubrant.core.quantities.label import parse_label
    from ubrant.core.quantities.readings import Readings
    from ubrant.core.record.cutoff import Cutoff
    from ubrant.methods.discharge.sums import DischargeRecord, analyse

    n = 10_000_000
    rng = np.random.default_rng(1)
    t = np.arange(n) * 0.0018
    v = 13.2 - 2.6 * (t / 18000) ** 8 + rng.normal(0, 0.001, n)
    i = 10 + rng.normal(0, 0.01, n)
    record = DischargeRecord(
        Readings(t, v, i), parse_accuracy("0.1% + 3 mV", "V"), parse_accuracy("0.5% + 5 mA", "A"), parse_label("50 Ah 12.8 V"), Cutoff(11.0)
    )
    mine, other, ratio = paired(lambda: analyse(record), lambda: trapezoid(v * i, t))
    return f"{mine * 1000:.0f} ms against {other * 1000:.0f} ms: {ratio:.2f} × (to reach: ≤ 0.6 ×)"


def rehearsal() -> str:
    """A 10 h discharge at 1 s steps, rehearsed in-process."""
    from dataclasses import replace

    from ubrant.core.equipment.leads import Leads
    from ubrant.core.models.cell import Pack, pack_from_label
    from ubrant.core.models.circuit import Circuit
    from ubrant.core.quantities.label import parse_label
    from ubrant.methods.discharge.procedure import discharge, usual_plan
    from ubrant.methods.rehearsal import rehearse

    label = parse_label("100 Ah 12.8 V, 0.1C")
    plan = replace(usual_plan(label, Leads()), every_s=1.0)
    times = []
    for _ in range(7):
        circuit = Circuit(Pack(pack_from_label(label)), Leads().resistance_ohm)
        start = time.perf_counter()
        seen = rehearse(discharge(plan), circuit)
        times.append(time.perf_counter() - start)
    return f"{seen.until_s[0] / 3600:.1f} h in {statistics.median(times):.2f} s (to reach: ≤ 0.2 s)"


def importing() -> str:
    """A CSV of 1 000 000 rows and 4 columns into a logbook, ready to draw, against polars.read_csv and its columns in one file, fsynced."""
    import os
    import tempfile
    from pathlib import Path

    import polars as pl

    from ubrant.core.record.pyramid import Pyramid
    from ubrant.logbook.logbook import Logbook
    from ubrant.logbook.logs.read import read_log
    from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options

    n = 1_000_000
    t = np.arange(n) * 1.0
    v = 13.2 - 2.6 * (t / n) ** 8
    figures = []
    with tempfile.TemporaryDirectory() as folder:
        for name, column in (("numbers", pl.Series("Time (s)", t)), ("ISO stamps", _stamps(n))):
            path = Path(folder) / f"{name}.csv"
            pl.DataFrame(
                [column, pl.Series("Voltage (V)", v), pl.Series("Current (A)", np.full(n, 10.0)), pl.Series("Power (W)", v * 10)]
            ).write_csv(path)
            logbook = Logbook(Path(folder) / f"{name}.ubrant")

            def ours(path: Path = path, logbook: Logbook = logbook) -> None:
                run = keep(logbook, under_options(from_log(read_log(path)), LogOptions(said={"cutoff": "11 V"})), None)
                Pyramid(logbook.series(run.id, "battery", "V"))

            def theirs(path: Path = path) -> None:
                table = pl.read_csv(path)
                with (Path(folder) / "plain").open("wb") as out:
                    for series in table:
                        out.write(series.to_numpy().tobytes() if series.dtype != pl.String else "\n".join(series).encode())
                    out.flush()
                    os.fsync(out.fileno())

            mine, other, ratio = paired(ours, theirs, rounds=5)
            limit = "1.5" if name == "numbers" else "1.6"
            figures.append(f"{name}: {mine:.2f} s against {other:.2f} s: {ratio:.2f} × (to reach: ≤ {limit} ×)")
            logbook.close()
    return "; ".join(figures)


def _stamps(n: int):  # type: ignore[no-untyped-def]
    from datetime import UTC, datetime, timedelta

    import polars as pl

    start = datetime(2026, 5, 4, tzinfo=UTC)
    return pl.datetime_range(start, start + timedelta(seconds=n - 1), "1s", eager=True).dt.strftime("%Y-%m-%dT%H:%M:%SZ").alias("timestamp")


def start_up() -> str:
    """First painted window with the demo logbook against a bare PyQt6 and pyqtgraph window, each a process of its own."""
    import shutil
    import subprocess
    import tempfile
    from pathlib import Path

    from ubrant.demo.dome import demo_path, is_whole, make_demo

    if not is_whole(demo_path()):
        make_demo(demo_path())
    script = Path(__file__).with_name("window.py")
    with tempfile.TemporaryDirectory() as folder:
        logbook = shutil.copy(demo_path(), Path(folder) / "demo.ubrant")

        def opened(*what: str) -> None:
            subprocess.run([sys.executable, str(script), *what], check=True, capture_output=True)

        mine, other, ratio = paired(lambda: opened("demo", str(logbook)), lambda: opened("bare"), rounds=7)
    return f"{mine:.2f} s against {other:.2f} s: {ratio:.2f} × (to reach: ≤ 1.15 ×)"


def trace() -> str:
    """Pan and zoom a trace of three quantities with 10 000 000 readings against the same with 1 600."""
    from PyQt6.QtCore import QEventLoop

    from ubrant.core.quantities.readings import Series
    from ubrant.ui.widgets.trace import Trace
    from ubrant.ui.window.application import make_application

    app = make_application()
    times: dict[int, list[float]] = {}
    for n in (1600, 10_000_000):
        view = Trace()
        view.resize(900, 480)
        view.show()
        seconds = np.linspace(0, 18_000, n)
        noise = np.random.default_rng(1).normal(0, 0.01, n)
        for key, level in (("V", 13.0), ("A", 10.0), ("W", 130.0)):
            view.set_measured(key, Series(seconds, level + noise))
        times[n] = []
        for k in range(120):
            middle, half = 9000 + 4000 * np.sin(k / 9), 4500 * 0.97 ** (k % 60) + 60
            start = time.perf_counter()
            view.set_span(middle - half, middle + half)
            app.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
            times[n].append(time.perf_counter() - start)
        view.close()
    few, many = (sorted(times[n][5:]) for n in (1600, 10_000_000))
    median = statistics.median(many) / statistics.median(few)
    late = many[int(0.95 * len(many))] * 1000
    return f"median {median:.2f} × (to reach: ≤ 1.1 ×), p95 {late:.0f} ms (to reach: ≤ 25 ms; with 1 600 readings {few[int(0.95 * len(few))] * 1000:.0f} ms)"


def outlook_draws() -> str:
    """1 000 draws of a 24 h day at 1 min against one; and what a drag redraws, coarse."""
    from ubrant.core.outlook.answers import look_quickly
    from ubrant.core.outlook.draws import draws
    from ubrant.core.outlook.walk import walk_kit
    from ubrant.runs.kits.kit_file import kit_of
    from ubrant.runs.kits.kit_rows import INPUT, LOAD, SOURCE, WAY, kit_part_of

    rows = [
        (SOURCE, "Pack 100 Ah 12.8 V LiFePO4 label"),
        (WAY, "inverter 86..90 %, idle 7 ± 0.4 W, cut-off 10.8 V, leads 1.5 m 4 mm²"),
        (LOAD, "blower 25 ± 1 W 15:30 to 22:30, start 96 W"),
        (LOAD, "projector 30 W 18:30 to 19:15, 19:35 to 20:20, 20:40 to 21:25, standby 0.5 W"),
        (INPUT, "panel 60 W sun 07:00 to 19:20"),
    ]
    kit = kit_of(kit_part_of(rows, "08:00"))
    many = draws(kit, 1000)
    day = 86400.0
    mine, other, ratio = paired(lambda: walk_kit(kit, many, 60.0, day), lambda: walk_kit(kit, None, 60.0, day), 5)
    times = []
    for _ in range(9):
        start = time.perf_counter()
        look_quickly(kit)
        times.append(time.perf_counter() - start)
    drag = 1000 * statistics.median(times)
    return f"{mine * 1000:.0f} ms against {other * 1000:.0f} ms: {ratio:.2f} × (to reach: ≤ 5 ×); a drag {drag:.0f} ms (to reach: ≤ 50 ms)"


def many_runs() -> str:
    """A logbook of 10 000 runs: the first 200 rows, and a search."""
    import tempfile
    from dataclasses import replace
    from pathlib import Path

    from ubrant.core.equipment.unit import Unit
    from ubrant.core.record.events import Note
    from ubrant.core.record.head import RunHeader, Setup
    from ubrant.logbook.logbook import Logbook
    from ubrant.logbook.records import new_run

    with tempfile.TemporaryDirectory() as folder:
        logbook = Logbook(Path(folder) / "many.ubrant")
        with logbook._transaction():
            units = [logbook.keep_unit(Unit(f"Pack {k}", "battery", f"{k + 1} Ah 12.8 V")) for k in range(100)]
            for k in range(10_000):
                stamp = f"2026-{k % 12 + 1:02}-{k % 28 + 1:02}T{k % 24:02}:00:00+00:00"
                head = RunHeader("discharge", Setup(units[k % 100]))
                run = logbook.start_run(replace(new_run(head, "simulated bench", state="done"), started=stamp))
                if k % 10 == 0:
                    logbook.add_event(run.id, Note(1.0, f"remark number {k}"))
        figures = []
        for name, words in (("first 200 rows", ""), ("search", "remark number 7770")):
            taken = []
            for _ in range(15):
                start = time.perf_counter()
                found = logbook.runs(words)
                taken.append(time.perf_counter() - start)
            figures.append(f"{name}: {len(found)} in {statistics.median(taken) * 1000:.1f} ms")
        logbook.close()
    return "; ".join(figures) + " (to reach: ≤ 20 ms each)"


def live() -> str:
    """1 000 readings/s in all (4 × 250) over sockets, one minute, in the window that shows them."""
    return _of_script("live.py") + " (to reach: none missing, ≥ 25 frames/s, no gap over 0.5 s, memory ≤ data + 32 MB)"


def path_rows() -> str:
    """What one more row costs where each is held against the others of its moment: the 200th against the 20th."""
    return _of_script("path_rows.py") + " (to reach: a row ≤ 50 ms)"


def typed_rows() -> str:
    """What the 5 000th typed row costs against the 50th, CPU: in the window's own thread, and with the account made beside it."""
    return _of_script("typed_rows.py") + " (to reach: ≤ 1.5 ×)"


def long_ledger() -> str:
    """A run with 10 000 000 readings that goes on: how long the window is busy with an update of all it shows."""
    return _of_script("long_ledger.py") + " (to reach: ≤ 5 ms)"


def long_run() -> str:
    """A 24 h run with the clock sped up, 1 Hz on three meters."""
    return _of_script("long_run.py") + " (to reach: ≤ 30 s, memory flat but for the data)"


def _of_script(name: str) -> str:
    import subprocess
    from pathlib import Path

    done = subprocess.run([sys.executable, str(Path(__file__).with_name(name))], capture_output=True, text=True, check=False)
    return (done.stdout.strip().splitlines() or [done.stderr.strip()[-200:]])[-1]


FIGURES = {
    "integration": integration,
    "rehearsal": rehearsal,
    "import": importing,
    "start-up": start_up,
    "trace": trace,
    "many-runs": many_runs,
    "outlook": outlook_draws,
    "live": live,
    "typed-rows": typed_rows,
    "path-rows": path_rows,
    "long-ledger": long_ledger,
    "long-run": long_run,
}


def main(names: list[str]) -> None:
    for name in names or FIGURES:
        print(f"{name}: {FIGURES[name].__doc__}\n    {FIGURES[name]()}", flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
