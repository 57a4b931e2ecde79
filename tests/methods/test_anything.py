"""Logs with anything in their cells, and runs by hand with anything typed: findings, or one sentence; never anything else."""

from __future__ import annotations

import random
import warnings

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.making import BLOCK, BREAKER, BRICK, HUT, METER, PACK, PLUG, PROJECTOR, STEP_DOWN, prepared, record_for
from ubrant.core.account import account_to_json
from ubrant.core.quantities.readings import ReadingsError
from ubrant.logbook.logs.log_file import LogError
from ubrant.methods.method import TAP_LOG, WAVE_LOG
from ubrant.methods.registry import entries
from ubrant.runs.coming_in.bringing_in import LogOptions, read_file
from ubrant.runs.kept.accounts import account_of_stored

HEADS = (
    "time / s",
    "input voltage / V",
    "input current / A",
    "input power / W",
    "output voltage / V",
    "output current / A",
    "output power / W",
    "source voltage / V",
    "ac voltage / V",
    "ac power / W",
    "ac frequency / Hz",
    "dc voltage / V",
    "dc current / A",
    "Voltage (V)",
)
ODD = ("", "", "OL", "-1e9", "0", "0", "0", "12.0", "12.0", "12.0", "11.5", "5.0")
METERS = ("0.1 % + 2 mV", "0.2 % + 5 mA", "0.1 % + 2 mV", "0.2 % + 5 mA")
UNITS = (STEP_DOWN, HUT, BREAKER, PROJECTOR, BRICK, PACK)
KEYS = [e.key for e in entries() if e.method.is_started]


def log(rng: random.Random) -> str:
    heads = list(
        dict.fromkeys(["time / s"] * (rng.random() < 0.7) + list(HEADS[1:5]) * (rng.random() < 0.6) + rng.sample(HEADS, rng.randint(2, 8)))
    )
    odd = rng.random()

    def cell(head: str, line: int) -> str:
        if head == "time / s":
            return str(line) if rng.random() > 0.02 else rng.choice(["", "0"])
        return rng.choice(ODD) if rng.random() < odd else f"{rng.uniform(-1, 20):.4f}"

    rows = [",".join(cell(head, line) for head in heads) for line in range(rng.randint(0, 40))]
    return "\n".join([",".join(heads), *rows]) + "\n"


def test_every_method_on_anything(tmp_path_factory):
    path = tmp_path_factory.mktemp("broken") / "log.csv"

    @settings(deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(st.integers(0, 2**32), st.booleans())
    def check(seed: int, known: bool) -> None:
        path.write_text(log(random.Random(seed)))
        said = {"tolerance": "5 V 5%", "rated": "15 W", "battery": "12 V 45 Ah lead-acid"} if known else {}
        for entry in entries():
            if entry.method.log not in {TAP_LOG, WAVE_LOG}:
                continue
            with warnings.catch_warnings():
                warnings.simplefilter("error")  # a warning of NumPy's would stand on the person's screen
                try:
                    account = account_of_stored(
                        read_file(path, LogOptions(entry.key, said, METERS if known else ("", "", "", ""))).record()
                    )
                except (LogError, ReadingsError) as error:
                    assert str(error)[-1] in ".”?", str(error)
                    continue
                look(account)

    check()


WORDS = (
    "input {a:.2f} V",
    "input {a:.2f} V {b:.3f} A",
    "output {c:.2f} V {b:.2f} A",
    "output {c:.1f} V {e} W",
    "50 Hz",
    "source {a:.2f} V",
    "skip",
    "tripped",
    "held",
    "alarm",
    "load off",
    "peak {e} W",
    "{e} W",
    "230 V 0.3 A 60 W",
    "standby",
    "load on",
    "input 0 V 0 A output 0 V 0 A",
    "input 0 W",
    "-5min note",
)


def lines(rng: random.Random) -> list[str]:
    found = []
    for _ in range(rng.randint(0, 25)):
        numbers = {
            "a": rng.choice([12, 11, 0, -1, rng.uniform(5, 14)]),
            "b": rng.choice([0, 0.01, -0.5, rng.uniform(0, 20)]),
            "c": rng.choice([0, 5, 230, rng.uniform(0, 240)]),
            "e": rng.choice([0, 1, 60, 300, -1]),
        }
        found.append(" ".join(rng.sample(WORDS, rng.randint(1, 3))).format(**numbers))
    return found


def look(account) -> None:
    """Everything that would be shown of it."""
    assert account.findings or account.trouble
    assert account.trouble or account.sentence.endswith((".", "?")), account.sentence
    assert "nan" not in str(
        [(f.value_text(), f.uncertainty_text(), f.with_uncertainty(), f.amount_text(), f.budget()) for f in account.findings.values()]
    )
    account_to_json(account)
    account.path()
    account.drawings()


@settings(deadline=None, database=None, suppress_health_check=list(HealthCheck))
@given(st.integers(0, 2**32), st.sampled_from(KEYS))
def test_every_method_by_hand_on_any_lines(seed: int, key: str) -> None:
    entry = next(e for e in entries() if e.key == key)
    unit = next((u for u in UNITS if entry.suits(u)), BLOCK)
    meters = (PLUG, METER) if unit in (BRICK, PROJECTOR) else (METER, PLUG)
    made = prepared(key, unit, meters, BLOCK)
    typed = {10.0 * k: line for k, line in enumerate(lines(random.Random(seed)))}
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        look(entry.method.account(record_for(key, made, lines=typed)))
