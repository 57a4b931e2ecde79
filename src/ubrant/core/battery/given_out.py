"""What a bank or a station gives at its output: Wh and mAh there, what that is of its cells by Wh, its own output figure, its percent display."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.battery.bars import Bar, by_bars
from ubrant.core.battery.label_doubt import doubtful
from ubrant.core.battery.percent import LINEARITY_POINTS, PercentChange, change_between, points_finding
from ubrant.core.battery.promises import (
    DisplayCurve,
    DisplayPromise,
    KeptPromise,
    as_told,
    display_curve,
    kept_promises,
    left_where_it_says,
)
from ubrant.core.battery.verdict import BELOW, CANNOT_TELL, MEETS, Verdict
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import Array, Readings, ReadingsError, Series
from ubrant.core.record.counters import Count, counted
from ubrant.core.record.integrals import off_in_count, through_meter, totals, watts_now_and_then
from ubrant.core.record.typed import Widths, of_typed
from ubrant.core.uncertainty.decision import ONCE, as_judged, decided
from ubrant.core.uncertainty.finding import AT_LEAST, Finding
from ubrant.core.uncertainty.value import Value, digit, moment
from ubrant.core.wording import say, words

USB_V = (4.75, 5.25)
"""USB 2.0, 7.2.2 (value from memory)."""
_LEFT_POINTS, _MUCH_LEFT = 5.0, 15.0
"""With more on its display when it went off, something other than its end may have ended it; with much more it has. Common practice, no source."""
_GOT_SMALL = 0.5
"""Of what was drawn before: at less than that the load got small. Common practice, no source."""
_USB_CLASS = (4.5, 5.6)
_FAR_FROM_EMPTY, _STAYS_ON_A = 40.0, 0.3
"""With more percent left than that, and under so many amperes, it went off for want of a load. Common practice, no source."""
_SMALL_A = 0.1
"""Under this many banks switch off by themselves. Common practice, no source."""


@dataclass(frozen=True)
class Given:
    """What was read at the output.

    Attributes
    ----------
    readings, widths : volts and amperes on one base; None where only counters or watts were read
    voltage, current : accuracies of the meter there
    watt_hours, amp_hours : counters, with half of their last digit; None without
    percent : its own display, with half of its last digit
    gave_up : it switched itself off, or its output went
    full : it is known to have been full
    load_on_s, load_off_s, on_s : as far as somebody said; how long it was on in between
    volts : of this output, as it should be; None where nobody knows
    why_not : why volts and amperes do not stand on one base
    watts : read at the output, or off its own display, with half of the last digit and its accuracy; None without
    bars : of the clock hours, on its own display
    power : accuracy of a meter there that reads watts itself, and counts them
    tripped : what a person noted where it tripped; None where nobody did
    moment_half_s : how far to each side the moments of its ends may be off
    came_in, came_in_wh : what flowed into it meanwhile, in words, empty for nothing; the most that this may be, inf where nobody can say
    told : what its display said of the hours left: (seconds, h, half of its digit, W then, % then), None for what it did not say
    """

    readings: Readings | None
    widths: Widths | None
    voltage: Accuracy | None
    current: Accuracy | None
    watt_hours: tuple[Series, Array] | None
    amp_hours: tuple[Series, Array] | None
    percent: tuple[Series, Array] | None
    gave_up: bool
    full: bool
    load_on_s: float | None = None
    load_off_s: float | None = None
    on_s: float | None = None
    volts: float | None = None
    why_not: str = ""
    watts: tuple[Series, Array, Accuracy | None] | None = None
    told: tuple[DisplayPromise, ...] = ()
    bars: tuple[Bar, ...] = ()
    came_in: str = ""
    tripped: str | None = None
    power: Accuracy | None = None
    moment_half_s: float = 0.0
    came_in_wh: float = 0.0

    @property
    def left_percent(self) -> float | None:
        """What its display said when it went off; None where it said nothing."""
        percent = self.percent[0] if self.percent is not None else None
        return _left_at_its_end(percent, self.load_off_s) if percent is not None and len(percent) else None

    @property
    def emptied(self) -> bool:
        """Whether it gave up because it was empty: with much left on its display a lead came off, or the load was too small for it."""
        return self.gave_up and (self.left_percent or 0.0) <= _MUCH_LEFT

    @property
    def kept(self) -> tuple[KeptPromise, ...]:
        """What came of the hours that its display promised; nothing where more came in, or it did not end by itself."""
        ended = self.load_off_s if self.gave_up and self.emptied and not self.came_in else None
        return kept_promises(self.told, ended, _flowed(self))

    @property
    def curve(self) -> DisplayCurve | None:
        """Its display over what was left, from full to empty."""
        if self.percent is None or not (self.full and self.emptied) or self.came_in:
            return None
        return display_curve(self.percent[0], _flowed(self), self.load_off_s)


def analyse_output(given: Given, label: Label | None) -> tuple[dict[str, Finding], Verdict | None, list[str]]:
    """Findings, a verdict on the output's own figure where the label gives one, and what has to be said.

    Raises
    ------
    ReadingsError
        Neither volts with amperes nor a counter in Wh was read.
    """
    found: dict[str, Finding] = {}
    said: list[str] = []
    energy, charge = _integrals(given)
    by_counter = _counted(given.watt_hours, given, "Wh"), _counted(given.amp_hours, given, "Ah")
    if energy is None and by_counter[0] is not None:
        energy = by_counter[0]
    if charge is None and by_counter[1] is not None:
        charge = by_counter[1]
    if energy is None:
        energy = _by_watts(given)
    if energy is None:
        energy = by_bars(given.bars, said)
    if energy is None and given.why_not:
        raise ReadingsError(given.why_not)
    if energy is None:
        raise ReadingsError(
            say(
                "What came out was not read: type volts and amperes at the output, like “output 5.05 V 1.00 A”, or its counter, “output 12.4 Wh”."
            )
        )
    if given.readings is not None and by_counter[0] is not None:
        said += _disagree(energy, by_counter[0], _during(given.watt_hours, _flowed(given)))
    if given.readings is not None and charge is not None and by_counter[1] is not None and by_counter[1] is not charge:
        said += _disagree(charge, by_counter[1], _during(given.amp_hours, _charge_flowed(given.readings)))
    _require_sense(given, energy, label)
    found["energy_out"] = energy
    if charge is not None:
        found["charge_out"] = charge
    if charge is not None and charge.value and energy.value:
        found["mean_voltage"] = Finding(
            "mean_voltage",
            say("Mean volts at the output"),
            energy.value / charge.value,
            "V",
            None,
            f"{show(energy.value)} Wh ÷ {show(charge.value)} Ah",
        )
    if (seconds := _lasted(given)) > 0:
        on, off = _moments(given)
        found["duration"] = Finding.made("duration", say("Lasted"), seconds + on + off, "s", say("load on to the last reading under load"))
    if given.came_in:
        said.append(
            say(
                "{what} came in meanwhile: what it gave is not what it holds, and neither its percent nor its hours left are judged by it.",
                what=given.came_in,
            )
        )
        return found, None, said + _ending(given, found)
    if label is not None:
        found |= _against_cells(energy, label)
        if not given.full and "label_share" in found and not energy.bound:
            found["label_share"] = _at_least(found["label_share"])
    if given.percent is not None:
        found |= _percent(given, energy, said)
    found |= as_told(given.told, given.kept, label.energy_wh if label is not None else None, said)
    if given.curve is not None and given.percent is not None:
        found |= left_where_it_says(given.curve, float(np.max(given.percent[1])))
    said += _ending(given, found)
    return found, _verdict(given, charge, label), said


_MOST_SHARE, _VOLTS = 1.15, (0.6, 1.5)
"""Of its label no more comes out; an output's volts are within so many times what they should be. Common practice, no source."""


