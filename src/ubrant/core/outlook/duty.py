"""When a load is on: always, a share of the time, from one hour to another, so many times an hour."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ubrant.core.outlook.spread import ALL, Uncertain, parse_spread, share_of
from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_number, parse_quantity, plain
from ubrant.core.wording import say

DAY_S = 86400.0
_CLOCK = r"(\d{1,2})[:.h](\d{2})"
_WINDOW = rf"{_CLOCK}\s*(?:to|until|-|–|\.\.)\s*{_CLOCK}"
_TIME = r"(ms|s|sec|seconds?|min|mins|minutes?|h|hours?|d|days?)"


@dataclass(frozen=True)
class Duty:
    """When it is on.

    Attributes
    ----------
    windows : (from, to) in seconds of the day, ``to`` past 86 400 where it runs over midnight; empty for all day
    share : of the time inside them that it is on, 0 to 1
    period_s : how long one turn of on and off lasts; None where nobody knows
    """

    windows: tuple[tuple[float, float], ...] = ()
    share: Uncertain = ALL
    period_s: float | None = None

    @property
    def is_always(self) -> bool:
        return not self.windows and self.share == Uncertain(1.0)

    def in_window(self, second_of_day: float) -> bool:
        """Whether it may be on at this second of a day."""
        s = second_of_day % DAY_S
        return not self.windows or any(a <= s < b or a <= s + DAY_S < b for a, b in self.windows)

    @property
    def day_share(self) -> float:
        """Of a whole day that it is on."""
        return self.share.value * (sum(b - a for a, b in self.windows) / DAY_S if self.windows else 1.0)

    def text(self) -> str:
        """As one would type it."""
        parts = [f"{clock(a)} to {clock(b)}" for a, b in self.windows]
        if self.share != Uncertain(1.0):
            share = self.share
            if self.period_s and share.is_sure:
                on = plain(share.value * self.period_s / 60, 3)
                parts.append(say("{on} of {all} min", on=on, all=plain(self.period_s / 60, 3)))
            else:
                parts.append(share.times(100.0).text("%").replace(" to ", ".."))
        return ", ".join(parts)


def clock(seconds: float) -> str:
    """``19:30`` of a second of a day."""
    minutes = round(seconds / 60) % 1440
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def read_clock(text: str) -> float:
    """Second of the day of ``17:30``.

    Raises
    ------
    QuantityError
        No time of day.
    """
    match = re.fullmatch(rf"\s*{_CLOCK}\s*", text)
    if match is None or int(match[1]) > 24 or int(match[2]) > 59:
        raise QuantityError(say("“{what}” is no time of day: write it like “17:30”.", what=text.strip()))
    return int(match[1]) * 3600.0 + int(match[2]) * 60.0


def parse_duty(text: str) -> Duty:
    """Read ``40 %``, ``8 of 20 min``, ``19:30 to 22:00``, ``6 shots an hour, 20 s each``, ``3 h a day``; several windows with commas.

    Raises
    ------
    QuantityError
        Not understood, or a share over 100 %.
    """
    windows: list[tuple[float, float]] = []
    share, period = Uncertain(1.0), None
    text = text.strip()
    if not text or text.lower() in {"always", "always on", "on"}:
        return Duty()
    shots = re.search(rf"({NUMBER})\s*\w+\s*(?:an|per|a|/)\s*hour\s*(?:,|of|for|at)?\s*({NUMBER})\s*{_TIME}\s*(?:each)?", text, re.I)
    if shots is not None:
        each = parse_quantity(f"{shots[2]} {shots[3]}", "s")
        count = parse_number(shots[1])
        share, period = _checked(Uncertain(count * each / 3600), text), 3600 / count if count > 0 else None
        text = text.replace(shots[0], "").strip(" ,")
    for part in filter(None, (p.strip() for p in re.split(r"[,;]| and ", text))):
        if match := re.fullmatch(_WINDOW, part):
            start, end = read_clock(f"{match[1]}:{match[2]}"), read_clock(f"{match[3]}:{match[4]}")
            windows.append((start, end if end > start else end + DAY_S))
        elif match := re.fullmatch(rf"({NUMBER})\s*{_TIME}?\s*(?:of|in|out of|every)\s*({NUMBER})\s*{_TIME}", part, re.I):
            period = parse_quantity(f"{match[3]} {match[4]}", "s")
            on = parse_quantity(f"{match[1]} {match[2] or match[4]}", "s")
            share = _checked(Uncertain(on / period if period else 2.0), part)
        elif match := re.fullmatch(rf"({NUMBER})\s*{_TIME}\s*(?:a|per|each|/)\s*day", part, re.I):
            share = _checked(Uncertain(parse_quantity(f"{match[1]} {match[2]}", "s") / DAY_S), part)
        elif "%" in part:
            share = share_of(re.sub(r"of the time|duty", "", part).strip())
        elif re.search(r"\w+\s*(?:an|per|a)\s*hour", part):
            raise QuantityError(say("“{what}”: say how long each lasts too, like “6 shots an hour, 20 s each”.", what=part))
        else:
            raise QuantityError(
                say(
                    "“{what}” is no duty: write it like “40 %”, “8 of 20 min”, “19:30 to 22:00” or “6 shots an hour, 20 s each”.", what=part
                )
            )
    return Duty(tuple(sorted(windows)), share, period)


def _checked(share: Uncertain, text: str) -> Uncertain:
    if not 0 <= share.value <= 1:
        raise QuantityError(say("“{what}” is more than all of the time.", what=text))
    return share


def parse_load(text: str) -> tuple[Uncertain, str, Duty]:
    """``38 W 40 % of the time``, ``0.8 A, 19:30 to 22:00`` as what it draws, in W or A, and its duty.

    Raises
    ------
    QuantityError
        Not understood, or without a unit.
    """
    match = re.match(rf"\s*(~?{NUMBER}(?:\s*(?:±|\+/-|\.\.|to)\s*{NUMBER})?)\s*([mk]?[WA])\b[\s,]*(.*)", text)
    if match is None:
        raise QuantityError(say("“{what}” is no load: write it like “38 W 40 %” or “0.8 A 19:30 to 22:00”.", what=text.strip()))
    unit = match[2][-1]
    drawn = parse_spread(f"{match[1]} {match[2]}", unit)
    if drawn.value < 0:
        raise QuantityError(say("A load of {value} {unit} cannot be: give it as 0 {unit} or more.", value=plain(drawn.value), unit=unit))
    return drawn, unit, parse_duty(match[3])
