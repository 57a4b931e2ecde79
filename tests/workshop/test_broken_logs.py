"""Logs of converters with anything in their cells: findings, or one sentence; never anything else."""

from __future__ import annotations

import random
import warnings

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from ubrant.core.accuracy import Accuracy
from ubrant.core.label import parse_label
from ubrant.core.points import SweepMeters
from ubrant.core.readings import ReadingsError
from ubrant.core.tolerance import parse_tolerance
from ubrant.logbook.logs.log_file import LogError
from ubrant.workshop.conversion import idle_log, steps_log, sweep_log, wave_log

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

    @settings(max_examples=150, deadline=None, database=None, suppress_health_check=list(HealthCheck))
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