def _require_sense(given: Given, energy: Finding, label: Label | None) -> None:
    """Raises ReadingsError where volts are none of this output, or more came out than its cells hold."""
    if given.readings is not None and given.volts and len(given.readings):
        usual = float(np.median(given.readings.voltage_v))
        if not _VOLTS[0] * given.volts < usual < _VOLTS[1] * given.volts:
            text = say(
                "{v} V at an output of {should} V: volts and amperes the wrong way round, or a slip.",
                v=show(usual),
                should=plain(given.volts),
            )
            raise ReadingsError(text)
    u = energy.expanded_uncertainty or 0.0
    holds = label.energy_wh if label is not None else None
    if holds and energy.value is not None and energy.value - u - given.came_in_wh > _MOST_SHARE * holds:
        raise ReadingsError(
            say(
                "{out} Wh are more than the {wh} Wh on its label: amperes for milliamperes, an hour that slipped, or it was charged meanwhile.",
                out=show(energy.value),
                wh=show(holds),
            )
        )


def _integrals(given: Given) -> tuple[Finding | None, Finding | None]:
    """(Wh, Ah) between the first and the last reading under load."""
    readings = given.readings
    if readings is None or len(readings) < 2:
        return None, None
    sums = totals(readings.time_s, readings.voltage_v, readings.current_a)
    if not sums.charge_ah > 0:
        raise ReadingsError(say("Nothing flowed out of it: the clamp is on backwards, it was being charged, or nothing was attached."))
    charge, energy = through_meter(sums, given.voltage, given.current)
    if given.widths is not None:
        charge, energy = (of + by for of, by in zip((charge, energy), of_typed(readings, given.widths), strict=True))
        on, off = _moments(given)
        amps, watts = readings.current_a, readings.current_a * readings.voltage_v
        charge += on * (float(amps[0]) / 3600) + off * (float(amps[-1]) / 3600)
        energy += on * (float(watts[0]) / 3600) + off * (float(watts[-1]) / 3600)
    count = say("∫ over {n} readings at the output", n=len(readings))
    return (
        Finding.made("energy_out", say("Given at the output"), energy, "Wh", count),
        Finding.made("charge_out", say("Charge at the output's volts"), charge, "Ah", count),
    )


