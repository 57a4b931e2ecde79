"""A meter: an instrument or a display a person reads, with its accuracy."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.accuracy import Accuracy, parse_accuracy


@dataclass(frozen=True)
class Meter:
    """One meter. Accuracies are kept as its manual words them; empty for unknown. ``id`` is 0 until it is kept."""

    name: str
    voltage_accuracy: str = ""
    current_accuracy: str = ""
    max_v: float | None = None
    max_a: float | None = None
    id: int = 0

    def accuracy(self, unit: str) -> Accuracy | None:
        """Accuracy in V or A; None when nobody said.

        Raises
        ------
        QuantityError
            The text is not understood.
        """
        text = self.voltage_accuracy if unit == "V" else self.current_accuracy
        return parse_accuracy(text, unit) if text.strip() else None
