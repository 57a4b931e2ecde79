"""A method in an afternoon: the resting voltage of a battery. Nothing outside this file knows of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ubrant.methods import declared as d


@dataclass(frozen=True)
class RestingPlan:
    seconds: float = 60.0


class RestingMethod(d.TypedMethod):
    key, title, Plan, reads, like = "resting", "Resting voltage", RestingPlan, (("battery", "V"),), "13.34 V"
    taps, log, nothing_yet = ("battery",), d.ONE_PLACE, "Nothing was read yet."

    def form(self, setup: d.Setup) -> tuple[d.Field, ...]:
        return (d.Field("seconds", "Rests for", d.QuantityKind("s"), "1 min"),)

    def checks(self, prepared: d.Prepared, load: d.LoadRating) -> Iterator[d.Problem]:
        if not prepared.plan.seconds > 0:
            yield d.refused(d.say("It has to rest for longer than 0 s."))

    def asks(self, prepared: d.Prepared) -> Iterator[d.Ask]:
        yield d.Ask(d.say("Take everything off the battery, and clip the meter to its terminals."))

    def rows(self, prepared: d.Prepared) -> Iterator[d.Prompt]:
        yield self.row(d.say("Type what it shows, like “{example}”.", example=self.like))

    @staticmethod
    def person(prepared: d.Prepared, reader: d.SimulatedEyes) -> d.ReadLines:
        yield prepared.plan.seconds, reader.volts("battery", 13.34)

    def sums(self, seen: d.Seen) -> d.Account:
        volts, half = seen.column("V"), seen.half("V")["V"]
        mean = d.as_read(float(np.mean(volts)), seen.accuracy("V")) + d.digit(float(np.max(half)), "V")
        found = d.Finding.made("resting", d.say("Resting voltage"), mean, "V", d.say("mean of what was read"))
        drawn = d.trace_of(seen.table.time_s, volts, np.zeros(len(volts)))
        return d.Account(
            {"resting": found}, ("resting",), sentence=d.say("It rests at {v}.", v=found.with_uncertainty()), drawings=lambda: (drawn,)
        )


RESTING = d.MethodEntry("resting", "Resting voltage", 900, lambda unit: unit.kind == "battery", f"{__name__}:RestingMethod")
