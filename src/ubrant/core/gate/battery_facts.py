"""What a discharge's checks look at."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ubrant.core.quantities.label import Label
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.record.scan import Scan

MOST_FOR_STEPS = 2_000_000
"""Longer records are not looked through step by step."""


def no_readings_of_both() -> Readings:
    """Neither volts nor amperes."""
    return Readings(np.empty(0), np.empty(0), np.empty(0))


@dataclass(frozen=True)
class BatteryFacts:
    """What the checks look at; what is left out speaks against nothing.

    Attributes
    ----------
    readings : discharge current positive; first, last : indexes of the first and last of them under load
    begins_loaded : the record has nothing of the time before the load
    full : how it is known that it was full at the start; empty where it is not
    not_full : what speaks against it, though somebody said so
    counts_from_0 : a counter beside the readings began at 0 with them
    unread : what flowed beside a counter's first and last reading, in a few words; empty where little did
    behind : the tap of a counter behind something that has losses of its own; empty for none
    amps_once : a person read the amperes once, and the volts several times
    emptied : it gave what it gives: its cut-off was reached, or it switched itself off
    charged_ah : put in between load on and the end
    power : W at the same tap, where it was logged beside V and A
    looked : the readings looked through, where that is done already
    fell_plausibly : False where it switched itself off at a voltage at which no battery is empty
    """

    readings: Readings = field(default_factory=no_readings_of_both)
    first: int = 0
    last: int = 0
    label: Label | None = None
    charge_ah: float = 0.0
    share: float | None = None
    share_u: float = 0.0
    c_rate: float | None = None
    mean_v: float | None = None
    begins_loaded: bool = False
    full: str = ""
    not_full: str = ""
    charged_ah: float = 0.0
    is_typed: bool = False
    power: Series | None = None
    looked: Scan | None = None
    fell_plausibly: bool = True
    disagreements: tuple[str, ...] = ()
    counts_from_0: bool = False
    unread: str = ""
    behind: str = ""
    emptied: bool = True
    amps_once: bool = False

    @property
    def looks_at_steps(self) -> bool:
        return not self.is_typed and 3 < len(self.readings) <= MOST_FOR_STEPS
