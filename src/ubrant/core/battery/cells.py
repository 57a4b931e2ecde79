"""Cells of a pack, where each was read: how far apart they are, which is the weakest, which one ends the run."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import Series
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say


def cell_findings(cells: Mapping[int, Series], floor_v: float | None = None) -> tuple[list[Finding], list[str]]:
    """Spread and weakest cell at the last reading under load, and warnings.

    Parameters
    ----------
    cells : volts of each cell by its number
    floor_v : the cell chemistry's floor, for the warning; None for unknown
    """
    known = {n: s for n, s in cells.items() if len(s)}
    if len(known) < 2:
        return [], []
    last = {n: float(s.value[-1]) for n, s in known.items()}
    first = {n: float(s.value[0]) for n, s in known.items()}
    low, high = min(last, key=lambda n: last[n]), max(last, key=lambda n: last[n])
    apart = last[high] - last[low]
    before = max(first.values()) - min(first.values())
    levels = ", ".join(f"{n}: {show(v)} V" for n, v in sorted(last.items()))
    median = float(np.median(list(last.values())))
    findings = [
        Finding(
            "cell_spread",
            say("Spread of the cells"),
            1000 * apart,
            "mV",
            None,
            say("at the last reading; {show} mV at the first", show=show(1000 * before, 3)),
            (levels,),
        ),
        Finding(
            "weakest_cell",
            "Weakest cell",
            float(low),
            "",
            None,
            say("{show} V, the others at about {median} V", show=show(last[low]), median=show(median)),
            (levels,),
        ),
    ]
    warnings = []
    if apart > 0.1 and apart > 2 * before:
        warnings.append(
            say(
                "Cell {low} ends this run: it stands at {show} V while the pack's others are at about {median} V. Look after that cell.",
                low=low,
                show=show(last[low]),
                median=show(median),
            )
        )
    if floor_v is not None and last[low] < floor_v:
        warnings.append(
            say(
                "Cell {low} was at {show} V, under the floor of {floor_v} V a cell: stop by the weakest cell, not by the pack.",
                low=low,
                show=show(last[low]),
                floor_v=show(floor_v, 2),
            )
        )
    return findings, warnings
