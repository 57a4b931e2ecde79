"""A job at a bench, as one person does it: what stands there, what is asked, what is read off and typed, and what has to come of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from ubrant.methods.registry import method_of

STARTED = datetime(2026, 11, 1, 9, 0)
GOOD = ("0.5 % + 2 digits of 10 mV", "1 % + 2 digits of 10 mA", "")
PLUG = ("1 % + 1 V", "1 % + 10 mA", "1 % + 0.3 W")
CLAMP = ("1 % + 2 digits of 10 mV", "2 % + 50 mA", "")


@dataclass(frozen=True)
class Thing:
    """Something on the shelf."""

    name: str
    label: str
    kind: str = ""


@dataclass(frozen=True)
class Job:
    """One bench.

    Attributes
    ----------
    unit : what is tested
    asked, method : what a person wants to know of it as the shelf asks it, and the key of the test that is chosen
    lines : (minutes after the first, what is typed) each
    says : with what the sentence begins
    figures : what has to be found, in its unit, worked out here by hand
    meters : volts, amperes and watts of each meter, by the place where it reads; one for ``""`` reads everywhere
    fields : of the form, as typed
    battery, device : what feeds it, and what it feeds
    warns : what has to be said besides
    """

    unit: Thing
    asked: str
    method: str
    lines: tuple[tuple[float, str], ...]
    says: str
    figures: Mapping[str, float]
    meters: Mapping[str, tuple[str, str, str]] = field(default_factory=lambda: {"": GOOD})
    fields: Mapping[str, str] = field(default_factory=dict)
    battery: Thing | None = None
    device: Thing | None = None
    warns: tuple[str, ...] = ()

    def meter(self, tap: str) -> tuple[str, str, str]:
        return self.meters.get(tap) or self.meters[""]

    def as_jot(self) -> str:
        """The same as a text file: what is known at its head, a line a reading."""
        method = method_of(self.method)
        head = [f"method: {self.method}", f"unit: {self.unit.name}", f"kind: {self.unit.kind}", f"label: {self.unit.label}"]
        for tap in method.taps:
            head.append(f"meter {tap}: {tap if tap in self.meters else 'M'}")
            head += [f"{what} {tap}: {text}" for what, text in zip(("volts", "amps", "watts"), self.meter(tap), strict=True) if text]
        if self.battery is not None:
            head.append(f"fed by: {self.battery.name}: {self.battery.label}")
        if self.device is not None:
            head.append(f"to: {self.device.name}: {self.device.label}")
        if method.has_leads:
            head.append("leads: 1.5 m, 4 mm2")
        head += [f"{_HEADINGS.get(key, f'plan {key}')}: {text or 'none'}" for key, text in self.fields.items()]
        rows = [f"@{STARTED + timedelta(minutes=after):%Y-%m-%d %H:%M:%S} {line}" for after, line in self.lines]
        return "\n".join([*head, "", *rows]) + "\n"


_HEADINGS: Mapping[str, str] = {"full": "full", "temperature_c": "temperature", "start": "start"}
"""What stands in a jot text under a heading of its own."""
