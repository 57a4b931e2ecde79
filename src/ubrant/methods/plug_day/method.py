"""A day by plug meter as a method: its form, rows, account."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.account import Account, Group
from ubrant.core.conversion.power_path import Flow, Node, PowerPath
from ubrant.core.drawings import Bars, Drawing
from ubrant.core.loads.plug_day import Day, analyse_day
from ubrant.core.quantities.jot import JotReading
from ubrant.core.record.head import BY_HAND, SIMULATED, Setup
from ubrant.core.record.readings import ReadingsError
from ubrant.core.record.record import Record
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words
from ubrant.methods import cautions
from ubrant.methods.by_eye import Lines, Reader
from ubrant.methods.form import Field, Quantity, Words
from ubrant.methods.method import LoadRating, Method, Prepared, Problem
from ubrant.methods.plug_day.person import waits_a_day
from ubrant.methods.rehearsal import Rehearsal
from ubrant.methods.rows import ByHand, Row
from ubrant.methods.steps import Ask

STANDBY, RUNNING, START, END = words("standing by"), words("running"), words("start"), words("after a day")
_W, _WH = ("input", "W"), ("input", "Wh")
_WIDER = 15.0


@dataclass(frozen=True)
class DayPlan:
    """``conditions`` in words: weather, thermostat; ``wider`` by how many percent another day may differ."""

    conditions: str
    wider: float


class PlugDayMethod(Method):
    """Of what hangs on mains, typed off a plug meter with a counter."""

    key = "plug-day"
    title = "A day by plug meter"
    goes_by_order = False
    Plan = DayPlan
    taps = ("input",)
    roads = (BY_HAND, SIMULATED)
    by_eye = True
    uses_load = False
    has_leads = False
    plan_from_label = True

    def form(self, setup: Setup) -> tuple[Field, ...]:
        return (
            Field("conditions", "Conditions", Words(), "", say("21 °C in the room, thermostat at 4")),
            Field("wider", "Another day differs by", Quantity("%"), f"{_WIDER:g} %"),
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

    def wiring(self, prepared: Prepared) -> PowerPath:
        return _path(prepared.setup, None)

    def by_hand(self, prepared: Prepared) -> ByHand:
        ask = Ask(say("Plug the meter in between the wall and it, and set its counter back."), (cautions.PLUG_METER, cautions.MAINS))
        rows = (
            Row(say("Standing by: type its watts, like “5.6 W”, or “skip”."), (_W,), example="5.6 W", short=say(STANDBY), afresh=True),
            Row(say("Running: type its watts, like “82 W”, or “skip”."), (_W,), example="82 W", short=say(RUNNING), afresh=True),
            Row(say("Now the counter, like “0 Wh”: its time counts from here."), (_WH,), example="0 Wh", short=say(START), afresh=True),
            Row(
                say("After about 24 h: the counter again, like “1.38 kWh”. The exact time is taken from the line."),
                (_WH,),
                example="1.38 kWh",
                short=say(END),
                afresh=True,
            ),
        )
        after = Row(say("Read it again as often as you like, the latest counts; or close the run."), (_WH,), example="1.38 kWh")
        return ByHand((ask,), rows, after, reads=(_W, _WH))

    def read_off(self, prepared: Prepared, reader: Reader) -> Lines:
        return waits_a_day(prepared, reader)

    def row_findings(self, record: Record) -> dict[float, str]:
        return {}

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        setup = record.head.setup
        plan = self.prepared(record.head).plan or DayPlan("", _WIDER)
        lines = self.by_hand(Prepared(setup, plan)).answering(record)
        counts: list[tuple[float, JotReading]] = []
        watts: dict[str, tuple[float, float]] = {}
        for moment, jotting, name in lines:
            counts += [(moment, r) for r in jotting.readings if r.quantity == "Wh"]
            for reading in jotting.readings:
                if reading.quantity == "W" and reading.kind != "peak":
                    watts[name.lower()] = reading.value, reading.half_width
        if len(counts) < 2:
            return Account(
                trouble=say(
                    "The counter was read {n} times: at the start and after a day it wants to be, like “0 Wh”, “1.38 kWh”.", n=len(counts)
                ),
                taken=len(lines),
            )
        (t0, first), (t1, last) = counts[0], counts[-1]
        day = Day((t0, first.value, first.half_width), (t1, last.value, last.half_width), watts.get(say(STANDBY)), watts.get(say(RUNNING)))
        try:
            findings, said = analyse_day(day, record.accuracy("input", "W"), plan.wider / 100)
        except ReadingsError as error:
            return Account(trouble=str(error), taken=len(lines))
        warnings = [*record.head.origin.said, *said]
        if record.accuracy("input", "W") is None:
            warnings.append(say("No accuracy was given for the plug meter: the figures have no ±."))
        if plan.conditions:
            warnings.append(say("Conditions: {what}.", what=plan.conditions))
        return Account(
            findings,
            ("mean_power", "energy_day"),
            (Group(say("Standing by"), ("standby_power", "standby_day")), Group(say("How it was counted"), ("energy", "elapsed", "duty"))),
            None,
            _sentence(findings),
            tuple(warnings),
            taken=len(lines),
            planned=4,
            drawings=lambda: (_bars(findings),),
            path=lambda: _path(setup, findings["mean_power"]),
            shown_at=say("On average"),
            short=findings["mean_power"].value_text(),
        )


def _sentence(findings: dict[str, Finding]) -> str:
    text = say("{w} on average, {d} a day", w=findings["mean_power"].with_uncertainty(), d=findings["energy_day"].with_uncertainty())
    if "standby_day" in findings:
        text += say("; {s} of it standing by", s=findings["standby_day"].with_uncertainty())
    return text + "."


def _bars(findings: dict[str, Finding]) -> Drawing:
    return Bars(tuple((findings[key], None, "") for key in ("standby_power", "mean_power") if key in findings))


def _path(setup: Setup, mean: Finding | None) -> PowerPath:
    nodes = (Node("battery", say("Mains")), Node("load", setup.unit.name, setup.unit.printed))
    meter = setup.meter("input")
    return PowerPath(nodes, (Flow(mean.value if mean is not None else None, meter=meter.name),), (None, None), (0.0, 0.0), "W")
