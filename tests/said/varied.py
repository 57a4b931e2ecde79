"""The same records otherwise: other volts, amperes and times, a start or an end that is missing, noise, rows that are lost; always the same by their seed."""

from __future__ import annotations

import random
import re
from dataclasses import replace

import numpy as np

from tests.said.saying import number
from ubrant.core.account import Account
from ubrant.core.quantities.readings import Series
from ubrant.core.record.record import Record, record_of
from ubrant.logbook.records import StoredJot, entries_of
from ubrant.methods.registry import method_of

VARIANTS = 4
_READ = re.compile(r"(?<![\w.])(\d+(?:\.\d+)?)(?= ?(V|A|W|Ah|Wh)\b)")
_FACTORS = {"V": (0.85, 1.18), "A": (0.25, 3.0), "W": (0.4, 2.5), "Ah": (0.4, 1.6), "Wh": (0.4, 1.6)}


def varied(record: Record, seed: int) -> Record:
    """One variant of a record."""
    draw = random.Random(seed)
    factors = {quantity: draw.uniform(low, high) for quantity, (low, high) in _FACTORS.items()}
    slower = draw.choice((1.0, draw.uniform(0.3, 4.0)))
    keep = draw.choice(((0.0, 1.0), (0.0, draw.uniform(0.3, 1.0)), (draw.uniform(0.0, 0.3), 1.0)))
    noise, lost = draw.choice((0.0, 0.0, 0.002, 0.03)), draw.choice((0.0, 0.0, 0.1))
    random_state = np.random.default_rng(seed)
    last_s = max((float(s.time_s[-1]) for s in record.readings.values() if len(s)), default=0.0)
    readings = {}
    for key, series in record.readings.items():
        kept = (series.time_s >= keep[0] * last_s) & (series.time_s <= keep[1] * last_s) & (random_state.random(len(series)) >= lost)
        value = series.value * factors.get(key[1], 1.0) * (1 + noise * random_state.standard_normal(len(series)))
        readings[key] = Series(slower * series.time_s[kept], value[kept])
    lines = entries_of(StoredJot(slower * e.time_s, _scaled(e.jotting.line, factors)) for e in record.lines)
    events = [replace(e, time_s=slower * e.time_s) for e in record.events]
    return record_of(record.head, readings, events, lines, record.state, record.ended_by)


def _scaled(line: str, factors: dict[str, float]) -> str:
    """A typed line with other values, to as many decimals as were written."""

    def other(match: re.Match[str]) -> str:
        decimals = len(match[1].partition(".")[2])
        return f"{float(match[1]) * factors[match[2]]:.{decimals}f}"

    return _READ.sub(other, line)


def in_a_line(record: Record) -> str:
    """Its figures, verdict, warnings and trouble, with the first words of each."""
    account: Account = method_of(record.head.method).account(record)
    if account.trouble:
        return account.trouble
    said = [account.verdict.word] if account.verdict is not None else []
    for key, found in account.findings.items():
        if found.value is not None:
            said.append(f"{key} {number(found.value)}" + (f" ± {number(u)}" if (u := found.expanded_uncertainty) is not None else ""))
    said += [" ".join(w.split()[:7]) for w in account.warnings]
    return "; ".join((*said, account.ended_by))