def _by_watts(given: Given) -> Finding | None:
    """Wh of watts that were read now and then, straight between; the last holds until it went off."""
    if given.watts is None or len(given.watts[0]) < 1:
        return None
    series, half, accuracy = given.watts
    time, power = _power_over(given, series)
    if len(time) < 2:
        return None
    value = watts_now_and_then(time, power, float(np.max(half)), accuracy)
    on, off = _moments(given)
    value += on * (float(power[0]) / 3600) + off * (float(power[-1]) / 3600)
    return Finding.made("energy_out", say("Given at the output"), value, "Wh", say("∫ over {n} readings of watts", n=len(series)))


def _moments(given: Given) -> tuple[Value, Value]:
    """Seconds by which the moments of its ends may be off. Values around 0."""
    return moment(given.moment_half_s, say(_WHEN_ON)), moment(given.moment_half_s, say(_WHEN_OFF))


_WHEN_ON, _WHEN_OFF = words("when it came on"), words("when it went off")


def _power_over(given: Given, series: Series) -> tuple[Array, Array]:
    """Watts from load-on until it went off: the first hold from the beginning, the last to the end."""
    time, power = series.time_s, series.value
    since, until = given.load_on_s, given.load_off_s
    if since is not None and since < time[0]:
        time, power = np.append(since, time), np.append(power[0], power)
    if until is not None and until > time[-1]:
        time, power = np.append(time, until), np.append(power, power[-1])
    return time, power


def _counted(counter: tuple[Series, Array] | None, given: Given, unit: str) -> Finding | None:
    if counter is None or len(counter[0]) < 2:
        return None
    count: Count = counted(*counter)
    key, name = ("energy_out", say("Given at the output")) if unit == "Wh" else ("charge_out", say("Charge at the output's volts"))
    value = count.value(unit) + off_in_count(unit, count.amount, given.voltage, given.current, given.power)
    return Finding.made(key, name, value, unit, say("difference of its counter"))


