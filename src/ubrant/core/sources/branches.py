"""What was read in three branches: what comes in, what the load takes, what the battery gives."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.readings import Array
from ubrant.core.wording import words

IN, OUT, BATTERY = "charger", "load", "battery"
BRANCHES = (IN, OUT, BATTERY)
STANDS = 0.02
"""Under this share of the largest current a branch carries nothing to speak of."""
ON_BATTERY, CARRIED, LOSING = words("on battery although supplied"), words("carried"), words("losing")
NO_DRAIN_SEEN, NOT_KNOWN = words("no drain seen"), words("not known")


@dataclass(frozen=True)
class Branches:
    """(n,) volts and amperes of each branch, by its name; NaN where it was not read. The battery's current is positive out of it.

    Attributes
    ----------
    half : by ``"load A"``, how wide each is to each side
    time_s : (n,) when
    """

    volts: Mapping[str, Array]
    amps: Mapping[str, Array]
    half: Mapping[str, Array]
    accuracy: Mapping[tuple[str, str], Accuracy | None]
    time_s: Array

    def __len__(self) -> int:
        return len(self.amps[IN])

    def half_of(self, branch: str, quantity: str, row: int) -> float:
        """Half of the last digit of one reading; 0 where that is not known."""
        widths = self.half.get(f"{branch} {quantity}")
        return float(widths[row]) if widths is not None and np.isfinite(widths[row]) else 0.0

    def rows(self, keep: npt.NDArray[np.bool_] | npt.NDArray[np.intp]) -> Branches:
        """Some of them, or in another order."""
        volts, amps, half = ({key: column[keep] for key, column in columns.items()} for columns in (self.volts, self.amps, self.half))
        return replace(self, volts=volts, amps=amps, half=half, time_s=self.time_s[keep])
