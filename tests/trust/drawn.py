"""Every finding of every method, its ± stated and by draws: which records, which exceptions, and the table that ``./dev drawn`` writes."""

from __future__ import annotations

import json
import re
import sys
import tempfile
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from tests.methods.test_rehearsed import CASES, rehearsed
from tests.said import saying
from tests.test_docs_jot import EXAMPLES, method
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.simulation import AGREE, DRAWS, Simulated
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import entries, method_of
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file

PAGE = Path(__file__).parents[2] / "docs" / "drawn.md"
EXCEPTIONS = {
    "the meters' own gains are what it finds, and they are drawn too": r"(record|rehearsed) .*: gain_(charger|battery)",
    "to the nearer of two limits: in the middle every error makes it less": r"record \d+: headroom",
    "where a maximum lies: it jumps from one point to the next, or to the end of what was measured": (
        r"record (142|144|145): peak_(at|efficiency)|record 182: peak_efficiency|record 7: of_nameplate|record 235: m(aximum_power.*|inutes_an_hour)"
    ),
    "an error decides which readings count": (
        r"record 153: output_unloaded|record (174|182): (line|load)_regulation|record 174: idle_power|record 228: charge|record 15: mean_voltage"
    ),
    "a quotient whose divisor is hardly known": r"record (13|44|84): mean_voltage|record 36: resistance|record 83: c_rate|example 1[67]: empty_after|(example 5|rehearsed emptied into two): from_full_2",
    "its zero was read first, or it lies below what the meter shows": (
        r"record (116|122): (idle_power|idle_energy_day|days_to_empty|half_arrives)"
    ),
    "counted in samples": r"record 210: recovery",
}
"""Reasons why draws and propagation may differ, and of which findings of which records they are: any other that differs is a fault."""


def _from_text(text: str) -> Record:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "example.jot"
        path.write_text(text, "utf-8")
        return read_file(path, LogOptions()).record()


def _rehearsed(name: str) -> Record:
    with tempfile.TemporaryDirectory() as folder:
        logbook = Logbook(Path(folder) / "rehearsed.ubrant")
        key, unit, meters, device, typed, _ = CASES[name]
        record, _ = rehearsed(logbook, key, unit, meters, device, typed)
        logbook.close()
        return record


_HERE = {e.key for e in entries()}
_LINES = (saying.HERE / "records.txt").read_text("utf-8").splitlines()
CORPUS: dict[str, Callable[[], Record]] = {
    **{
        f"record {n}": (lambda line=line: saying.record_from(line))
        for n, line in enumerate(_LINES, 1)
        if json.loads(line)["head"]["method"] in _HERE
    },
    **{f"example {n}": (lambda text=text: _from_text(text)) for n, (text, _) in enumerate(EXAMPLES, 1) if method(text) in _HERE},
    **{f"rehearsed {name}": (lambda name=name: _rehearsed(name)) for name, case in CASES.items() if case[0] in _HERE},
}


def exception_for(name: str, key: str) -> str:
    """Why a finding of a record may differ; empty where it may not."""
    return next((why for why, which in EXCEPTIONS.items() if re.fullmatch(which, f"{name}: {key}")), "")


def drawn(name: str) -> tuple[str, tuple[Simulated, ...]]:
    """The method of a record, and its findings by draws."""
    record = CORPUS[name]()
    return record.head.method, method_of(record.head.method).simulate(record)


def off(name: str, found: tuple[Simulated, ...]) -> list[str]:
    """Findings of a record that differ without a reason that is named."""
    return [one.sentence() for one in found if not np.isnan(one.drawn_u) and not one.agrees and not exception_for(name, one.key)]


def write() -> None:
    """The table."""
    ratios: dict[tuple[str, str], list[float]] = defaultdict(list)
    reasons: dict[tuple[str, str], list[str]] = defaultdict(list)
    without = 0
    with ProcessPoolExecutor() as workers:
        for name, (key, found) in zip(CORPUS, workers.map(drawn, CORPUS, chunksize=4), strict=True):
            for one in found:
                ratio = one.drawn_u / one.linear_u if one.linear_u else np.nan
                without += int(np.isnan(ratio))
                if not np.isnan(ratio):
                    which = key, re.sub(r"_\d+$", "_n", one.key)
                    ratios[which].append(ratio)
                    if not one.agrees:
                        reasons[which].append(exception_for(name, one.key) or "**not known**")
    every = [r for found in ratios.values() for r in found]
    agree = sum(abs(r - 1) <= AGREE for r in every)
    lines = [
        "# The ± of every finding, by propagation and by draws",
        "",
        f"Written by `./dev drawn`: {len(CORPUS)} records of {len({m for m, _ in ratios})} methods, {len(every)} findings with a ±, each account made {DRAWS} times",
        "from records in which every error has come true at once (JCGM 101). *u by draws ÷ u stated* should be 1; within 5 % they agree.",
        f"{agree} of {len(every)} agree; {without} more have no spread to speak of, as with other errors there is often no such finding.",
        "",
        "| Method | Finding | Records | u by draws ÷ u stated, middle | least | most | |",
        "|---|---|---|---|---|---|---|",
    ]
    for (key, finding), found in sorted(ratios.items()):
        low, high = min(found), max(found)
        why = "; ".join(dict.fromkeys(reasons[(key, finding)]))
        lines.append(f"| {key} | `{finding}` | {len(found)} | {np.median(found):.3f} | {low:.3f} | {high:.3f} | {why} |")
    PAGE.write_text("\n".join(lines) + "\n", "utf-8")
    print(f"{agree} of {len(every)} agree; written to {PAGE.name}")


if __name__ == "__main__":
    sys.exit(write())