def _during(counter: tuple[Series, Array] | None, flowed: tuple[Array, Array] | None) -> float | None:
    """What the readings add up to from a counter's first reading to its last; None where they do not cover it."""
    if flowed is None or counter is None:
        return None
    (series, _), (time, amount) = counter, flowed
    if series.time_s[0] < time[0] - 1.0 or series.time_s[-1] > time[-1] + 1.0:
        return None
    at = np.interp(series.time_s[[0, -1]], time, amount)
    return float(at[1] - at[0])


def _charge_flowed(readings: Readings) -> tuple[Array, Array] | None:
    """Ah given until each moment."""
    if len(readings) < 2:
        return None
    steps = np.diff(readings.time_s) * (readings.current_a[1:] + readings.current_a[:-1]) / 7200
    return readings.time_s, np.concatenate(([0.0], np.cumsum(steps)))


def _disagree(by_readings: Finding, counter: Finding, during: float | None) -> list[str]:
    """Where counter and readings differ by more than what they do not share may explain: one meter made both."""
    if by_readings.contributions is None or counter.contributions is None or during is None or counter.value is None:
        return []
    limit = 2 * ((by_readings.known - counter.known).u or 0.0)
    apart = abs(during - counter.value)
    if apart <= limit:
        return []
    return [
        say(
            "Its counter says {a} and the readings add up to {b} {unit} meanwhile: {apart} {unit} apart, where {limit} would be within the ±. Something drew between the readings, or one of them is wrong.",
            a=counter.value_text(),
            b=show(during),
            unit=counter.unit,
            apart=show(apart, 2),
            limit=show(limit, 2),
        )
    ]


_FAR_APART = 0.15
"""By less a counter and readings now and then differ where a load comes and goes. Common practice, no source."""


def counter_apart(given: Given) -> tuple[Finding, float] | None:
    """(what its counter says, Wh that the readings add up to meanwhile) where they are far apart; None where they are not."""
    energy, _ = _integrals(given)
    counter, during = _counted(given.watt_hours, given, "Wh"), _during(given.watt_hours, _flowed(given))
    if given.readings is None or energy is None or counter is None or counter.value is None or during is None:
        return None
    apart = abs(during - counter.value)
    return (counter, during) if apart > _FAR_APART * max(during, counter.value) and _disagree(energy, counter, during) else None


def _lasted(given: Given) -> float:
    if given.on_s:
        return given.on_s
    if given.load_on_s is not None and given.load_off_s is not None:
        return given.load_off_s - given.load_on_s
    kinds = (given.readings, *(pair[0] for pair in (given.watt_hours, given.watts) if pair is not None))
    series = next((kind.time_s for kind in kinds if kind is not None), None)
    return float(series[-1] - series[0]) if series is not None and len(series) > 1 else 0.0


def _at_least(share: Finding) -> Finding:
    """Of one that nobody said was full: it may hold more."""
    least = (share.value or 0.0) - (share.expanded_uncertainty or 0.0)
    return Finding(share.key, share.name, least, share.unit, (), say("{w}; nobody said that it was full", w=share.working), bound=AT_LEAST)


def _against_cells(energy: Finding, label: Label) -> dict[str, Finding]:
    """By Wh only: amperes at 5 V and ampere-hours at 3.7 V are not the same."""
    assert energy.value is not None
    found = {}
    if label.energy_wh:
        working = say("{out} Wh ÷ {wh} Wh on its label, by Wh", out=show(energy.value), wh=show(label.energy_wh))
        found["label_share"] = Finding.made("label_share", say("Of its label arrives"), 100 * energy.known / label.energy_wh, "%", working)
    if label.voltage_v:
        working = say("{out} Wh ÷ {v} V of the cells", out=show(energy.value), v=plain(label.voltage_v))
        name = say("As charge at the cells' volts")
        found["charge_at_cells"] = Finding.made("charge_at_cells", name, energy.known / label.voltage_v, "Ah", working)
    return found


