"""An account in a few words and a small picture, for a card."""

from __future__ import annotations

import numpy as np

from ubrant.core.account import Account
from ubrant.core.drawings import Curve, Plot, TraceDrawing
from ubrant.core.quantities.readings import Array
from ubrant.core.uncertainty.finding import Finding

_MOST_ANSWERS = 2
_DOTS = 32
Sketch = tuple[tuple[float, float], ...]


def in_short(account: Account) -> str:
    """What its method says in a few words, or else the first two answers."""
    if account.short:
        return account.short
    found = [f for key in account.answers if (f := account.findings.get(key)) is not None and f.value is not None]
    return "; ".join(map(_few_words, found[:_MOST_ANSWERS]))


def _few_words(finding: Finding) -> str:
    return f"{finding.name} {finding.with_uncertainty()}"


def sketch_of(account: Account) -> Sketch:
    """The first curve that is drawn of it, as points between 0 and 1 both ways; empty without one."""
    for drawing in account.drawings():
        if isinstance(drawing, Plot):
            lines = [layer for layer in drawing.layers if isinstance(layer, Curve) and len(layer.x) > 1]
            if lines:
                return _between_0_and_1(lines[0].x, lines[0].y)
        elif isinstance(drawing, TraceDrawing) and (volts := drawing.measured.get("V")) is not None and len(volts) > 1:
            return _between_0_and_1(volts.time_s, volts.value)
    return ()


def _between_0_and_1(x: Array, y: Array) -> Sketch:
    good = np.isfinite(x) & np.isfinite(y)
    x, y = x[good], y[good]
    if len(x) < 2 or np.ptp(x) == 0:
        return ()
    at = np.unique(np.linspace(0, len(x) - 1, _DOTS).round().astype(int))
    along = (x[at] - x.min()) / np.ptp(x)
    up = (y[at] - y.min()) / np.ptp(y) if np.ptp(y) > 0 else np.full(len(at), 0.5)
    return tuple((round(float(a), 3), round(float(b), 3)) for a, b in zip(along, up, strict=True))
