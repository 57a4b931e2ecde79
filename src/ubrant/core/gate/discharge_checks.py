"""What a discharge has to pass before a battery is judged by it."""

from __future__ import annotations

import math

import numpy as np

from ubrant.core.gate.battery_facts import BatteryFacts
from ubrant.core.gate.charged_meanwhile import fresh_after_a_break, rises_meanwhile, turned_round
from ubrant.core.gate.check import AT_LEAST, COMPLETE, DECIDES_NOTHING, PLAUSIBLE, REFUSES, Check, if_it_is_so
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.quantities.readings import Array, jitter, no_readings
from ubrant.core.record.scan import scan
from ubrant.core.wording import say

_SAMPLE = 20_000
_MOST_SHARE, _MOST_SHARE_LITHIUM, _LEAST_SHARE = 150.0, 115.0, 5.0
_NEAR = 0.04
_ABSURD = (0.2, 1.7)
_OVER_CHARGED = 1.08
_A_FEW = 0.5
_RISE = 0.01
_STILL = 0.15
_STEP = 0.5
_BESIDE, _OFTEN_THE_SAME = 20, 0.3
_FRACTIONS = (
    (50.0, "half", "was one lead of two clamped, or is the label that of two packs?"),
    (200.0, "twice", "were two packs in parallel measured, or was it counted twice?"),
    (100 / 3, "a third", "was one lead of three clamped, or is the label that of three packs?"),
    (300.0, "three times", "were three packs in parallel measured, or was it counted three times?"),
)
"""Shares of a label near which a slip is likelier than a battery."""


# whether it can be so