def _percent(given: Given, energy: Finding, said: list[str]) -> dict[str, Finding]:
    assert given.percent is not None
    series, half = given.percent
    if len(series) < 2:
        return {}
    change = change_between(series, half, float(series.time_s[0]), float(series.time_s[-1]))
    if change is None:
        return {}
    if change.points < 0:
        said.append(say("Its percent rises while it gives: it was charged meanwhile, or two displays were mixed up."))
        return {}
    shown, rises = series.value, np.diff(series.value)
    if float(rises.max()) > LINEARITY_POINTS:
        at = int(np.argmax(rises))
        said.append(
            say(
                "Its display rises from {a} to {b} % while it gives: was it charged meanwhile, or did a digit slip? Nothing is said of its points until that is mended.",
                a=plain(float(shown[at])),
                b=plain(float(shown[at + 1])),
            )
        )
        return {}
    found = {"points": points_finding("points", say("Points used"), change)}
    if not change.points > 0:
        said.append(say("Its display never moved."))
        return found
    assert energy.value is not None
    share = _covered(given, change)
    working = say("{wh} Wh ÷ {p} points", wh=show(energy.value * share), p=plain(change.points))
    hidden = change.hidden / change.points
    a_point = energy.known * share / change.fell()
    found["energy_per_point"] = doubtful("energy_per_point", say("Energy a point"), a_point, "Wh", working, lower=(hidden / (1 + hidden),))
    linear = _linearity(given, series)
    if linear is not None:
        found["linearity"] = linear
    return found


def _covered(given: Given, change: PercentChange) -> float:
    """The share of the energy that flowed between the two readings of percent."""
    flowed = _flowed(given)
    if flowed is None:
        return 1.0
    time, energy = flowed
    at = np.interp([change.from_s, change.to_s], time, energy)
    return float(at[1] - at[0]) / float(energy[-1]) if energy[-1] > 0 else 1.0


def _flowed(given: Given) -> tuple[Array, Array] | None:
    """Wh given until each moment."""
    if given.readings is not None and len(given.readings) > 1:
        power = given.readings.voltage_v * given.readings.current_a
        steps = np.diff(given.readings.time_s) * (power[1:] + power[:-1]) / 7200
        return given.readings.time_s, np.concatenate(([0.0], np.cumsum(steps)))
    if given.watt_hours is not None and len(given.watt_hours[0]) > 1:
        series = given.watt_hours[0]
        return series.time_s, series.value - series.value[0]
    if given.watts is not None:
        time, power = _power_over(given, given.watts[0])
        return (time, np.concatenate(([0.0], np.cumsum(np.diff(time) * (power[1:] + power[:-1]) / 7200)))) if len(time) > 1 else None
    return None


def _linearity(given: Given, series: Series) -> Finding | None:
    """By how many points the display strays from a straight line over the energy, between its ends."""
    flowed = _flowed(given)
    if flowed is None or len(series) < 4:
        return None
    out = np.interp(series.time_s, *flowed)
    if not out[-1] > out[0]:
        return None
    straight = series.value[0] + (out - out[0]) / (out[-1] - out[0]) * (series.value[-1] - series.value[0])
    stray = series.value - straight
    k = int(np.argmax(np.abs(stray)))
    sign = say("too high") if stray[k] > 0 else say("too low")
    working = say(
        "at {p} % it stands {d} points {sign}, against Wh", p=plain(float(series.value[k])), d=show(abs(float(stray[k])), 2), sign=sign
    )
    strays = abs(float(stray[k])) + digit(0.5, "points", of=words("whole points"))
    return Finding.made("linearity", say("Display strays by"), strays, "points", working)


