"""Logs of converters with anything in their cells, and trials with anything typed: findings, or one sentence; never anything else."""

from __future__ import annotations

import random
import warnings
from dataclasses import replace

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.workshop.test_trial_paths import BREAKER, BRICK, PROJECTOR, told
from tests.workshop.test_trial_rows import BLOCK, HUT, METER, PLUG, STEP_DOWN, kept
from ubrant.core.accuracy import Accuracy
from ubrant.core.label import parse_label
from ubrant.core.points import SweepMeters
from ubrant.core.readings import ReadingsError
from ubrant.core.tolerance import parse_tolerance
from ubrant.logbook.logs.log_file import LogError
from ubrant.logbook.records import Run
from ubrant.runs.benches import BY_HAND
from ubrant.workshop.conversion import idle_log, steps_log, sweep_log, wave_log
from ubrant.workshop.paths import found_path
from ubrant.workshop.trials.registry import trial_of
from ubrant.workshop.trials.trial import plan_as_json, told_of

HEADS = (
    "time / s", "input voltage / V", "input current / A", "input power / W", "output voltage / V", "output current / A", "output power / W",
    "source voltage / V", "ac voltage / V", "ac power / W", "ac frequency / Hz", "dc voltage / V", "dc current / A", "Voltage (V)",
)  # fmt: skip
ODD = ("", "", "OL", "-1e9", "0", "0", "0", "12.0", "12.0", "12.0", "11.5", "5.0")
METERS = SweepMeters(Accuracy(0.001, 0.002, "V"), Accuracy(0.002, 0.005, "A"), Accuracy(0.001, 0.002, "V"), Accuracy(0.002, 0.005, "A"))


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

    @settings(max_examples=80, deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(st.integers(0, 2**32), st.booleans())
    def check(seed: int, known: bool) -> None:
        path.write_text(log(random.Random(seed)))
        meters, tolerance = METERS if known else SweepMeters(), parse_tolerance("5 V 5%") if known else None
        battery = parse_label("12 V 45 Ah lead-acid") if known else None
        for analyse in (
            lambda: sweep_log(path, meters, tolerance, 15.0 if known else None), lambda: steps_log(path, meters, tolerance, 150.0, battery),
            lambda: idle_log(path, meters), lambda: wave_log(path, None, METERS.input_v),
        ):  # fmt: skip
            with warnings.catch_warnings():
                warnings.simplefilter("error")  # a warning of NumPy's would stand on the person's screen
                try:
                    found = analyse()
                except (LogError, ReadingsError) as error:
                    assert str(error)[-1] in ".”?", str(error)
                    continue
            assert found.findings
            assert found.sentence.endswith(".")

    check()


WORDS = (
    "input {a:.2f} V", "input {a:.2f} V {b:.3f} A", "output {c:.2f} V {b:.2f} A", "output {c:.1f} V {e} W", "50 Hz", "source {a:.2f} V", "skip", "tripped",
    "held", "alarm", "load off", "peak {e} W", "{e} W", "230 V 0.3 A 60 W", "standby", "load on", "input 0 V 0 A output 0 V 0 A", "input 0 W", "-5min note",
)  # fmt: skip


def lines(rng: random.Random) -> list[str]:
    found = []
    for _ in range(rng.randint(0, 25)):
        numbers = {"a": rng.choice([12, 11, 0, -1, rng.uniform(5, 14)]), "b": rng.choice([0, 0.01, -0.5, rng.uniform(0, 20)]),
                   "c": rng.choice([0, 5, 230, rng.uniform(0, 240)]), "e": rng.choice([0, 1, 60, 300, -1])}  # fmt: skip
        found.append(" ".join(rng.sample(WORDS, rng.randint(1, 3))).format(**numbers))
    return found


@settings(max_examples=80, deadline=None, database=None, suppress_health_check=list(HealthCheck))
@given(st.integers(0, 2**32), st.sampled_from(["sweep", "steps", "idle", "trip", "appliance", "supply"]))
def test_every_trial_by_hand_on_any_lines(seed: int, method: str) -> None:
    unit = {"sweep": STEP_DOWN, "trip": BREAKER, "appliance": PROJECTOR, "supply": BRICK}.get(method, HUT)
    plan = replace(told(unit, method, (PLUG, METER) if method in {"supply", "appliance"} else (METER, PLUG)), battery=BLOCK)
    run = Run(None, method, BY_HAND, "2026-11-01T10:00:00+00:00", plan=plan_as_json(plan), label_text=unit.label_text, voltage_accuracy="0.1 %",
              current_accuracy="0.5 %")  # fmt: skip
    jots = [(10.0 * k, line) for k, line in enumerate(lines(random.Random(seed)))]
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        view = trial_of(method).view(run, kept(jots=jots))
        said = [(f.value_text(), f.doubt_text(), f.with_doubt(), f.amount_text(), f.budget()) for f in view.findings.values()]
        assert "nan" not in str(said)
        found_path(told_of(run), view)
    assert view.findings or view.trouble
