"""The voltage of a system where nobody read one: it stands in, marked so, with what its chemistry lets it be as doubt."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.quantities.chemistry import LEAD_ACID, Chemistry, cells_in_series
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say


@dataclass(frozen=True)
class StandIn:
    """It may be anything from ``low_v`` to ``high_v``, rectangular."""

    system_v: float
    low_v: float
    high_v: float

    @property
    def middle_v(self) -> float:
        return (self.low_v + self.high_v) / 2

    @property
    def half_v(self) -> float:
        return (self.high_v - self.low_v) / 2

    def sentence(self) -> str:
        """For a warning."""
        return say(
            "No volts were read: {system} V stand in, anywhere from {low} to {high} V. Read them once, and the watts and watt-hours are known better.",
            system=plain(self.system_v),
            low=plain(self.low_v, 3),
            high=plain(self.high_v, 3),
        )


def stand_in(system_v: float, kind: Chemistry | None = None) -> StandIn:
    """For a system of so many volts; without a chemistry, or with one whose cells do not add up to it, as lead-acid: 24 V is 23 to 29 V."""
    kind = kind if kind is not None and cells_in_series(system_v, kind) else LEAD_ACID
    cells = cells_in_series(system_v, kind) or system_v / kind.nominal_v[0]
    return StandIn(system_v, cells * kind.in_use_v[0], cells * kind.in_use_v[1])


def stand_in_of(label: Label | None) -> StandIn | None:
    """For a battery; None where its label says no volts."""
    return stand_in(label.voltage_v, label.kind_of_cell) if label is not None and label.voltage_v else None
