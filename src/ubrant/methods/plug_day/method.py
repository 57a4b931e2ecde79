"""A day by plug meter as a method: its form, rows, account."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ubrant.core.account import Account, Group
from ubrant.core.drawings import Bars
from ubrant.core.gate.figures import Doubt
from ubrant.core.loads.plug_day import Day, analyse_day
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup
from ubrant.core.record.power_path import Flow, PathNode, PowerPath
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.decision import seems
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.declared import Seen, TypedMethod, itself, no_accuracy
from ubrant.methods.form import Field, QuantityKind, Words
from ubrant.methods.method import LoadRating, Prepared, Problem
from ubrant.methods.plug_day.person import waits_a_day
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import Prompt
from ubrant.methods.steps import Ask

_W, _WH = ("input", "W"), ("input", "Wh")
_WIDER = 15.0


@dataclass(frozen=True)
class DayPlan:
    """``conditions`` in words: weather, thermostat; ``wider`` by how many percent another day may differ."""

    conditions: str
    wider: float


class PlugDayMethod(TypedMethod):
    """Of what hangs on mains, typed off a plug meter with a counter."""

    key, title, Plan, unplanned = "plug-day", "A day by plug meter", DayPlan, DayPlan("", _WIDER)
    goes_by_order = each_row_says = False
    taps, roads, reads = ("input",), (BY_HAND, SIMULATED), (_W, _WH)
    answers = ("mean_power", "energy_day")
    groups = (Group("Standing by", ("standby_power", "standby_day")), Group("How it was counted", ("energy", "elapsed", "duty")))
    person = waits_a_day

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("conditions", "Conditions", Words(), "", say("room at 21 °C, thermostat at 4")),
            Field("wider", "Another day differs by", QuantityKind("%"), f"{_WIDER:g} %"),
        )

    def checks(self, prepared: Prepared, load: LoadRating) -> list[Problem]:
        problems = []
        if not 0 <= prepared.plan.wider <= 100:
            problems.append(Problem(True, say("By how much another day differs lies from 0 to 100 %.")))
        if not prepared.plan.conditions:
            problems.append(Problem(False, say("Note weather and settings: without them nobody can say what another day will be.")))
        return problems

    def facts(self, prepared: Prepared, expected: Rehearsal | None) -> tuple[str, str]:
        return say("a day"), say("two readings of a counter")

    def asks(self, prepared: Prepared) -> Iterable[Ask]:
        yield Ask(say("Plug the meter in between the wall and it, and set its counter back."), (cautions.PLUG_METER, cautions.MAINS))

    def rows(self, prepared: Prepared) -> Iterable[Prompt]:
        yield self.row(
            say("Standing by: type its watts, like “5.6 W”, or “skip”."), say("standing by"), "5.6 W", wanted=(_W,), key="standby"
        )
        yield self.row(say("Running: type its watts, like “82 W”, or “skip”."), say("running"), "82 W", wanted=(_W,), key="running")
        yield self.row(say("Now the counter, like “0 Wh”: its time counts from here."), say("start"), "0 Wh", wanted=(_WH,))
        text = say("After about 24 h: the counter again, like “1.38 kWh”. The exact time is taken from the line.")
        yield self.row(text, say("after a day"), "1.38 kWh", wanted=(_WH,))

    def further(self, prepared: Prepared) -> Prompt:
        return self.row(
            say("Read it again as often as you like, the latest counts; or close the run."), "", "1.38 kWh", wanted=(_WH,), afresh=False
        )

    def sums(self, seen: Seen) -> Account:
        counts = [(moment, r) for moment, jotting, *_ in seen.lines for r in jotting.readings if r.quantity == "Wh"]
        watts = {
            key: (r.value, r.half_width)
            for _, jotting, _, key, _ in seen.lines
            for r in jotting.readings
            if r.quantity == "W" and r.kind != "peak"
        }
        if len(counts) < 2:
            raise ReadingsError(
                say("The counter was read {n} times: at the start and after a day it wants to be, like “0 Wh”, “1.38 kWh”.", n=len(counts))
            )
        (t0, first), (t1, last) = counts[0], counts[-1]
        day = Day((t0, first.value, first.half_width), (t1, last.value, last.half_width), watts.get("standby"), watts.get("running"))
        findings, said = analyse_day(day, seen.accuracy("W"), seen.plan.wider / 100)
        said += no_accuracy(findings["mean_power"], say("plug meter"))
        if seen.plan.conditions:
            said.append(say("Conditions: {what}.", what=seen.plan.conditions))
        bars = tuple((findings[key], None, "") for key in ("standby_power", "mean_power") if key in findings)
        return Account(
            findings,
            sentence=_sentence(findings),
            warnings=tuple(said),
            taken=len(seen.lines),
            drawings=lambda: (Bars(bars),),
            shown_at=say("On average"),
            short=findings["mean_power"].value_text(),
        )

    def doubts(self, account: Account, record: Record) -> Iterable[Doubt]:
        """The counter's mean lies between what it takes standing by and running."""
        yield from super().doubts(account, record)
        mean, standby = account.findings["mean_power"], account.findings.get("standby_power")
        duty = account.findings.get("duty")
        if duty is not None and duty.value is not None and duty.value <= 0:
            text = words("By its counter, {mean} on average, it never ran: was it off, is the counter another one, or did a digit slip?")
            yield Doubt("never", say(text, mean=mean.value_text()))
        if mean.value is not None and standby is not None and standby.value and seems(mean, 0.9 * standby.value) < 0:
            yield Doubt(
                "mean",
                say(
                    "Its counter makes {mean} on average, less than the {standby} that it takes standing by: was it in another unit, set back meanwhile, or switched off?",
                    mean=mean.value_text(),
                    standby=standby.value_text(),
                ),
            )

    def path(self, setup: Setup, found: Mapping[str, Finding], plan: DayPlan) -> PowerPath:
        watts = found["mean_power"].value if found else None
        flow = Flow(watts, meter=setup.meter("input").name)
        return PowerPath((PathNode("battery", say("Mains")), itself(setup)), (flow,), (None, None), (0.0, 0.0), "W")


def _sentence(findings: dict[str, Finding]) -> str:
    text = say("{w} on average, {d} a day", w=findings["mean_power"].with_uncertainty(), d=findings["energy_day"].with_uncertainty())
    if "standby_day" in findings:
        text += say("; {s} of it standing by", s=findings["standby_day"].with_uncertainty())
    return text + "."
