"""Everything that is said of a record, a label, a typed line or a prepared test, as lines of text; and the records it is said of, a line of JSON each."""

from __future__ import annotations

import dataclasses
import json
import re
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from ubrant.core.account import Account
from ubrant.core.quantities.accuracy import parse_accuracy
from ubrant.core.quantities.jot import Grammar
from ubrant.core.quantities.label import parse_label, usual_cutoff_v
from ubrant.core.quantities.quantity import parse_quantity
from ubrant.core.quantities.readings import Series
from ubrant.core.record.events import event_from_json, event_to_json
from ubrant.core.record.head import head_from_json, head_to_json
from ubrant.core.record.record import Record, record_of
from ubrant.core.uncertainty.finding import Finding
from ubrant.logbook.records import StoredJot, entries_of
from ubrant.methods.method import LoadRating
from ubrant.methods.registry import method_of
from ubrant.methods.steps import carry_out_steps
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.runs.making.meter_fit import meter_fit

HERE = Path(__file__).parent
_DIGITS = 7
_MOST_STEPS, _FEW = 400, 6


def record_from(line: str) -> Record:
    """A record from its line."""
    kept = json.loads(line)
    readings = {
        tuple(key.split("|")): Series(_times(times), np.array(values, dtype=float)) for key, (times, values) in kept["readings"].items()
    }
    events = [event_from_json(time_s, data) for time_s, data in kept["events"]]
    lines = entries_of(StoredJot(time_s, text) for time_s, text in kept["lines"])
    return record_of(head_from_json(kept["head"]), readings, events, lines, kept["state"], kept["ended_by"])


def line_from(record: Record) -> str:
    """The line of a record."""
    return json.dumps(
        {
            "head": head_to_json(record.head),
            "readings": {
                "|".join(key): (_from_times(s.time_s), [float(f"{v:.6g}") for v in s.value]) for key, s in record.readings.items()
            },
            "events": [(round(e.time_s, 3), event_to_json(e)) for e in record.events],
            "lines": [(round(e.time_s, 3), e.jotting.line) for e in record.lines],
            "state": record.state,
            "ended_by": record.ended_by,
        },
        ensure_ascii=False,
    )


def _times(kept: Any) -> Any:
    """Even ones are kept as their first, their step and their number."""
    return kept["from"] + kept["every"] * np.arange(kept["count"]) if isinstance(kept, dict) else np.array(kept, dtype=float)


def _from_times(time_s: Any) -> Any:
    time = np.round(time_s, 3)
    if len(time) > 2 and np.allclose(np.diff(time), time[1] - time[0], atol=2e-3):
        return {"from": float(time[0]), "every": round(float(time[-1] - time[0]) / (len(time) - 1), 6), "count": len(time)}
    return [float(t) for t in time]


def of_record(record: Record) -> Iterator[str]:
    """All that a window, a report or the command line would show of it."""
    method = method_of(record.head.method)
    account = account_of_stored(record)
    yield from of_account(account)
    for time_s, text in method.row_findings(record).items():
        yield f"row at {number(time_s)}: {text}"


def of_account(account: Account) -> Iterator[str]:
    for one in dataclasses.fields(account):
        value = getattr(account, one.name)
        if one.name in {"more", "drawings", "path"}:
            value = value()
        if one.name in {"answers", "groups"}:
            continue
        if one.name == "findings":
            for key, found in value.items():
                yield from _of_finding(key, found)
        elif value not in (None, "", ()):
            yield from _lines(one.name, value)


def _of_finding(key: str, found: Finding) -> Iterator[str]:
    within = f" ± {number(found.expanded_uncertainty)}" if found.expanded_uncertainty is not None else ""
    value = "none" if found.value is None else number(found.value)
    yield f"{key}: {value}{within} {found.unit}".rstrip()
    yield f"  {found.value_text()} {found.uncertainty_text()}".rstrip()
    yield from (f"  {line}" for line in found.budget())
    for step in found.arithmetic or (found.working,):
        if step:
            yield f"  {step}"


def _lines(name: str, value: Any) -> Iterator[str]:
    if isinstance(value, tuple | list) and value and not all(isinstance(v, int | float) for v in value):
        for part in value:
            yield from _lines(name, part)
    else:
        yield f"{name}: {text_of(value)}"


def text_of(value: Any) -> str:
    """Anything in one line: of an array its length and two sums that its values and their order change."""
    if isinstance(value, np.ndarray):
        if value.dtype.kind not in "fiub":
            return f"[{', '.join(map(str, value))}]"
        numbers = value[np.isfinite(value)].astype(float)
        return f"[{value.size}: {number(numbers.sum())}, {number(numbers @ np.linspace(1.0, 2.0, len(numbers)))}]"
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        parts = (f"{f.name} {text_of(v)}" for f in dataclasses.fields(value) if f.compare and _says(v := getattr(value, f.name)))
        return f"{type(value).__name__}({', '.join(parts)})"
    if isinstance(value, Mapping):
        return "{" + ", ".join(f"{k}: {text_of(v)}" for k, v in value.items()) + "}"
    if isinstance(value, tuple | list | set | frozenset):
        ordered = value if isinstance(value, tuple | list) else sorted(value)
        return "(" + ", ".join(map(text_of, ordered)) + ")"
    if isinstance(value, float | np.floating) and not isinstance(value, bool):
        return number(float(value))
    return type(value).__name__ if " at 0x" in str(value) else str(value)


