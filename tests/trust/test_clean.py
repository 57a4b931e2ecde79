"""Records in which nothing is wrong: hardly any is asked about, and the answer is there.

Where a method is read off displays, the simulated person reads and types; the others are made here, by formulas that are none of the sums'.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest

from tests.methods.samples import SAMPLES
from tests.trials import CASES
from ubrant.core.account import Account
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.head import BY_HAND, Origin
from ubrant.core.record.record import record_of
from ubrant.logbook.records import StoredJot, entries_of
from ubrant.methods.method import Prepared
from ubrant.methods.registry import entries, method_of
from ubrant.runs.kept.accounts import whole_account
from ubrant.runs.typed.rehearsed_session import read_off

MOST_ASKED, MOST_ASKED_OF_ONE = 0.03, 0.06
Lines = list[tuple[float, str]]
Rng = np.random.Generator


def seen(rng: Rng, value: float, share: float, digits: int) -> str:
    """By a meter that is off by up to this share, as its display rounds it."""
    return f"{value * (1 + rng.uniform(-share, share)):.{digits}f}"


def discharge(rng: Rng) -> Lines:
    """A pack that holds about half an ampere-hour, read every few minutes; volts fall as a straight line and a knee."""
    amps, hold = 0.1, rng.uniform(0.46, 0.54)
    hours, gain_v, gain_a = hold / amps, rng.uniform(-0.003, 0.003), rng.uniform(-0.01, 0.01)
    lines: Lines = [(0.0, f"{13.4 * (1 + gain_v):.2f} V")]
    for k, share in enumerate((*np.linspace(0.0, 0.96, 16), 0.98, 1.0)):
        volts = (13.1 - 0.35 * share - 2.0 * share**20) * (1 + gain_v)
        end = " load off" if share == 1.0 else ""
        lines.append((600 + 3600 * hours * float(share), f"{'load on ' if k == 0 else ''}{volts:.2f} V {amps * (1 + gain_a):.4f} A{end}"))
    return [*lines[:-1], (lines[-1][0], lines[-1][1].replace(lines[-1][1].split(" V")[0], "10.90"))]


def sweep(rng: Rng) -> Lines:
    fixed, slope = rng.uniform(0.1, 0.3), rng.uniform(0.05, 0.12)
    rows = [(volts, amps) for amps in (0.0, 0.4, 1.0, 2.0) for volts in (12.0, 9.0, 12.0)]
    return [
        (
            120.0 * k,
            f"input {seen(rng, v, 0.002, 2)} V {seen(rng, (fixed + 5 * a * (1 + slope)) / v, 0.005, 4)} A "
            f"output {seen(rng, 5.0, 0.002, 3)} V {seen(rng, a, 0.005, 3)} A",
        )
        for k, (v, a) in enumerate(rows, start=1)
    ]


def steps(rng: Rng) -> Lines:
    fixed, slope, ohm = rng.uniform(3, 7), rng.uniform(0.08, 0.15), rng.uniform(0.01, 0.03)
    lines = []
    for k, watts in enumerate((0, 65, 150, 300), start=1):
        into = fixed + watts * (1 + slope)
        volts = 13.2 - ohm * into / 13.0
        lines.append((120.0 * k, f"input {seen(rng, volts, 0.002, 2)} V {seen(rng, into / volts, 0.01, 2)} A output 230 V {watts} W 50 Hz"))
    return lines


def idle(rng: Rng) -> Lines:
    amps = rng.uniform(0.1, 1.0)
    return [
        (120.0, "input 12.8 V 0.00 A"),
        (240.0, f"input 12.8 V {amps:.2f} A"),
        (360.0, f"input 12.8 V {amps * rng.uniform(0.05, 0.3):.3f} A"),
    ]


def trip(rng: Rng) -> Lines:
    return [(120.0, "31 A"), (360.0, "held"), (480.0, "45 A"), (480.0 + rng.uniform(20, 900), "tripped")]


def joint(rng: Rng) -> Lines:
    milliohm = rng.uniform(0.3, 5.0)
    return [
        (120.0 * k, f"{seen(rng, milliohm * a, 0.005, 2)} mV {seen(rng, a, 0.005, 2)} A") for k, a in enumerate((1.0, 5.0, 10.0, 20.0), 1)
    ]


MADE: dict[str, Callable[[Rng], Lines]] = {
    "discharge": discharge,
    "sweep": sweep,
    "steps": steps,
    "idle": idle,
    "trip": trip,
    "joint": joint,
}
KEYS = [entry.key for entry in entries() if entry.key in SAMPLES and entry.key != "notes"]


def account_of_one(key: str, made: Prepared, number: int) -> Account:
    method = method_of(key)
    jots = []
    if key in MADE:
        jots = [StoredJot(t, line) for t, line in MADE[key](np.random.default_rng([number, sum(map(ord, key))]))]
    else:
        moment = 0.0
        for later, line in method.read_off(made, read_off(method, made, number)):
            moment += later
            jots.append(StoredJot(moment, line, data=Grammar().parse(line)))
    head = method.head(made, Origin(BY_HAND))
    return whole_account(method, record_of(head, {}, [], entries_of(jots), "done", "person"))


@pytest.mark.parametrize("key", KEYS)
def test_clean_records_are_hardly_asked_about(share, key):
    """Questions of the gate, but for whether it was full, which nobody said here."""
    made = SAMPLES[key].prepared(key, by_hand=True)
    cases = max(int(CASES * share), 20)
    asked, troubled = [], []
    for number in range(1, cases + 1):
        account = account_of_one(key, made, number)
        if account.trouble:
            troubled.append(account.trouble)
        if questions := [q for q in account.questions if not q.full]:
            asked.append(questions[0].text or account.sentence)
    print(f"{key}: {len(asked)} of {cases} asked about")
    assert not troubled
    assert len(asked) <= MOST_ASKED_OF_ONE * cases + 1.6 * math.sqrt(MOST_ASKED_OF_ONE * cases) * (cases < CASES), asked[:3]
