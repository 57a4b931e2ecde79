"""Lead resistances at a node, from what its branches' voltages differ by: told apart only where two currents were varied by themselves."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.finding import AT_MOST, Finding
from ubrant.core.uncertainty.perturbed import Columns, by_errors, errors_in
from ubrant.core.uncertainty.value import Value, exactly, scattered
from ubrant.core.wording import say, words

_APART = 0.08
"""Of the largest singular value of the scaled currents, under which they were not varied by themselves. Common practice, no source."""
_UNKNOWNS = {2: 3, 3: 5}
"""Resistances, and what two voltmeters differ by, for so many branches whose voltage was read."""


def lead_resistances(
    volts: Mapping[str, Array], amps: Mapping[str, Array], accuracy: Mapping[tuple[str, str], Accuracy | None], load: str
) -> dict[str, Finding]:
    """From the node to where each voltage was read, by branch; empty where the currents do not tell them apart.

    Parameters
    ----------
    volts, amps : (n,) of each branch; current towards the node is positive, that of ``load`` away from it
    accuracy : by branch and quantity
    """
    read = [branch for branch in volts if np.isfinite(volts[branch]).sum() > 2]
    if load not in read or len(read) not in _UNKNOWNS:
        return {}
    good = np.all([np.isfinite(volts[b]) & np.isfinite(amps[b]) for b in read], axis=0)
    feeding = [branch for branch in read if branch != load]
    if good.sum() * len(feeding) <= _UNKNOWNS[len(read)] or not _tells_apart([amps[b][good] for b in read]):
        return {}
    values = {f"{b} {q}": columns[b][good] for b in read for q, columns in (("V", volts), ("A", amps))}
    errors = tuple(
        e for b in read for q in "VA" if (limits := accuracy.get((b, q))) is not None for e in errors_in(limits, f"{b} {q}", place=b)
    )
    solve = _solver(feeding, load)
    known = all(accuracy.get((b, q)) is not None for b in read for q in "VA")
    base = by_errors(lambda moved: solve(moved)[0], values, errors, known=known)
    _, scatter, dof = solve(values)
    return {f"lead_{b}": _found(b, exactly(base[b] or 0.0) + scattered(scatter[b], words("scatter of the points"), dof)) for b in read}


def _tells_apart(columns: list[Array]) -> bool:
    """Whether the currents vary each by itself, once what stays the same in all points is taken off."""
    centred = np.column_stack([column - column.mean() for column in columns])
    size = np.linalg.svd(centred, compute_uv=False)
    return bool(size[0] > 0 and size[1] > _APART * size[0])


def _solver(feeding: list[str], load: str) -> Callable[[Columns], tuple[dict[str, float | None], dict[str, float], float]]:
    """Least squares over V = V_node ± I·R, the node's voltage unknown at every point, and what two voltmeters differ by."""

    def solve(values: Columns) -> tuple[dict[str, float | None], dict[str, float], float]:
        n = len(values[f"{load} A"])
        order = [*feeding, load]
        design, right = np.zeros((n * len(order), n + len(order) + len(feeding))), np.zeros(n * len(order))
        for k, branch in enumerate(order):
            rows = slice(k * n, (k + 1) * n)
            design[rows, :n] = np.eye(n)
            design[rows, n + k] = -values[f"{branch} A"] if branch == load else values[f"{branch} A"]
            right[rows] = values[f"{branch} V"]
            if branch != load:
                design[rows, n + len(order) + k] = 1.0
        solved, *_ = np.linalg.lstsq(design, right, rcond=None)
        dof = float(len(right) - design.shape[1])
        left = right - design @ solved
        spread = np.sqrt(np.maximum(np.diag(np.linalg.pinv(design.T @ design)) * float(left @ left) / dof, 0.0))
        return {b: float(solved[n + k]) for k, b in enumerate(order)}, {b: float(spread[n + k]) for k, b in enumerate(order)}, dof

    return solve


def _found(branch: str, ohm: Value) -> Finding:
    name = say("Lead of the {branch}", branch=say(branch))
    working = say("what its voltage differs from the load's by, over the currents, least squares")
    found = Finding.made(f"lead_{branch}", name, ohm, "Ω", working)
    u = found.expanded_uncertainty
    if u is None or not math.isfinite(u) or ohm.value > u:
        return found
    return replace(found, value=max(ohm.value, 0.0) + u, contributions=(), bound=AT_MOST)