def _says(value: Any) -> bool:
    return not callable(value) and not (isinstance(value, str | tuple | Mapping) and len(value) == 0) and value is not None


def number(value: float) -> str:
    return f"{value:.{_DIGITS}g}"


def of_label(text: str) -> Iterator[str]:
    """What a label is taken for."""
    try:
        label = parse_label(text)
    except ValueError as error:
        yield str(error)
    else:
        yield f"{text_of(label)} cut-off {usual_cutoff_v(label)}"


def of_typed(text: str) -> Iterator[str]:
    """What a typed line is taken for, with a battery of 12.5 V at 5 A in mind."""
    try:
        jotting = Grammar(expected={("battery", "V"): 12.5, ("battery", "A"): 5.0}).parse(text)
    except ValueError as error:
        yield str(error)
    else:
        yield text_of(dataclasses.replace(jotting, line=""))
        yield jotting.understood()


def of_accuracy(text: str) -> Iterator[str]:
    """What a maker's words about a meter are taken for, at a small and at a large reading."""
    for unit, amounts in (("V", (1.0, 50.0)), ("A", (0.1, 8.0))):
        try:
            accuracy = parse_accuracy(text, unit)
        except ValueError as error:
            yield f"{unit}: {error}"
        else:
            yield f"{unit}: {text_of(accuracy)} {text_of([accuracy.limit(a) for a in amounts])}"


def of_duration(text: str) -> Iterator[str]:
    try:
        yield number(parse_quantity(text, "s"))
    except ValueError as error:
        yield str(error)


def of_test(head_line: str) -> Iterator[str]:
    """What a method makes of a unit before anything is measured: its form, plan, problems, rows by hand, steps, what it expects."""
    kept = json.loads(head_line)
    head = head_from_json(kept["head"])
    method = method_of(head.method)
    try:
        yield from (f"field {f.key}: {f.usual} {f.hint}" for f in method.form(head.setup))
        made = method.prepare(head.setup, kept["typed"])
    except ValueError as error:
        yield str(error)
        return
    yield f"plan: {text_of(made.plan)} {text_of(made.criteria)} {text_of(made.conditions)}"
    yield from (f"problem: {text_of(p)}" for load in (LoadRating(), LoadRating(10.0, 60.0, 150.0)) for p in method.problems(made, load))
    if (fit := meter_fit(method, made)) is not None:
        yield f"meters: {fit.word}: {fit.sentence}"
    if any(p.refused for p in method.problems(made, LoadRating())):
        return
    hand = method.by_hand(made)
    yield from (f"ask: {text_of(ask)}" for ask in hand.asks)
    yield from _in_short([f"row: {text_of(row)}" for row in (*hand.rows, hand.after)])
    yield f"columns: {hand.columns} every {hand.every_s}"
    length = method.length_s(made)
    yield f"length: {length if length is None else number(length)}"
    yield f"usual: {text_of(method.usual_readings(made))}"
    yield f"facts: {method.facts(made, None)}"
    yield f"scene: {text_of(method.scene(made))}"
    yield from (f"told by hand: {text_of(line)}" for line in method.hand_lines(made))
    try:
        expected = method.expect(made)
        if expected is not None:
            yield f"expected: {text_of(expected)}"
        yield from (f"told on a bench: {text_of(line)}" for line in method.step_lines(made, expected))
        yield f"wired: {text_of(method.wiring(made))}"
        steps: list[Any] = []
        carry_out_steps(method.steps(made), lambda step: steps.append(step) if len(steps) < _MOST_STEPS else None)
        yield from _in_short([f"step: {text_of(step)}" for step in steps])
    except (ValueError, NotImplementedError) as error:
        yield f"no steps: {error}"


def _in_short(lines: list[str]) -> Iterator[str]:
    """The first few and the last, and what the numbers in all of them add up to."""
    yield from lines[:_FEW]
    yield from lines[max(_FEW, len(lines) - _FEW) :]
    if len(lines) > _FEW:
        yield f"{len(lines)} such, their numbers together {number(sum(_value(n) for line in lines for n in _SPLIT.findall(line)))}"


_SPLIT = re.compile(r"([-−+]?\d+(?:\.\d+)?(?:e[-+]?\d+)?)")


def is_same(said: str, told: str) -> bool:
    """Word for word, and number for number up to a part in a hundred thousand: another processor may round the last digits otherwise."""
    if said == told:
        return True
    one, other = _SPLIT.split(said), _SPLIT.split(told)
    return len(one) == len(other) and all(
        a == b if k % 2 == 0 else abs(_value(a) - _value(b)) <= 1e-5 * abs(_value(b)) + 1e-9
        for k, (a, b) in enumerate(zip(one, other, strict=True))
    )


def _value(text: str) -> float:
    return float(text.replace("−", "-"))