def _swapped(facts: BatteryFacts) -> tuple[str, str] | None:
    """Volts look like amperes and amperes like this battery's volts."""
    label = facts.label
    if label is None or not label.voltage_v or len(facts.readings) < 2:
        return None
    lowest, highest = _window(label)
    step = max(1, len(facts.readings) // _SAMPLE)
    volts, amps = np.abs(facts.readings.voltage_v[::step]), np.abs(facts.readings.current_a[::step])
    flows = amps > 0.05 * float(amps.max())
    volts, amps = volts[flows], amps[flows]

    def share(values: Array) -> float:
        return float(np.mean((values >= lowest) & (values <= highest)))

    if share(amps) > 0.7 and share(volts) < 0.1:
        return (
            say(
                "the volts are about {volts} and the amperes about {amps}, and the label says {label} V: the two columns seem to be swapped",
                volts=show(float(np.median(volts)), 3),
                amps=show(float(np.median(amps)), 3),
                label=plain(label.voltage_v),
            ),
            say("Say which column is which: when it is brought in."),
        )
    return None


_OF_A_CELL = (0.97, 1.05)


def _window(label: Label) -> tuple[float, float]:
    """Between which volts such a battery is while it is used."""
    kind = label.kind_of_cell
    if kind is not None and label.series:
        return 0.98 * kind.usual_cutoff_v * label.series, 1.1 * kind.full_v * label.series
    return 0.8 * (label.voltage_v or 0.0), 1.25 * (label.voltage_v or 0.0)


def a_charge(facts: BatteryFacts) -> tuple[str, str] | None:
    """Under load the voltage rises with the charge that flows, what the current's own changes do to it taken off."""
    if facts.last - facts.first < 2:
        return None
    part = slice(facts.first, facts.last + 1, max(1, (facts.last - facts.first) // 5_000))
    time, volts, amps = facts.readings.time_s[part], facts.readings.voltage_v[part], facts.readings.current_a[part]
    on = amps > 0.05 * float(np.median(np.abs(amps)))
    flowed = np.concatenate(([0.0], np.cumsum(np.diff(time) * (amps[1:] + amps[:-1]) / 2)))
    if on.sum() < 3 or not flowed[-1] > 0:
        return None
    columns = [np.ones(int(on.sum())), flowed[on] / flowed[-1]]
    if float(np.ptp(amps[on])) > 0.02 * float(np.median(amps[on])):
        columns.append(amps[on])
    fitted = np.linalg.lstsq(np.stack(columns, axis=1), volts[on], rcond=None)[0]
    typical = float(np.median(volts[on]))
    quarter = max(len(volts) // 4, 1)
    rises = float(volts[-quarter:].mean() - volts[:quarter].mean())
    if fitted[1] > _RISE * typical > 0 and rises > _RISE * typical:
        return (
            say(
                "the voltage rises from {first} to {last} V while current flows: this is a charge, not a discharge",
                first=show(float(volts[0])),
                last=show(float(volts[-1])),
            ),
            say("Bring in the log of the discharge: from a charge a capacity is not judged."),
        )
    return None


def _volts_of_another_size(facts: BatteryFacts) -> tuple[str, str] | None:
    label = facts.label
    if label is None or not label.voltage_v or not len(facts.readings):
        return None
    part = facts.readings.voltage_v[facts.first : facts.last + 1]
    mean_v = float(np.median(np.abs(part[:: max(1, len(part) // _SAMPLE)])))
    for factor, slip in ((1000.0, say("are the volts millivolts?")), (0.001, say("was a factor of a thousand lost?"))):
        if label.is_like(mean_v / factor):
            return (
                say(
                    "the readings are at {mean} V and the label says {label} V: {slip}",
                    mean=show(mean_v),
                    label=plain(label.voltage_v),
                    slip=slip,
                ),
                say("Mend the unit in the column's heading, or say “voltage in mV” when it is brought in."),
            )
    return None


def _beyond_its_kind(facts: BatteryFacts) -> tuple[str, str] | None:
    """Near the label's volts, and still none that so many cells of its kind have while they give."""
    label, volts = facts.label, facts.mean_v
    kind = label.kind_of_cell if label else None
    if label is None or kind is None or not label.series or not volts or facts.behind or not label.is_like(volts):
        return None
    lowest, highest = (share * cell_v * label.series for share, cell_v in zip(_OF_A_CELL, (kind.usual_cutoff_v, kind.full_v), strict=True))
    if lowest <= volts <= highest:
        return None
    return (
        say(
            "a mean of {volts} V under load is {what} than {count} {name} cells have: is it another battery, or the label wrong?",
            volts=show(volts),
            what=say("more") if volts > highest else say("less"),
            count=label.series,
            name=kind.name,
        ),
        say("Look at the label, and count its cells.") + if_it_is_so(),
    )


def _rate(facts: BatteryFacts) -> tuple[str, str] | None:
    """Far beyond the highest rate of its kind."""
    kind = facts.label.kind_of_cell if facts.label else None
    most = 10 * (kind.max_rate_c if kind else 3.0)
    if facts.c_rate is None or facts.c_rate <= most:
        return None
    slip, mend = _slip(facts)
    return (
        say("a mean of {rate} C is far beyond what such a battery gives: {slip}", rate=plain(facts.c_rate, 3), slip=slip),
        mend + if_it_is_so(),
    )


def _slip(facts: BatteryFacts) -> tuple[str, str]:
    """The likeliest slip behind a share that cannot be, and how it is mended."""
    share, volts, rate = facts.share or 0.0, facts.mean_v or 0.0, facts.c_rate or 0.0
    columns = say("Look at the columns and at the label.")
    if share > 100:
        if 20 < share / 1000 < 160:
            if rate > 10:
                return say("are the amperes milliamperes?"), _unit("current in mA")
            return say("are the times milliseconds?"), _unit("time in ms")
        if volts > 1 and 60 < share / volts < 130 and rate > 0.5:
            return say("are the amperes watts?"), columns
        return say("did a break in which the load was off count, or is the label wrong?"), columns
    if 20 < share * 60 < 160:
        return say("are the times minutes?"), _unit("time in min")
    if 20 < share * 3600 < 160:
        return say("are the times hours?"), _unit("time in h")
    return say("is the label wrong, or is most of the run missing?"), columns


def _unit(flag: str) -> str:
    return say("Mend the unit in the column's heading, or say “{flag}” when it is brought in.", flag=flag)


def _share(facts: BatteryFacts) -> tuple[str, str] | None:
    """More or less than a battery of that label gives, or a simple fraction of it."""
    share = facts.share
    if share is None or facts.label is None:
        return None
    kind = facts.label.kind_of_cell
    most = _MOST_SHARE_LITHIUM if kind is not None and kind.key in {"lifepo4", "li-ion"} else _MOST_SHARE
    near, (slip, mend) = _near(share), _slip(facts)
    if near and (facts.emptied or share > 100):
        return (
            say("it is {share} % of the label, close to {near} of it: {slip}", share=show(share, 3), near=near[0], slip=near[1]),
            say("Look how it was clamped and what the label counts.") + if_it_is_so(),
        )
    if share - facts.share_u > most:
        said = say("it would be {share} % of the label, more than such batteries give: {slip}", share=show(share, 3), slip=slip)
        return said, mend + if_it_is_so()
    if facts.emptied and share + facts.share_u < _LEAST_SHARE:
        return say("it would be {share} % of the label: {slip}", share=show(share, 2), slip=slip), mend + if_it_is_so()
    return None


def _near(share: float) -> tuple[str, str] | None:
    """The simple fraction that a share is close to, and what may be behind it."""
    return next(((say(name), say(slip)) for value, name, slip in _FRACTIONS if abs(share / value - 1) < _NEAR), None)


def _absurd(facts: BatteryFacts) -> tuple[str, str] | None:
    """A few volts that no such battery has, among others that it may have."""
    label, readings = facts.label, facts.readings
    if label is None or not label.voltage_v or not len(readings):
        return None
    low, high = (share * label.voltage_v for share in _ABSURD)
    if (kind := label.kind_of_cell) is not None and label.series:
        high = min(high, _OVER_CHARGED * kind.charged_v[-1] * label.series)
    looked = facts.looked or scan(readings)
    if looked.least_volts(facts.first, facts.last) >= low and looked.most_volts(facts.first, facts.last) <= high:
        return None
    volts = readings.voltage_v[facts.first : facts.last + 1]
    off = (volts < low) | (volts > high)
    if off.mean() > _A_FEW:
        return None
    k = facts.first + int(np.argmax(off))
    return (
        say(
            "the {volts} V at {time} are no volts of such a battery: did a digit slip?",
            volts=show(float(readings.voltage_v[k])),
            time=show_duration(float(readings.time_s[k] - readings.time_s[0])),
        ),
        say("Mend the line with “fix”, or leave it out.") + if_it_is_so(),
    )


def _stands_still(facts: BatteryFacts) -> tuple[str, str] | None:
    """Steps in one quantity that the other does not follow: a display that was held, or a range that was changed."""
    if not facts.looks_at_steps:
        return None
    readings = facts.readings
    first = max(facts.first - 1, 0)
    time = readings.time_s[first : facts.last + 2]
    volts, amps = readings.voltage_v[first : facts.last + 2], readings.current_a[first : facts.last + 2]
    usual = float(np.median(amps))
    if not usual > 0:
        return None
    ohm = _resistance(facts, volts, amps)
    noise = _noise(volts)
    steps = np.diff(amps)
    moved = np.abs(np.diff(volts))
    big = np.flatnonzero((np.abs(steps) > _STEP * usual) & (ohm * np.abs(steps) > 5 * noise))
    still = [
        int(k)
        for k in big
        if moved[k] < _STILL * ohm * abs(steps[k])
        # a load that goes off may be seen a reading later by one of the two
        and (amps[k + 1] > 0.01 * usual or abs(volts[min(int(k) + 3, len(volts) - 1)] - volts[int(k)]) < _STILL * ohm * abs(steps[k]))
    ]
    if ohm > 0 and still and still[0] + 3 < len(amps):
        k = still[0]
        return (
            say(
                "the current goes from {before} to {after} A at {time} and the voltage does not move: a meter on another range, or one that was held?",
                before=show(float(amps[k])),
                after=show(float(amps[k + 1])),
                time=show_duration(float(time[k + 1])),
            ),
            say("Look at the readings from there on; leave them out, or run it again.") + if_it_is_so(),
        )
    return None


def _resistance(facts: BatteryFacts, volts: Array, amps: Array) -> float:
    """Of the battery by its load-on step; 0 where that was not read."""
    if facts.first < 1 or amps[0] > 0.1 * amps[1]:
        return 0.0
    return float(max((volts[0] - volts[1]) / max(amps[1] - amps[0], 1e-12), 0.0))


def _noise(values: Array) -> float:
    """Standard deviation between readings, at least the width of their digits."""
    digits = np.diff(np.unique(np.round(values[:5000], 6)))
    return max(jitter(values), float(digits.min()) / math.sqrt(12) if len(digits) else 0.0)


def _held(facts: BatteryFacts) -> tuple[str, str] | None:
    """Volts that stand still to the last digit for a fifth of the run, where otherwise they move from reading to reading."""
    if not facts.looks_at_steps or facts.last - facts.first < 60:
        return None
    volts, amps = (column[facts.first : facts.last + 1] for column in (facts.readings.voltage_v, facts.readings.current_a))
    on = amps > 0.05 * float(np.median(np.abs(amps)))
    same = (np.diff(volts) == 0) & on[1:] & on[:-1]
    edges = np.flatnonzero(np.diff(np.concatenate(([0], same.astype(np.int8), [0]))))
    lengths = edges[1::2] - edges[::2]
    if not len(lengths):
        return None
    longest = int(np.argmax(lengths))
    length, at = int(lengths[longest]), int(edges[::2][longest])
    around = [p for p in (same[max(at - _BESIDE, 0) : at], same[at + length : at + length + _BESIDE]) if len(p) >= 5]
    if length < max(30, 0.2 * len(volts)) or not around or any(part.mean() > _OFTEN_THE_SAME for part in around):
        return None  # a flat curve in coarse digits comes to rest, and moves on, slowly
    return (
        say(
            "the voltage stands at {volts} V to the last digit for {time}, and moves otherwise: was its display held?",
            volts=show(float(volts[at])),
            time=show_duration(float(facts.readings.time_s[facts.first + at + length] - facts.readings.time_s[facts.first + at])),
        ),
        say("Look at those readings; run it again if they are not what the battery had.") + if_it_is_so(),
    )


def _power(facts: BatteryFacts) -> tuple[str, str] | None:
    """Watts that are not volts times amperes."""
    power = facts.power if facts.power is not None else no_readings()
    if len(power) < 3 or len(facts.readings) < 3:
        return None
    readings = facts.readings
    made = np.interp(power.time_s, readings.time_s, readings.voltage_v * readings.current_a)
    on = np.abs(made) > 0.2 * float(np.max(np.abs(made)))
    if on.sum() < 3:
        return None
    ratio = float(np.median(np.abs(power.value[on]) / np.abs(made[on])))
    if abs(ratio - 1) < 0.1:
        return None
    return (
        say("the watts that were logged are {ratio} times volts × amperes", ratio=plain(ratio, 3)),
        say("One of the three columns is another one, or has another unit: look at their headings.") + if_it_is_so(),
    )


def _label(facts: BatteryFacts) -> tuple[str, str] | None:
    """A label that contradicts itself: whichever of its figures is judged by, the other says otherwise."""
    against = [q for q in facts.label.queries if "without a voltage" not in q] if facts.label else []
    if not against:
        return None
    return (
        say("the label contradicts itself: {first}{rest}", first=against[0][0].lower(), rest=against[0][1:].rstrip(".?")),
        say("Look at the label again and mend it on the shelf.") + if_it_is_so(),
    )


def _disagree(facts: BatteryFacts) -> tuple[str, str] | None:
    if not facts.disagreements:
        return None
    first = facts.disagreements[0].split(". ")[0].rstrip(".")
    return f"{first[0].lower()}{first[1:]}", say("Find out which of them is right before either is used.") + if_it_is_so()


# whether it is all there


def _charged_between(facts: BatteryFacts) -> tuple[str, str] | None:
    if facts.charged_ah <= 0.02 * facts.charge_ah:
        return None
    return (
        say("{charge} Ah were put in between load on and the end", charge=show(facts.charged_ah, 3)),
        say("Judge each discharge by itself."),
    )


def _begins_loaded(facts: BatteryFacts) -> tuple[str, str] | None:
    if not facts.begins_loaded or facts.full or facts.counts_from_0:
        return None
    return (
        say("the log begins with the load on, and what it gave before is in no reading"),
        say("If that is where it began, fully charged, say so: “It was full”."),
    )


def _not_full(facts: BatteryFacts) -> tuple[str, str] | None:
    if facts.full:
        return None
    return (
        say("nothing says that it was full"),
        say("If it was charged until the charger stopped, say so: “It was full”. Else charge it and run it again."),
    )


def _full_after_all(facts: BatteryFacts) -> tuple[str, str] | None:
    if not (facts.full and facts.not_full):
        return None
    return facts.not_full, say("Charge it until the charger stops, let it rest, and run it again.")


def _behind(facts: BatteryFacts) -> tuple[str, str] | None:
    if not facts.behind:
        return None
    return (
        say("it was counted at the {tap}, behind what has losses of its own: the battery gave more", tap=facts.behind),
        say("Count at the battery's terminals, or measure what lies between first."),
    )


def _unread(facts: BatteryFacts) -> tuple[str, str] | None:
    if not facts.unread:
        return None
    return facts.unread, say("Read the counter as the load goes on, and as it goes off.")


_FELL_BY = 0.08


def _amps_once(facts: BatteryFacts) -> tuple[str, str] | None:
    """Amperes that were read once, where the volts fell by more than a twelfth under load."""
    volts = facts.readings.voltage_v[facts.first : facts.last + 1]
    if not facts.amps_once or len(volts) < 2 or not float(volts[-1]) < (1 - _FELL_BY) * float(volts[0]):
        return None
    return (
        say(
            "its amperes were read once, and its volts fell from {a} to {b} V meanwhile: a lamp or a resistor draws less then; was the current held?",
            a=show(float(volts[0]), 3),
            b=show(float(volts[-1]), 3),
        ),
        say("Read the amperes each time.") + if_it_is_so(),
    )


def _off_too_early(facts: BatteryFacts) -> tuple[str, str] | None:
    if facts.fell_plausibly:
        return None
    return (
        say("it went dark at a voltage at which no such battery is empty"),
        say("Look for a lead that came off, a fuse, or a protection against too much current, and run it again."),
    )


BATTERY_CHECKS: tuple[Check[BatteryFacts], ...] = (
    Check("volts", PLAUSIBLE, REFUSES, "A thousand times the label's volts is a unit, not a battery.", _volts_of_another_size),
    Check(
        "swapped", PLAUSIBLE, REFUSES, "Volts that fit the amperes' column and amperes that fit the label's volts: the columns.", _swapped
    ),
    Check(
        "direction", PLAUSIBLE, REFUSES, "A battery that gives has less voltage as it empties (its open-circuit voltage falls).", a_charge
    ),
    Check(
        "kind",
        PLAUSIBLE,
        DECIDES_NOTHING,
        "Under load the mean voltage lies between a cell's usual cut-off, less 3 %, and its volts at rest when full, and 5 %.",
        _beyond_its_kind,
        asks=True,
    ),
    Check(
        "rate", PLAUSIBLE, DECIDES_NOTHING, "Ten times the highest rate of its chemistry: milliamperes read as amperes.", _rate, asks=True
    ),
    Check(
        "share",
        PLAUSIBLE,
        DECIDES_NOTHING,
        "Over 150 % (lithium 115 %), under 5 %, or within 4 % of ½, 2, ⅓, 3 of a label a slip is likelier than a battery. Common practice, no source.",
        _share,
        asks=True,
    ),
    Check(
        "absurd",
        PLAUSIBLE,
        DECIDES_NOTHING,
        "No battery has a fifth or 1.7 times its nominal voltage under load, nor 8 % over what a charger stops its cells at.",
        _absurd,
        asks=True,
    ),
    Check(
        "still",
        PLAUSIBLE,
        DECIDES_NOTHING,
        "A step of current moves the voltage by R times the step (Ohm); R by the load-on step of the same run.",
        _stands_still,
        asks=True,
    ),
    Check(
        "held", PLAUSIBLE, DECIDES_NOTHING, "Digits that move with every reading do not stand still for a fifth of a run.", _held, asks=True
    ),
    Check("label", PLAUSIBLE, DECIDES_NOTHING, "Wh = Ah × V on a label, and a mAh of a bank is counted at its cells.", _label, asks=True),
    Check("power", PLAUSIBLE, DECIDES_NOTHING, "Direct current: W = V·A.", _power, asks=True),
    Check(
        "disagree",
        PLAUSIBLE,
        DECIDES_NOTHING,
        "Two measurements of one thing lie within √(U₁² + U₂²) of each other, less what they share.",
        _disagree,
        asks=True,
    ),
    Check(
        "charged between",
        COMPLETE,
        DECIDES_NOTHING,
        "A capacity is what one discharge gives, without what was put in meanwhile.",
        _charged_between,
    ),
    Check(
        "turned round",
        PLAUSIBLE,
        DECIDES_NOTHING,
        "A battery that is charged at a steady current has more voltage as it fills (its open-circuit voltage rises).",
        turned_round,
        asks=True,
    ),
    Check(
        "charged meanwhile",
        COMPLETE,
        DECIDES_NOTHING,
        "At the same current a battery's voltage is not higher after it has given more.",
        fresh_after_a_break,
    ),
    Check(
        "rises",
        COMPLETE,
        DECIDES_NOTHING,
        "At the same current (5 %) typed volts do not rise by 1.5 % while it gives, by 3 % over the first quarter of an hour. Common practice, no source.",
        rises_meanwhile,
        asks=True,
    ),
    Check(
        "amperes once",
        PLAUSIBLE,
        DECIDES_NOTHING,
        "A lamp or a resistor draws less as its volts fall (Ohm's law): one reading of the amperes tells of a whole run only where they are held.",
        _amps_once,
        asks=True,
    ),
    Check("begins loaded", COMPLETE, AT_LEAST, "What flowed before the first reading is in no sum.", _begins_loaded),
    Check("full", COMPLETE, AT_LEAST, "A capacity is counted from full; from any other start it is a part of it.", _not_full),
    Check(
        "full after all",
        COMPLETE,
        AT_LEAST,
        "A full one stands near the top of its chart: at rest, and under its first load less I·R.",
        _full_after_all,
    ),
    Check("behind", COMPLETE, AT_LEAST, "What a converter or leads lose is in no count behind them.", _behind),
    Check(
        "unread",
        COMPLETE,
        AT_LEAST,
        "What flowed before a counter's first reading and after its last is in no difference of them.",
        _unread,
    ),
    Check(
        "off too early",
        COMPLETE,
        AT_LEAST,
        "Protections open for other reasons than an empty cell; then charge is left behind.",
        _off_too_early,
    ),
)
"""In the order in which they are looked at: the first that decides nothing is the one that is said."""

BEFORE_SUMS = tuple(check for check in BATTERY_CHECKS if check.effect == REFUSES)
AFTER_SUMS = tuple(check for check in BATTERY_CHECKS if check.effect != REFUSES)