def _ending(given: Given, found: dict[str, Finding]) -> list[str]:
    """What ended it, and whether that was its end."""
    said = []
    left = given.left_percent
    amps = float(np.median(given.readings.current_a)) if given.readings is not None and len(given.readings) else None
    if given.gave_up and left is not None and amps is not None and left > _FAR_FROM_EMPTY and amps < _STAYS_ON_A:
        found["minimum_load"] = Finding(
            "minimum_load", say("To stay on it wants over"), amps, "A", (), say("it went off at that, far from empty"), bound=AT_LEAST
        )
    if given.gave_up and left is not None and left > _LEFT_POINTS:
        why = (
            say(" Many banks switch off by themselves under about {a} A.", a=plain(_SMALL_A))
            if amps is not None and amps < _SMALL_A
            else ""
        )
        sure = "" if given.emptied else say(" This is at least so much.")
        said.append(say("It went off with {p} % on its display: that may not have been its end.{why}", p=plain(left, 2), why=why) + sure)
    if given.gave_up and amps and given.readings is not None and (last := _last_under_load(given.readings)) < _GOT_SMALL * amps:
        text = say(
            "The last amperes, {last}, are far less than the {amps} A before: the load got small, or a digit slipped.",
            last=plain(last, 3),
            amps=show(amps, 3),
        )
        said.append(text)
    if not given.gave_up and given.tripped is not None:
        noted = f" (“{given.tripped}”)" if given.tripped else ""
        said.append(say("It tripped{noted}: if that was its end say “empty” there; else this is at least so much.", noted=noted))
    elif not given.gave_up:
        said.append(say("It was stopped with some left: this is at least so much."))
    if not given.full:
        said.append(say("Nobody said that it was full: it may hold more than this."))
    if given.readings is not None and len(given.readings):
        volts = given.readings.voltage_v
        usual = float(np.median(volts))
        if _USB_CLASS[0] < usual < _USB_CLASS[1]:
            low = volts[:-1] < USB_V[0] if given.gave_up else volts < USB_V[0]
            if low.any():
                at = float(given.readings.time_s[int(np.argmax(low))] - given.readings.time_s[0])
                said.append(
                    say(
                        "Its output left {low} to {high} V (USB 2.0) after {time}: what came after is in the sum.",
                        low=plain(USB_V[0]),
                        high=plain(USB_V[1]),
                        time=show_duration(at),
                    )
                )
    return said


def _last_under_load(readings: Readings) -> float:
    """The last amperes that flowed; those at which it was off already are of no load."""
    flowing = readings.current_a[readings.current_a > 0]
    return float(flowing[-1]) if len(flowing) else 0.0


def _left_at_its_end(percent: Series, off_s: float | None) -> float:
    """Its percent when it went off, as it fell until it was last read."""
    last, time = float(percent.value[-1]), percent.time_s
    if off_s is None or len(percent) < 2 or not off_s > time[-1] > time[0]:
        return last
    fell = float(percent.value[0] - percent.value[-1]) / float(time[-1] - time[0])
    return max(0.0, last - fell * (off_s - float(time[-1])))


def _verdict(given: Given, charge: Finding | None, label: Label | None) -> Verdict | None:
    """On the output's own figure: mAh at its volts, as a label may promise it."""
    if label is None or not label.output_charge_ah or charge is None or charge.value is None:
        return None
    rated, told = label.output_charge_ah, decided(as_judged(charge, ONCE), label.output_charge_ah)
    what = say(
        "{out} of {rated} Ah at {v} V that it promises",
        out=charge.with_uncertainty(),
        rated=plain(rated),
        v=plain(label.output_voltage_v or 5.0),
    )
    if charge.expanded_uncertainty is None:
        return Verdict(CANNOT_TELL, say("Cannot tell: {what}, without a ±.", what=what), say("Give the meter's accuracy."))
    if told > 0:
        return Verdict(MEETS, say("Meets its output figure: {what}.", what=what))
    whole = given.emptied and given.full
    if told < 0 and whole:
        return Verdict(BELOW, say("Below its output figure: {what}.", what=what))
    if not whole:
        text = say("it was stopped with some left") if not given.emptied else say("nobody said that it was full")
        return Verdict(
            CANNOT_TELL,
            say("Cannot tell: {what}, but {why}.", what=what, why=text),
            say("Charge it fully and let it run until it switches itself off."),
        )
    return Verdict(
        CANNOT_TELL,
        say(
            "Cannot tell: {what}, and from one run to the next it gives about {again} % more or less.",
            what=what,
            again=plain(100 * ONCE.of_one),
        ),
        say("A meter with less error in its amperes would settle it, or runs like it."),
    )
