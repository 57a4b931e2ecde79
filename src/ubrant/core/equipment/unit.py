"""A thing on the shelf."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from ubrant.core.quantities.label import RESTS_AT, Label, parse_label

KINDS = ("battery", "bank", "station", "converter", "inverter", "charger", "load", "source", "lead")


@dataclass(frozen=True)
class Unit:
    """A battery, bank, converter, load …, with what its maker claims.

    ``stand_in`` holds the parameters of the simulated thing behind it, where it has one: what a rehearsal
    or a simulated run meets instead of hardware. ``id`` is 0 until it is kept in a logbook.
    """

    name: str
    kind: str
    label_text: str = ""
    chemistry: str | None = None
    note: str = ""
    max_current_a: float | None = None
    stand_in: dict[str, Any] = field(default_factory=dict)
    id: int = 0

    @property
    def printed(self) -> str:
        """What is printed on it, without what a person added."""
        return self.label_text.partition(RESTS_AT)[0]

    @property
    def label(self) -> Label:
        """The label read again from its text.

        Raises
        ------
        LabelError
            The text holds no capacity, as for a blower or a projector.
        """
        return parse_label(self.label_text, self.chemistry)
