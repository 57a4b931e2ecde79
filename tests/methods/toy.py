"""A method in an afternoon: the resting voltage of a battery. Nothing outside this file knows of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ubrant.core.account import Account
from ubrant.core.drawings import Curve, Plot
from ubrant.core.record.head import Setup
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.value import as_read, digit
from ubrant.core.wording import say
from ubrant.methods.form import Field, Quantity
from ubrant.methods.method import BATTERY_LOG, LoadRating, Method, Prepared, Problem, Scene
from ubrant.methods.registry import Entry
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask, LoadOff, ReadRest, Steps

_CONNECT = "Take everything off the battery, and clip the meter to its terminals."


@dataclass(frozen=True)
class RestingPlan:
    seconds: float = 60.0


class RestingMethod(Method):
    key = "resting"
    title = "Resting voltage"
    Plan = RestingPlan
    taps = ("battery",)
    log = BATTERY_LOG
    has_leads = False

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (Field("seconds", "Read for", Quantity("s"), "1 min"),)

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        return [] if prepared.plan.seconds > 0 else [Problem(True, say("It has to be read for longer than 0 s."))]

    def steps(self, prepared: Prepared) -> Steps:
        yield Ask(say(_CONNECT))
        yield ReadRest(prepared.plan.seconds, 1.0, say("Read it."))
        yield LoadOff(say("Done."))

    def scene(self, prepared: Prepared, before: Record | None = None) -> Scene:
        return Scene(self.taps, battery=True)

    def by_hand(self, prepared: Prepared) -> ByHand:
        row = Row(say("Type what it shows, like “13.34 V”."), (("", "V"),), example="13.34 V")
        return ByHand((Ask(say(_CONNECT)),), (row,), Row(say("Type it again, or close the run.")))

    def account(self, record: Record, expected: Any = None) -> Account:
        volts = record.corrected("battery", "V") or record.typed.at("battery", "V")
        if not len(volts):
            return Account(trouble=say("Nothing was read yet."))
        mean, accuracy = float(np.mean(volts.value)), record.accuracy("battery", "V")
        shown = as_read(mean, accuracy) + digit(float(np.max(record.half_width("battery", "V"))), "V")
        finding = Finding.made("resting", say("Resting voltage"), shown, "V", say("mean of what was read"))
        span = (float(volts.time_s[0]), float(volts.time_s[-1]) + 1.0)
        drawn = Plot(
            say("Resting"), say("time, s"), "V", span, (mean - 0.1, mean + 0.1), (Curve(volts.time_s, volts.value),), finding.value_text()
        )
        sentence = say("It rests at {volts}.", volts=finding.with_uncertainty())
        return Account({"resting": finding}, ("resting",), sentence=sentence, drawings=lambda: (drawn,))


RESTING = Entry("resting", "Resting voltage", 900, lambda unit: unit.kind == "battery", f"{__name__}:RestingMethod")
