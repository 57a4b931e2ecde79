"""What a converter costs: P_loss = p₀ + a·P_out + b·P_out², an always-on, a proportional and a resistive part."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ubrant.core.quantities.readings import Array


@dataclass(frozen=True)
class LossModel:
    """``fixed_w`` W, ``proportional`` 1, ``resistive_per_w`` 1/W; ``lowest_w`` and ``highest_w`` are the loads it was fitted over."""

    fixed_w: float
    proportional: float
    resistive_per_w: float
    lowest_w: float
    highest_w: float

    def loss_w(self, output_w: float) -> float:
        return self.fixed_w + self.proportional * output_w + self.resistive_per_w * output_w**2

    def parts_w(self, output_w: float) -> tuple[float, float, float]:
        """The three parts of the loss at a load."""
        return self.fixed_w, self.proportional * output_w, self.resistive_per_w * output_w**2

    def efficiency(self, output_w: float) -> float:
        """A fraction; 0 at no load."""
        return output_w / (output_w + self.loss_w(output_w)) if output_w > 0 else 0.0

    def peak(self) -> tuple[float, float]:
        """(load in W, efficiency) of the best load: P = √(p₀/b), or the end of the range where that lies outside it or b ≤ 0."""
        at = math.sqrt(self.fixed_w / self.resistive_per_w) if self.resistive_per_w > 0 and self.fixed_w > 0 else self.highest_w
        at = min(max(at, self.lowest_w), self.highest_w)
        return at, self.efficiency(at)

    def half_arrives_w(self) -> float | None:
        """The load from which more than half of the energy arrives: the smaller root of b·P² − (1 − a)·P + p₀ = 0; None where there is none."""
        a, b, c = self.resistive_per_w, -(1 - self.proportional), self.fixed_w
        if abs(a) < 1e-12:
            return -c / b if b < 0 else None
        inside = b * b - 4 * a * c
        if inside < 0:
            return None
        roots = sorted(((-b - math.sqrt(inside)) / (2 * a), (-b + math.sqrt(inside)) / (2 * a)))
        return next((r for r in roots if r > 0), None)


_LEAST_WEIGHED = 0.002
"""Of the largest input power: what is under it weighs no more, as it may be nothing but a meter's zero."""


_ONE_LEVEL, _NOTHING = 0.02, 0.0005
"""Outputs within this share of each other, or of the largest, are one load: losses cannot be told apart over them. Common practice, no source."""


def _levels(output_w: Array) -> int:
    """How many different loads there are: one that stands at the same amperes wanders a little, and is one."""
    loads = np.sort(output_w)
    if not len(loads):
        return 0
    apart = np.maximum(_ONE_LEVEL * np.abs(loads[1:]), _NOTHING * max(abs(float(loads[0])), abs(float(loads[-1]))))
    return 1 + int(np.count_nonzero(loads[1:] - loads[:-1] > apart))


def fit_loss(input_w: Array, output_w: Array, weighed_by: Array | None = None) -> tuple[LossModel, Array, Array] | None:
    """Least squares over points, weighted 1/P_in; ``weighed_by`` is the P_in for that where the points have been moved for the sake of an uncertainty.

    Returns
    -------
    The model, the (3, n) matrix that takes losses to its parameters, and the (n,) residuals in watts; None for fewer than four points or
    fewer than three different loads.
    """
    if len(input_w) < 4 or _levels(output_w) < 3:
        return None
    weight = 1 / np.maximum(input_w if weighed_by is None else weighed_by, max(_LEAST_WEIGHED * float(input_w.max()), 1e-6))
    design = np.empty((len(output_w), 3))
    design[:, 0], design[:, 1], design[:, 2] = 1.0, output_w, output_w**2
    scaled = design * weight[:, None]
    orthogonal, upper = np.linalg.qr(scaled)
    takes = np.linalg.solve(upper, orthogonal.T) * weight[None, :]
    found = takes @ (input_w - output_w)
    residual = np.asarray(input_w - output_w - design @ found)
    return LossModel(float(found[0]), float(found[1]), float(found[2]), float(output_w.min()), float(output_w.max())), takes, residual


EUROPEAN = ((0.05, 0.03), (0.10, 0.06), (0.20, 0.13), (0.30, 0.10), (0.50, 0.48), (1.00, 0.20))
CALIFORNIAN = ((0.10, 0.04), (0.20, 0.05), (0.30, 0.12), (0.50, 0.21), (0.75, 0.53), (1.00, 0.05))
"""(share of the rated output, weight). EN 50530; weights from memory. Made for solar inverters: Ubrant takes the rated output for both."""


def weighted_efficiency(
    shares: tuple[tuple[float, float], ...], rated_w: float, output_w: Array, input_w: Array, model: LossModel
) -> float | None:
    """A weighted efficiency, a fraction: by the measured points at these shares (within 2 % of the rating), else by the fitted losses.

    None where the points do not reach up to the rating.
    """
    if output_w.max() < 0.97 * rated_w:
        return None
    share, weight = _columns(shares)
    load = share * rated_w
    near = np.abs(output_w - load[:, None]) <= 0.02 * rated_w * np.maximum(share, 0.1)[:, None]
    count = near.sum(axis=1)
    efficiency = np.divide(output_w, input_w, out=np.zeros_like(output_w), where=input_w > 0)
    measured = near @ efficiency / np.maximum(count, 1)
    fitted = load / (load + model.fixed_w + model.proportional * load + model.resistive_per_w * load**2)
    return float(weight @ np.where(count > 0, measured, fitted))


@lru_cache
def _columns(shares: tuple[tuple[float, float], ...]) -> tuple[Array, Array]:
    share, weight = np.array(shares).T
    return share, weight
