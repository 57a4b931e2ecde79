"""What can be wrong with a figure, as objects: two figures share an error where their sources are equal, never where they are only called alike."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from enum import StrEnum

from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show
from ubrant.core.wording import remembered, say, words


class ErrorKind(StrEnum):
    """How an error came about; by it, and by nothing else, others decide what becomes of it."""

    GAIN = "gain"
    ZERO = "zero"
    LINEARITY = "linearity"
    DIGIT = "digit"
    NOISE = "noise"
    GAP = "gap"
    BETWEEN = "between readings"
    MOMENT = "moment"
    CONDITION = "condition"
    REPEAT = "repeat"
    LIMIT = "limit"


OF_METERS = frozenset({ErrorKind.GAIN, ErrorKind.ZERO, ErrorKind.LINEARITY})
"""Errors that stay with an instrument from one reading to the next."""
_QUANTITIES = {"V": words("voltage"), "A": words("current"), "W": words("power"), "Wh": words("energy"), "Ah": words("charge")}
_KINDS = {ErrorKind.GAIN: words("gain"), ErrorKind.ZERO: words("zero"), ErrorKind.LINEARITY: words("linearity")}
_UNSAID_PLACES = {"", "battery"}
"""Where there is only one meter, as a rule: nobody asks which."""
_QUOTIENTS = {("Ah", "A"): "h", ("Wh", "A"): "V·h", ("Wh", "V"): "Ah", ("Wh", "W"): "h", ("W", "A"): "V", ("W", "V"): "A"}


@dataclass(frozen=True)
class ErrorSource:
    """One thing that can be wrong.

    Attributes
    ----------
    kind : how it came about
    of : the uid of the meter that has it, empty where nobody said which that is; where it is no meter's, what it is, in words
    quantity : V, A or W of a meter's; else the unit of ``half``
    place : the tap whose readings have it; empty where it is of all taps that the meter was read at
    when : which of several alike, such as the fourth reading
    run : the run it belongs to, where figures of several runs are put together; empty for what outlasts a run
    at : where it was read, for people
    half : its limit to both sides, as a share for a gain, else in ``quantity``; NaN where it has none
    dof : degrees of freedom behind it: repeats less what was fitted; infinite for limits of error
    note : the arithmetic behind it, for people

    Notes
    -----
    All but the last four tell it from others, and survive being kept, sent to a worker, and read again.
    """

    kind: ErrorKind
    of: str
    quantity: str = ""
    place: str = ""
    when: str = ""
    run: str = ""
    at: str = field(default="", compare=False)
    half: float = field(default=math.nan, compare=False)
    dof: float = field(default=math.inf, compare=False)
    note: str = field(default="", compare=False)

    def __hash__(self) -> int:
        return hash((self.of, self.quantity, self.place, self.when, self.run))  # a member of an enumeration is slow to hash

    @property
    def is_of_meter(self) -> bool:
        return self.kind in OF_METERS

    @property
    def outlasts_runs(self) -> bool:
        """It is of a meter that is known, and stays with it from one run to the next."""
        return self.is_of_meter and bool(self.of)

    def in_run(self, run: str) -> ErrorSource:
        """The same as one of a run's own."""
        return replace(self, run=run)

    def words(self) -> str:
        """What it is called: ``input current gain``."""
        if not self.is_of_meter:
            name = say(self.of)
        else:
            quantity, kind = say(_QUANTITIES.get(self.quantity, self.quantity)), say(_KINDS[self.kind])
            place = "" if self.at in _UNSAID_PLACES else say(self.at)
            name = " ".join(filter(None, (place, quantity, kind)))
        told = ", ".join(filter(None, (self.when, self.run)))
        return f"{name} ({told})" if told else name

    def reason(self, amount: float, unit: str) -> str:
        """The arithmetic of its part in a figure: ``0.5 % of 48.9 Ah ÷ √3``.

        Parameters
        ----------
        amount : its standard uncertainty in the figure, in ``unit``
        """
        if not self.half > 0:
            return self.note
        by = abs(amount) * math.sqrt(3) / self.half
        if self.kind in {ErrorKind.GAIN, ErrorKind.LINEARITY}:
            text = say("{share} % of {amount} {unit} ÷ √3", share=show(100 * self.half, 2), amount=show(by), unit=unit).replace("  ", " ")
        else:
            text = f"{_amount(self.half, self.quantity)}{self._times(by, unit)} ÷ √3"
        return f"{text}, {self.note}" if self.note else text

    def _times(self, by: float, unit: str) -> str:
        if self.quantity in {unit, ""} and math.isclose(by, 1.0, rel_tol=1e-6):
            return ""
        per = _QUOTIENTS.get((unit, self.quantity)) or (
            "" if unit == self.quantity else f"{unit}/{self.quantity}" if self.quantity else unit
        )
        return f" × {show(by)} {per}".rstrip()


def _amount(half: float, unit: str) -> str:
    small = unit in {"V", "A"} and half < 1
    return f"{show(half * 1000, 2)} m{unit}" if small else f"{show(half, 2)} {unit}".rstrip()


@remembered
def errors_of_meter(accuracy: Accuracy, place: str = "") -> tuple[ErrorSource, ErrorSource, ErrorSource]:
    """Gain, zero, and what the gain differs by at this place from where the meter was read first.

    Parameters
    ----------
    place : where it was read, for one of which nobody said what meter it is
    """
    at = accuracy.place or place
    of, unit = accuracy.meter, accuracy.unit
    shown = say("one meter's") if accuracy.is_shared else at
    return (
        ErrorSource(ErrorKind.GAIN, of, unit, "" if of else at, at=shown, half=accuracy.gain),
        ErrorSource(ErrorKind.ZERO, of, unit, at, at=at, half=accuracy.zero),
        ErrorSource(ErrorKind.LINEARITY, of, unit, at, at=at, half=accuracy.linearity),
    )
