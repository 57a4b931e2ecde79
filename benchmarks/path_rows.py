"""What one more row costs on a path that is held against itself, CPU of its account: ``python benchmarks/path_rows.py``. The 200th against the 20th."""

from __future__ import annotations

import time

import numpy as np

from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.jot import Grammar
from ubrant.core.record.head import BY_HAND, Origin, RunHeader, Setup
from ubrant.core.record.jot_text import TimedLine
from ubrant.core.record.record import record_of
from ubrant.methods.registry import method_of
from ubrant.runs.kept.accounts import whole_account

FEW, MANY, EACH = 20, 200, 8
DC = Meter("Bench", "0.05 % + 2 mV", "0.2 % + 2 mA")


def main() -> None:
    method, grammar, rng = method_of("anything"), Grammar(), np.random.default_rng(1)
    setup = Setup(Unit("Step-down", "converter", "12 V to 5 V, 8 A"), dict.fromkeys(("charger", "battery", "input", "output"), DC))
    lines: list[TimedLine] = []
    for k in range(MANY + EACH):
        out_a, charged = 1 + 6 * rng.random(), rng.random()
        into = (5.02 * out_a / 0.88 + 0.5) / 12.5
        text = (
            f"charger 13.20 V {charged:.3f} A battery 12.61 V {into - charged:.3f} A input 12.50 V {into:.3f} A output 5.02 V {out_a:.3f} A"
        )
        jotting = grammar.parse(text)
        assert jotting is not None
        lines.append(TimedLine(600.0 * k, jotting))

    def account(count: int) -> float:
        record = record_of(RunHeader("anything", setup, {}, origin=Origin(BY_HAND)), {}, (), lines[:count])
        begun = time.process_time()
        made = whole_account(method, record)
        took = time.process_time() - begun
        assert not made.trouble and not made.questions
        return took

    def each(count: int) -> float:
        account(count)
        return float(np.median([account(count + k) for k in range(1, EACH)]))

    few, at_once = each(FEW), account(MANY)
    many = each(MANY)
    print(
        f"one more row at {FEW} rows {1000 * few:.1f} ms CPU, at {MANY} rows {1000 * many:.1f}: {many / few:.2f} ×; "
        f"the {MANY - FEW} that were new at once {1000 * at_once:.0f} ms"
    )


if __name__ == "__main__":
    main()
