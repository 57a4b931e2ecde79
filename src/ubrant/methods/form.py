"""The fields of a method's form: what each holds, how it is read from what a person types and shown again."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Protocol

from ubrant.core.quantities.hand_loads import parse_loads
from ubrant.core.quantities.jot import JotError
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain, show_duration
from ubrant.core.quantities.tolerance import Tolerance, parse_tolerance
from ubrant.core.wording import say

PLAN, CRITERIA, CONDITIONS, ORIGIN = "plan", "criteria", "conditions", "origin"
"""What part of a record's head a field belongs to."""


class FieldError(QuantityError):
    """A field that cannot be read; ``key`` says which, ``what`` why without naming it."""

    def __init__(self, key: str, sentence: str, what: str = "") -> None:
        super().__init__(sentence)
        self.key, self.what = key, what or sentence


class FieldKind(Protocol):
    """What a field holds. ``read`` raises QuantityError."""

    def read(self, text: str) -> Any: ...

    def show(self, value: Any) -> str: ...


@dataclass(frozen=True)
class QuantityKind:
    """A value with its unit; None for nothing typed, where it may be left empty."""

    unit: str
    may_be_empty: bool = False

    def read(self, text: str) -> float | None:
        if self.may_be_empty and not text.strip():
            return None
        return parse_quantity(text, self.unit)

    def show(self, value: Any) -> str:
        if value is None:
            return ""
        if self.unit == "s" and parse_quantity(show_duration(value), "s") == value:
            return show_duration(value)
        return f"{value:.12g} {self.unit}"


@dataclass(frozen=True)
class Quantities:
    """Several values of one unit: ``0, 1, 2 A``."""

    unit: str

    def read(self, text: str) -> tuple[float, ...]:
        parts = text.replace(f" {self.unit}", "").replace(";", ",").split(",")
        return tuple(parse_quantity(part, self.unit) for part in parts if part.strip())

    def show(self, value: Any) -> str:
        return ", ".join(f"{v:.12g}" for v in value) + f" {self.unit}" if value else ""


@dataclass(frozen=True)
class Loads:
    """What hangs on an output of so many volts, in A: ``0, 0.5 A, 4.7 Ω 10 W, heater low``; NaN for what nobody knows."""

    output_v: float

    def read(self, text: str) -> tuple[float, ...]:
        return tuple(load.amps for load in parse_loads(text, self.output_v)) if text.strip() else ()

    def show(self, value: Any) -> str:
        return ", ".join(f"{v:.12g}" for v in value) + " A" if value else ""


@dataclass(frozen=True)
class Factor:
    """A bare number; None for nothing typed."""

    def read(self, text: str) -> float | None:
        if not text.strip():
            return None
        try:
            return float(text.replace(",", "."))
        except ValueError:
            raise QuantityError(say("“{what}” is no number.", what=text)) from None

    def show(self, value: Any) -> str:
        return "" if value is None else f"{value:.12g}"


@dataclass(frozen=True)
class YesNo:
    def read(self, text: str) -> bool:
        return text.strip().lower() in {"yes", "y", "1", "true"}

    def show(self, value: Any) -> str:
        return "yes" if value else "no"


@dataclass(frozen=True)
class ChoiceKind:
    """One of a few, as (what is read there, its key)."""

    options: tuple[tuple[str, str], ...]

    def read(self, text: str) -> str:
        wanted = text.strip().lower()
        for shown, key in self.options:
            if wanted in {shown.lower(), key.lower()}:
                return key
        raise QuantityError(say("“{what}” is none of {join}.", what=text, join=", ".join((shown for shown, _ in self.options))))

    def show(self, value: Any) -> str:
        return next((shown for shown, key in self.options if key == value), str(value))


@dataclass(frozen=True)
class Words:
    """Free words. ``check`` raises QuantityError for what cannot be understood later."""

    check: Callable[[str], object] | None = None

    def read(self, text: str) -> str:
        if self.check is not None:
            self.check(text)
        return text.strip()

    def show(self, value: Any) -> str:
        return str(value)


@dataclass(frozen=True)
class Names:
    """Several names: ``standby, on``."""

    def read(self, text: str) -> tuple[str, ...]:
        return tuple(part.strip() for part in text.split(",") if part.strip())

    def show(self, value: Any) -> str:
        return ", ".join(value)


@dataclass(frozen=True)
class Allowed:
    """A tolerance; None for nothing typed."""

    def read(self, text: str) -> Tolerance | None:
        return parse_tolerance(text) if text.strip() else None

    def show(self, value: Any) -> str:
        return "" if value is None else f"{value.low:.12g}..{value.high:.12g} V"


@dataclass(frozen=True)
class Phases:
    """(seconds, amount) one after the other: ``300 s 0.5; 60 s 0``."""

    def read(self, text: str) -> tuple[tuple[float, float], ...]:
        found = []
        for part in text.split(";"):
            if not part.strip():
                continue
            seconds, _, amount = part.strip().rpartition(" ")
            found.append((parse_quantity(seconds, "s"), parse_quantity(f"{amount} A", "A")))
        return tuple(found)

    def show(self, value: Any) -> str:
        return "; ".join(f"{s:.12g} s {a:.12g}" for s, a in value)


@dataclass(frozen=True)
class Field:
    """One line of a form.

    Attributes
    ----------
    key, title : for files, for people
    usual : what is proposed; empty for unknown
    part : what it belongs to
    folded : it stands under *More*
    beside : it shares the line of the field before it
    roads : benches it is asked for on; empty for all
    only_with : whether it is asked for, by what is typed in the others
    """

    key: str
    title: str
    kind: FieldKind
    usual: str = ""
    hint: str = ""
    part: str = PLAN
    folded: bool = False
    beside: bool = False
    roads: tuple[str, ...] = ()
    only_with: Callable[[Mapping[str, str]], bool] | None = None

    def read(self, text: str) -> Any:
        """What was typed.

        Raises
        ------
        FieldError
            It cannot be read.
        """
        try:
            return self.kind.read(text)
        except (QuantityError, JotError) as error:
            raise FieldError(self.key, f"{self.title}: {error}", str(error)) from None


def read_fields(fields: tuple[Field, ...], typed: Mapping[str, str]) -> dict[str, dict[str, Any]]:
    """What was typed, by part and key; what nobody typed as it is usual.

    Raises
    ------
    FieldError
        A field that cannot be read.
    """
    values: dict[str, dict[str, Any]] = {PLAN: {}, CRITERIA: {}, CONDITIONS: {}, ORIGIN: {}}
    for field in fields:
        values[field.part][field.key] = field.read(typed.get(field.key, field.usual))
    return values


def volts(value: float) -> str:
    return f"{plain(value)} V"
