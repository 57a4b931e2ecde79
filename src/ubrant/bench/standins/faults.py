"""The fault switch: what can go wrong with an instrument, when, and for how long."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass

KINDS = ("silent", "late", "garbage", "half", "nan", "range", "close", "gone", "other", "freeze", "draws nothing", "stuck on")
"""No answer; an answer that comes with the next question; nonsense; half a line; not a number; overload; the line closed once; closed
and not taken up again; another device on the port; a value that never changes; a load that says it is on and draws nothing; a load that
does not go off."""


@dataclass(frozen=True)
class Fault:
    """One fault of one device, from ``at_s`` of the world's time, for ``for_s``, or for the next ``count`` questions."""

    device: str
    kind: str
    at_s: float = 0.0
    for_s: float = math.inf
    count: int = 0


class FaultSwitch:
    """Says which fault holds now, and counts those that are counted."""

    def __init__(self, faults: Iterable[Fault], now_s: Callable[[], float]) -> None:
        self._faults = list(faults)
        self._now_s = now_s
        self._left = {id(f): f.count for f in self._faults}

    def holds(self, device: str, *kinds: str) -> str:
        """The kind of fault that holds for a device now, among those asked for; empty for none."""
        now = self._now_s()
        for fault in self._faults:
            if fault.device == device and fault.kind in kinds and fault.at_s <= now < fault.at_s + fault.for_s:
                if fault.count:
                    if not self._left[id(fault)]:
                        continue
                    self._left[id(fault)] -= 1
                return fault.kind
        return ""
