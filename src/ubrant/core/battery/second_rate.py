"""What a bank burns by itself, from two runs at different rates: the longer one gives less, by what it burns in the hours between."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.finding import AT_MOST, Finding
from ubrant.core.uncertainty.value import as_of_run, within
from ubrant.core.wording import say, words

_APART = 0.25
"""The hours have to differ by this share for the difference to say anything. Common practice, no source."""
_OTHER_RATE = 0.01
"""By this share of their Wh cells may give otherwise at another rate, to each side. Common practice, no source."""
_MOST_SHARE = 1.15
"""Of its label no more comes out. Common practice, no source."""
_CLOCK_S = 60.0
"""How far a run's length may be off where a person saw it end."""


@dataclass(frozen=True)
class Emptied:
    """A run from full until it switched itself off: Wh at the output, and how long."""

    energy: Finding
    hours: float


def burnt_by_itself(one: Emptied, other: Emptied, label_wh: float | None = None) -> tuple[dict[str, Finding], str]:
    """W and Wh a day that it burns while it is on, as seen at the output; what it would give without. Nothing where the hours are too alike.

    E₁ + p·t₁ = E₂ + p·t₂: what the cells give through the converter is the same, the rest was burnt meanwhile.

    Parameters
    ----------
    label_wh : what its label says it holds; None for unknown

    Returns
    -------
    findings, sentence
        The sentence says why there are none where the two contradict each other; else it is empty.
    """
    slow, fast = (one, other) if one.hours >= other.hours else (other, one)
    if slow.energy.value is None or fast.energy.value is None or slow.hours < (1 + _APART) * fast.hours:
        return {}, ""
    apart_h = slow.hours - fast.hours
    clock = within(_CLOCK_S / 3600, words("clock"), "h", when=say("of the longer run")) - within(
        _CLOCK_S / 3600, words("clock"), "h", when=say("of the shorter run")
    )
    cells = within(_OTHER_RATE * fast.energy.value, words("cells at another rate"), "Wh")
    of_fast, of_slow = as_of_run(fast.energy.known, say("of the shorter run")), as_of_run(slow.energy.known, say("of the longer run"))
    burnt = (of_fast - of_slow + cells) / (apart_h + clock)
    watts = burnt.value
    working = say(
        "({a} Wh in {m} h − {b} Wh in {n} h) ÷ {h} h",
        a=show(fast.energy.value),
        m=plain(fast.hours, 3),
        b=show(slow.energy.value),
        n=plain(slow.hours, 3),
        h=plain(apart_h, 3),
    )
    power = Finding.made("idle_power", say("Burns by itself while on"), burnt, "W", working)
    if watts + (power.expanded_uncertainty or 0.0) < 0:
        return {}, say("At another rate it gave more in more hours, not less: was it full both times, and ran to its own end?")
    if label_wh and (one.energy.value or 0.0) + watts * one.hours > _MOST_SHARE * label_wh:
        return {}, say(
            "Another run of it gave {a} Wh in {h} h: then it would burn {w} W by itself, and more came out than its label holds. One of the two was not whole.",
            a=show(other.energy.value or 0.0),
            h=plain(other.hours, 3),
            w=show(watts, 2),
        )
    if watts < 0:
        least = power.expanded_uncertainty or 0.0
        return {"idle_power": Finding("idle_power", power.name, watts + least, "W", (), working, bound=AT_MOST)}, ""
    given = of_slow if one is slow else of_fast
    found = {
        "idle_power": power,
        "idle_day": Finding.made("idle_day", say("That is a day"), 24 * burnt, "Wh", f"24 h × {show(watts)} W"),
        "without_idle": Finding.made(
            "without_idle",
            say("Would give with nothing burnt"),
            given + burnt * one.hours,
            "Wh",
            f"{show(given.value)} Wh + {show(watts)} W × {plain(one.hours, 3)} h",
        ),
    }
    return found, ""
