"""The jot line's grammar: readings as people say them, marks, notes, now or at a time in the past. docs/jot-text.md describes it.

A line is: a time (``-5min``, ``@14:32``, ``+1h20``), then readings one after the other, then a note. A line that does not begin with a
reading, a mark or an order is a note as a whole, so ``fan at 12 V now`` is never taken for a reading.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from ubrant.core.quantities.places import misplaced, no_number, unused
from ubrant.core.quantities.quantity import parse_number, plain, unit_factor
from ubrant.core.wording import SentenceError, say, words

TAPS: dict[str, tuple[str, ...]] = {
    "battery": ("batt", "bat"),
    "load": ("ld",),
    "source": ("src",),
    "input": ("in",),
    "output": ("out",),
    "bank": (),
    "station": (),
    "dc": (),
    "ac": (),
    "charger": ("chg",),
    "device": ("dev",),
    "case": (),
    "room": (),
    "display": ("disp",),
    "reference": ("ref",),
}
"""Places where something can be read, with their short names."""

LEFT_H = "h left"
"""Hours that a display says it goes on for: ``1.3 h left at 410 W``."""
BAR = "Wh of "
"""Before the hour of a bar: ``bar 09:00 42 Wh``."""
QUANTITIES = ("V", "A", "W", "Ah", "Wh", "%", "°C", "Hz", "VA", "Ω", LEFT_H)
_FLOWS = ("V", "A", "W", "Ah", "Wh", "VA")
_AFTER = {"dc", "ac"}  # these may stand behind what they belong to: 9.3 A dc
LEFT_OUT = "left out"
"""The mark of a line that counts no more, and stays to be seen."""
_MARKS = (LEFT_OUT, "full", "empty", "load on", "load off", "counter reset", "tripped", "held", "reset", "alarm", "back", "skip")
FULL, EMPTY = "full", "empty"
RUNS, FALTERS, OFF = "runs", "falters", "off"
STARTS, NO_START, LIMITED = "starts", "does not start", "supply limited"
FATES = (RUNS, FALTERS, OFF, STARTS, NO_START, LIMITED)
"""What a person says of a load behind its readings, where nothing reads the output: ``9.2 V falters``; switched on anew, ``9.8 V starts``."""
_SEEN_AS = {
    **{fate: fate for fate in FATES},
    **dict.fromkeys(("dims", "flickers", "resets", "restarts", "reboots", "goes silent", "stutters"), FALTERS),
    **dict.fromkeys(("goes off",), OFF),
    **dict.fromkeys(("no start", "does not run"), NO_START),
    **dict.fromkeys(("limited", "at its limit", "supply at its limit"), LIMITED),
}
_FATE = "|".join(sorted(_SEEN_AS, key=len, reverse=True))
_FATE_AND_REST = re.compile(rf"[\s,;]*({_FATE})\b[\s.]*(?:[,;:·]\s*(.*)|(\".*\"))?", re.I)
_SECONDS = {"s": 1.0, "sec": 1.0, "min": 60.0, "m": 60.0, "h": 3600.0, "d": 86400.0}
_N = r"[+\-−]?(?:[0-9]{1,3}(?:[ \u00a0\u202f'’][0-9]{3})+(?![0-9])|[0-9]+)(?:[.,][0-9]+)?(?:[eE][+-]?[0-9]+)?|[+\-−]?[.,][0-9]+"
_N = f"(?:{_N})"
_CELL = r"[0-9]+(?:[.,][0-9]+)?"
_UNIT = r"[^\W\d_]{1,5}|[µμ]?[^\W\d_]{1,3}|%|°C|Ω"
_SPAN = rf"({_N})\s*\.\.\.?\s*({_N})\s*({_UNIT})"
_ONE = rf"(=\s*)?({_N})(?:\s*±\s*({_N}))?\s*({_UNIT})?"
"""``=`` before a number: to the last bit, no digit is rounded. ``±`` behind it: as wide as that, and not as its last digit."""
_OF = r"([0-9]+)\s+of\s+([0-9]+)\s+([^\W\d_]\w*)"


class JotError(SentenceError):
    """A line that cannot be taken down as it is; its text says what to write."""


@dataclass(frozen=True)
class TypedReading:
    """One reading of a line.

    Attributes
    ----------
    tap : where; empty for the run's own
    quantity : one of QUANTITIES, or the name of what was counted (``lamps``)
    value : in the base unit
    half_width : it lies anywhere within ± so much, rectangular: half of the last digit written, or the width said
    kind : ``read``, ``about``, ``range``, ``peak``, ``below``, ``count``; ``bar`` of an hour; ``state`` for what is known to be full (100 %) or empty (0 %)
    """

    tap: str
    quantity: str
    value: float
    half_width: float
    kind: str = "read"

    def show(self) -> str:
        """``battery 12.94 V``, as it was understood."""
        unit = "" if self.kind == "count" else f" {self.quantity}"
        decimals = f"{plain(self.value, 6)}{unit}"
        text = {
            "range": f"{plain(self.value - self.half_width, 5)} to {plain(self.value + self.half_width, 5)}{unit}",
            "about": f"about {decimals}",
            "peak": f"at most {decimals}",
            "below": f"below {plain(2 * self.value, 5)}{unit}",
            "count": f"{decimals} {self.quantity}",
            "state": FULL if self.value else EMPTY,
            "bar": f"bar {self.quantity.removeprefix(BAR)} {plain(self.value, 6)} Wh",
        }.get(self.kind, decimals)
        return f"{self.tap} {text}".strip()


def state_of(tap: str, *, full: bool) -> TypedReading:
    """What is known to be full or empty, as nothing that a display shows: there is no last digit in it."""
    return TypedReading(tap, "%", 100.0 if full else 0.0, 0.0, "state")


@dataclass(frozen=True)
class TypedLine:
    """One line taken down.

    Attributes
    ----------
    text : the note, without what was understood otherwise
    ago_s : so long ago
    at_clock_s : seconds since midnight, where a time of day was given
    on_day : (year, month, day) of that, 0 for a year that was not written; None where no day was
    after_start_s : seconds since the start, where that was given
    readings, mark : what was read; ``full``, ``empty``, ``load on``, ``load off``, ``counter reset`` or nothing
    look_in_s : remind the person after so long
    corrects : it stands for the last entry
    to_minute : its time was written in whole minutes or hours
    line : as typed
    """

    text: str
    ago_s: float = 0.0
    at_clock_s: float | None = None
    on_day: tuple[int, int, int] | None = None
    after_start_s: float | None = None
    readings: tuple[TypedReading, ...] = ()
    mark: str = ""
    look_in_s: float | None = None
    corrects: bool = False
    line: str = ""
    to_minute: bool = False

    @cached_property
    def places(self) -> frozenset[tuple[str, str]]:
        """(tap, quantity) of everything that was read."""
        return frozenset((r.tap, r.quantity) for r in self.readings)

    @cached_property
    def is_plain(self) -> bool:
        """One or two quantities at one tap, each once, none of them a zero, and not a word: the many rows of which nothing further has to be asked."""
        if self.mark or self.text or len(self.readings) > 2:
            return False
        return len(self.places) == len(self.readings) and len({tap for tap, _ in self.places}) < 2 and all(r.value for r in self.readings)

    def understood(self) -> str:
        """What was made of the line, for showing while it is typed; empty for a plain note."""
        parts = [r.show() for r in self.readings]
        if self.mark:
            parts.append(self.mark)
        if self.look_in_s is not None:
            parts.append(say("a reminder in {plain} min", plain=plain(self.look_in_s / 60, 3)))
        if parts and self.text:
            parts.append(f"note “{self.text}”")
        if not parts:
            return ""
        when = f"{plain(self.ago_s / 60, 3)} min ago: " if self.ago_s else ""
        day = f"{self.on_day[1]:02d}-{self.on_day[2]:02d} " if self.on_day is not None else ""
        when = f"at {day}{clock_text(self.at_clock_s)}: " if self.at_clock_s is not None else when
        when = say("{plain} min after the start: ", plain=plain(self.after_start_s / 60, 4)) if self.after_start_s is not None else when
        return ("instead of the last entry: " if self.corrects else "") + when + " · ".join(parts)


_GO_ON = frozenset({"%", "Wh", "Ah"})
"""Percents and counters: what they showed before says little of what they show now."""
_JUST, _SOME = 0.1, 0.05
"""Off by less than a tenth it is what is asked for; a twentieth of the heaviest is some load. Common practice, no source."""


def _is_just(value: float, asked: float, wanted: float) -> bool:
    return asked != wanted and abs(value - asked) <= _JUST * abs(asked)


@dataclass(frozen=True)
class Grammar:
    """What the line may take for granted.

    Attributes
    ----------
    taps : names besides the usual ones
    expected : (tap, quantity) → the value expected about now, to take a bare number by and to question slips with
    alike : other names for the taps in ``expected``
    aliases : what people call a tap in this run: the name of the unit that stands there
    places : where the test reads; empty where nobody knows
    elsewhere : what is asked for later in the test, by how it is called: what is far from expected may be of that
    """

    taps: Sequence[str] = ()
    expected: Mapping[tuple[str, str], float] = field(default_factory=dict)
    alike: Mapping[str, str] = field(default_factory=dict)
    aliases: Mapping[str, str] = field(default_factory=dict)
    places: Sequence[str] = ()
    elsewhere: Mapping[str, Mapping[tuple[str, str], float]] = field(default_factory=dict)

    def parse(self, line: str) -> TypedLine | None:
        """Take one line down; None when there is nothing in it.

        Raises
        ------
        JotError
            A reading without a unit that could be anything, a clock time that is none, a width the wrong way round.
        """
        rest = line.strip().replace("\t", " ")
        if not rest:
            return None
        corrects = bool(re.match(r"fix\b", rest, re.I))
        rest = re.sub(r"^fix\b[:\s]*", "", rest, flags=re.I)
        found, rest = _when(rest)
        if match := re.fullmatch(rf"look\s+(?:in\s+)?(?:again\s+)?(?:in\s+)?({_N})\s*(s|sec|min|m|h)\b\s*", rest, re.I):
            return replace(found, look_in_s=parse_number(match[1]) * _SECONDS[match[2].lower()], line=line.strip())
        mark, rest = _mark(rest)
        readings, rest = self._readings(rest)
        if not mark:
            mark, rest = _mark(rest)
        if not mark and [(r.tap, r.kind) for r in readings] == [
            ("battery", "state")
        ]:  # of what is tested, and nothing else: it is the mark
            mark, readings = (FULL if readings[0].value else EMPTY), []
        if readings and not mark:
            mark, rest = fate_and_rest(rest)
        text = rest.strip().strip('"“”').strip()
        if not (readings or mark or text):
            return None if not rest and line.strip().startswith(("-", "+", "@")) else replace(found, text="", line=line.strip())
        return replace(found, text=text, readings=tuple(readings), mark=mark, corrects=corrects, line=line.strip())

    def queries(self, jotting: TypedLine) -> list[str]:
        """Sentences that question what is far from expected: a factor of 1000, a sign, one unit in place of another, a place that is none."""
        if swapped := self._swapped(jotting):
            return [swapped]
        if sentence := self.doubts_of_note(jotting):
            return [sentence]
        elsewhere = dict.fromkeys(unused(r.tap, self.places) for r in jotting.readings if self._is_elsewhere(r))
        if later := next(filter(None, map(self._asked_later, jotting.readings)), ""):
            return [later, *elsewhere]
        return [*(q for r in jotting.readings if (q := self._query(r))), *elsewhere]

    def doubts_of_note(self, jotting: TypedLine) -> str:
        """A question about a note that looks like readings, at a place which is none or with a letter for a figure; empty where it is a note."""
        alone = not jotting.readings and not jotting.mark
        return no_number(jotting.text) or (misplaced(jotting.text, self._names()) if alone else "")

    def _is_elsewhere(self, reading: TypedReading) -> bool:
        """Whether the test does not read there, and nothing was read there before."""
        if not self.places or not reading.tap or reading.quantity not in _FLOWS or reading.tap.startswith("cell "):
            return False
        known = {*self.places, *(tap for tap, _ in self.expected)}
        return reading.tap not in known and self.alike.get(reading.tap, reading.tap) not in known

    def _swapped(self, jotting: TypedLine) -> str:
        """Amperes that are what the volts should be, beside volts that are not."""
        read = {(r.tap, r.quantity): r for r in jotting.readings if r.kind == "read"}
        for (tap, quantity), amps in read.items():
            volts = read.get((tap, "V"))
            expected = self._near(volts) if quantity == "A" and volts is not None else None
            if volts is None or not expected or 0.75 < volts.value / expected < 1.25 or not 0.75 < amps.value / expected < 1.25:
                continue
            return say(
                "{volts} V and {amps} A, the wrong way round? About {expected} V was expected.",
                volts=plain(volts.value, 5),
                amps=plain(amps.value, 5),
                expected=plain(expected, 3),
            )
        return ""

    def _query(self, reading: TypedReading) -> str:
        if reading.kind not in {"read", "about"}:
            return ""
        same = self._near(reading)
        said = f"{plain(reading.value, 5)} {reading.quantity}"
        if reading.quantity == "%" and not 0 <= reading.value <= 100:
            return say("{said}: a percentage outside 0 to 100?", said=said)
        if same is None or same == 0:
            return self._flows_at_none(reading, said) if same == 0 else ""
        about = say("about {same} {quantity} was expected", same=plain(same, 3), quantity=reading.quantity)
        if reading.value * same < 0 and abs(reading.value) > 0.02 * abs(same):
            return say("{said}, with that sign? {upper}{value}.", said=said, upper=about[0].upper(), value=about[1:])
        if thousand := self._thousandfold(reading):
            return thousand
        ratio = abs(reading.value / same)
        if (ratio > 3 or ratio < 1 / 3) and reading.quantity not in _GO_ON:
            for (tap, quantity), value in self.expected.items():
                if quantity != reading.quantity and value and abs(reading.value / value - 1) < 0.1:
                    return say(
                        "{said}? {upper}{value}; at the {tap} about {value_2} {quantity} is. Is the unit right?",
                        said=said,
                        upper=about[0].upper(),
                        value=about[1:],
                        tap=tap,
                        value_2=plain(value, 3),
                        quantity=quantity,
                    )
            if ratio > 3 or reading.quantity == "V":
                return say(
                    "{said} is far from what was expected ({same} {quantity}).", said=said, same=plain(same, 3), quantity=reading.quantity
                )
        return ""

    def _asked_later(self, reading: TypedReading) -> str:
        """That another load than the next one was taken, where that is asked for later."""
        key = self.alike.get(reading.tap, reading.tap), reading.quantity
        wanted = self.expected.get(key)
        if wanted is None or reading.kind != "read" or abs(reading.value - wanted) <= _JUST * abs(wanted) or not reading.value:
            return ""
        name = next((n for n, asked in self.elsewhere.items() if key in asked and _is_just(reading.value, asked[key], wanted)), "")
        text = words("{said}: about {wanted} {quantity} is wanted now, and “{name}” comes later: it goes to that row.")
        return say(text, said=reading.show(), name=name, wanted=plain(wanted, 3), quantity=reading.quantity) if name else ""

    def _flows_at_none(self, reading: TypedReading, said: str) -> str:
        key = self.alike.get(reading.tap, reading.tap), reading.quantity
        most = max((abs(asked.get(key, 0.0)) for asked in self.elsewhere.values()), default=0.0)
        return say("{said}: nothing is wanted to flow there now.", said=said) if abs(reading.value) > _SOME * most > 0 else ""

    def _thousandfold(self, reading: TypedReading) -> str:
        same = self._near(reading)
        ratio = abs(reading.value / same) if same and reading.kind in {"read", "about"} else 0.0
        if same is None or not (300 < ratio < 3000 or 1 / 3000 < ratio < 1 / 300):
            return ""
        value, meant = (reading.value, f"m{reading.quantity}") if ratio > 1 else (1000 * reading.value, reading.quantity)
        about = say("about {same} {quantity} was expected", same=plain(same, 3), quantity=reading.quantity)
        return say(
            "{said}? {upper}{value}: a factor of 1000 away. Did you mean {value_2} {meant}?",
            said=f"{plain(reading.value, 5)} {reading.quantity}",
            upper=about[0].upper(),
            value=about[1:],
            value_2=plain(value, 5),
            meant=meant,
        )

    def slip_of_all(self, jottings: Sequence[TypedLine]) -> str:
        """What is amiss with most of several lines at once, as when two columns are swapped or one is in another unit; empty where nothing is."""
        read = [j for j in jottings if j.readings]
        said = [q for j in read if (q := self._swapped(j) or next(filter(None, map(self._thousandfold, j.readings)), ""))]
        if not said or 2 * len(said) <= len(read):
            return ""
        return say("{question} So it is in {count} of {all} rows.", question=said[0], count=len(said), all=len(read))

    def _near(self, reading: TypedReading) -> float | None:
        key = self.alike.get(reading.tap, reading.tap), reading.quantity
        if key in self.expected:
            return self.expected[key]
        fits = [v for (tap, q), v in self.expected.items() if q == reading.quantity and (not reading.tap or tap == reading.tap)]
        return fits[0] if fits and not reading.tap else None

    def _names(self) -> dict[str, str]:
        names = {short: tap for tap, shorts in TAPS.items() for short in (tap, *shorts)}
        return names | {tap.lower(): tap for tap in self.taps} | {name.lower(): tap for name, tap in self.aliases.items()}

    def _readings(self, rest: str) -> tuple[list[TypedReading], str]:
        names = self._names()
        pattern = "|".join(re.escape(n) for n in sorted(names, key=len, reverse=True))
        readings: list[TypedReading] = []
        tap, fresh = "", 0  # the tap that holds, and from which reading on a tap behind would count
        while rest:
            rest = rest.lstrip(" ,;·")
            if match := re.match(rf"cells?\s+((?:{_CELL}(?:\s*V\b)?[\s,;]*){{2,}})(?=$|[^\d\w.])", rest, re.I):
                for number, cell in enumerate(re.finditer(rf"({_CELL})\s*V?", match[1]), start=1):
                    readings.append(TypedReading(f"cell {number}", "V", parse_number(cell[1]), _digit(cell[1])))
                rest = rest[match.end() :]
                continue
            if match := re.match(rf"({pattern})\b\s*:?\s*", rest, re.I):
                name, ahead = names[match[1].lower()], rest[match.end() :]
                if name in _AFTER and len(readings) > fresh and not readings[-1].tap and self._stand_behind(rest, pattern):
                    readings[fresh:] = [replace(r, tap=name) for r in readings[fresh:]]
                    tap, fresh, rest = "", len(readings), ahead
                    continue
                if state := re.match(rf"({FULL}|{EMPTY})\b[\s,;.]*", ahead, re.I):
                    readings.append(state_of(name, full=state[1].lower() == FULL))
                    rest = ahead[state.end() :]
                    continue
                item, after = self._item(ahead, name)
                if item is None:
                    break
                tap, rest = name, after
                readings.append(item)
                continue
            item, after = self._item(rest, tap)
            if item is None:
                break
            readings.append(item)
            rest = after
        return readings, rest

    def _stand_behind(self, rest: str, pattern: str) -> bool:
        """Whether *dc* and *ac* stand behind their readings from here on: the line ends with one of them. Else they stand before.

        Raises
        ------
        JotError
            It does not end with one, and there are several, so that nobody can tell.
        """
        count, last_is_name = 0, False
        while rest := rest.lstrip(" ,;·"):
            if match := re.match(rf"({pattern})\b\s*:?\s*", rest, re.I):
                count, last_is_name, rest = count + 1, True, rest[match.end() :]
                continue
            item, rest = self._item(rest, "battery")
            if item is None:
                break
            last_is_name = False
        if not last_is_name and count > 1:
            raise JotError(say("Which readings are whose? Write each name before its readings, like “dc 13.2 V 40 A ac 120 V 450 W”."))
        return last_is_name

    def _item(self, rest: str, tap: str) -> tuple[TypedReading | None, str]:
        """One reading at the start of what is left."""
        if match := re.match(rf"temp(?:erature)?\s*:?\s*({_N})\s*(?:°?\s*C\b|℃)?", rest, re.I):
            return TypedReading(tap or "battery", "°C", parse_number(match[1]), _digit(match[1])), rest[match.end() :]
        if match := re.match(rf"bar\s+([01]?\d|2[0-3])(?::00|\s?h)\s*:?\s*({_N})\s*(k?Wh)\b", rest, re.I):
            factor = 1000.0 if match[3].lower() == "kwh" else 1.0
            hour = f"{BAR}{int(match[1]):02d}:00"
            return TypedReading(tap, hour, parse_number(match[2]) * factor, _digit(match[2]) * factor, "bar"), rest[match.end() :]
        if match := re.match(rf"({_N})\s*(h|hours?|min)\s+left\b(?:\s+at\b(?=\s*{_N}\s*W))?", rest, re.I):
            hours = 1.0 if match[2].lower().startswith("h") else 1 / 60
            return TypedReading(tap, LEFT_H, parse_number(match[1]) * hours, _digit(match[1]) * hours), rest[match.end() :]
        if match := re.match(_OF + r"(?![\w%])", rest):
            return TypedReading(tap, match[3].lower(), float(match[1]), 0.0, "count"), rest[match.end() :]
        if match := re.match(_SPAN + r"(?![\w])", rest):
            low, high, (factor, unit) = parse_number(match[1]), parse_number(match[2]), _unit(match[3], match[0])
            if high < low:
                raise JotError(say("“{strip}”: write the smaller one first.", strip=match[0].strip()))
            return TypedReading(tap, unit, (low + high) / 2 * factor, (high - low) / 2 * factor, "range"), rest[match.end() :]
        kind, width = "read", 0.0
        head = re.match(r"(~|≈|about\s+|peak\s+|max\s+|<|below\s+|under\s+)\s*", rest, re.I)
        if head:
            word = head[1].strip().lower()
            kind = "about" if word in {"~", "≈", "about"} else "peak" if word in {"peak", "max"} else "below"
        ahead = rest[head.end() :] if head else rest
        match = re.match(_ONE + r"(?![\w])", ahead) or re.match(rf"()({_N})()()(?![\w.,])", ahead)
        if match is None:
            return None, rest
        said, number_text = match[1] or match[3], match[2]
        if not match[4]:
            if re.match(r"[.,][^\W\d]", ahead[match.end() :]):
                return None, rest  # "5.O7 V" is no 5
            if head or said or re.match(r"\s+[^\W\d_]{2,}", ahead[match.end() :]):
                return None, rest  # "2 fans on" is a note
            return self._bare(number_text, tap), ahead[match.end() :]
        known = unit_factor(match[4])
        if known is None or known.unit not in QUANTITIES:
            return None, rest
        number, factor, unit = parse_number(number_text), known.value, known.unit
        value, width = _as_written(number * factor), _as_written(_digit(number_text) * factor)
        if kind == "about":
            width = max(10 ** _exponent(number_text) * factor, 0.05 * abs(value))
        if kind == "below":
            value, width = value / 2, value / 2
        if said:
            width = abs(parse_number(match[3])) * factor if match[3] else 0.0
        return TypedReading(tap, unit, value, width, kind), ahead[match.end() :]

    def _bare(self, text: str, tap: str) -> TypedReading:
        """A number without a unit: whatever is expected near it."""
        value = parse_number(text)
        near = {
            (place, unit)
            for (place, unit), expected in self.expected.items()
            if expected and 0.75 < value / expected < 1.25 and (not tap or place == tap)
        }
        if len(near) != 1:
            raise JotError(say("{what} of what? Write its unit, like “{what} V”.", what=text))
        place, unit = near.pop()
        return TypedReading(tap or place, unit, value, _digit(text))


def parse_jot(line: str, grammar: Grammar | None = None) -> TypedLine | None:
    """Read one line by the usual grammar; see :meth:`Grammar.parse`."""
    return (grammar or Grammar()).parse(line)


def clock_text(seconds: float | None) -> str:
    """``14:32``, ``14:32:05``."""
    whole = round(seconds or 0.0)
    text = f"{whole // 3600 % 24:02d}:{whole // 60 % 60:02d}"
    return f"{text}:{whole % 60:02d}" if whole % 60 else text


_DAY = r"(?:(?:(\d{4})-)?(\d{1,2})-(\d{1,2})[ T]+)?"
_BARE_CLOCK = re.compile(rf"{_DAY}(\d{{1,2}}):(\d{{2}})(?::(\d{{2}}(?:[.,]\d+)?))?(?=\s+\S)(?!\s*(?:h|min|sec|s|d)\b)", re.I)
"""A time of day as it stands in notes, ``14:32 12.9 V``: with a colon, and something after it that makes no length of it."""


def without_time(line: str) -> str:
    """A line as it was typed, without the time that it begins with."""
    return _when(re.sub(r"^fix\b[:\s]*", "", line.strip(), flags=re.I))[1].strip()


def _when(rest: str) -> tuple[TypedLine, str]:
    """The time at the start of a line, and what comes after it."""
    number = r"\d+(?:[.,]\d+)?"
    if match := re.match(rf"-\s*((?:{number}\s*(?:sec|s|min|m|h)\s*)+)(?![\w])", rest, re.I):
        return TypedLine("", ago_s=_length(match[1]), to_minute=_no_seconds(match[1])), rest[match.end() :]
    if match := re.match(rf"\+\s*((?:{number}\s*(?:sec|s|min|m|h|d)\s*)+)(?![\w])", rest, re.I):
        return TypedLine("", after_start_s=_length(match[1]), to_minute=_no_seconds(match[1])), rest[match.end() :]
    if match := re.match(r"\+\s*(\d+):([0-5]\d)(?::([0-5]\d(?:[.,]\d+)?))?(?!\d)", rest):
        seconds = int(match[1]) * 3600 + int(match[2]) * 60 + (parse_number(match[3]) if match[3] else 0.0)
        return TypedLine("", after_start_s=seconds, to_minute=not match[3]), rest[match.end() :]
    if match := re.match(rf"@\s*{_DAY}(\d{{1,2}})[:.h](\d{{2}})(?::(\d{{2}}(?:[.,]\d+)?))?(?!\d)", rest) or _BARE_CLOCK.match(rest):
        hour, minute, second = int(match[4]), int(match[5]), parse_number(match[6]) if match[6] else 0.0
        if hour > 23 or minute > 59 or second >= 60:
            raise JotError(say("“{value}” is no time of day: write it like @14:32.", value=match[0]))
        on_day = (int(match[1] or 0), int(match[2]), int(match[3])) if match[2] else None
        if on_day is not None and not (1 <= on_day[1] <= 12 and 1 <= on_day[2] <= 31):
            raise JotError(say("“{value}” is no day and time: write it like @10-18 14:32, the month first.", value=match[0]))
        return TypedLine("", at_clock_s=hour * 3600 + minute * 60 + second, on_day=on_day, to_minute=not match[6]), rest[match.end() :]
    if rest.startswith("@"):
        raise JotError(say("“{value}” is no time of day: write it like @14:32.", value=rest.split()[0]))
    return TypedLine(""), rest


def _no_seconds(length: str) -> bool:
    """Minutes, hours or days alone, and whole ones."""
    return not re.search(r"s|[.,]", length, re.I)


def _length(text: str) -> float:
    parts = re.findall(r"(\d+(?:[.,]\d+)?)\s*(sec|s|min|m|h|d)", text, re.I)
    return sum(parse_number(n) * _SECONDS[u.lower()] for n, u in parts)


_FOUND = re.compile(r"found\s+(?:it\s+)?(?:empty|off|dead)\b[\s,;.]*", re.I)
"""Nobody saw it go off: it is empty, since some moment after the look before."""


def _mark(rest: str) -> tuple[str, str]:
    if found := _FOUND.match(rest.lstrip(" ,;")):
        return "empty", f"found {rest.lstrip(' ,;')[found.end() :]}".strip()
    for mark in _MARKS:
        if match := re.match(rf"{mark}\b[\s,;.]*", rest.lstrip(" ,;"), re.I):
            return mark, rest.lstrip(" ,;")[match.end() :]
    return "", rest


def fate_and_rest(note: str) -> tuple[str, str]:
    """What a note says became of the load, empty for nothing, and the rest of it; what was seen keeps its word: ``dims`` is *falters*, with that as its note."""
    match = _FATE_AND_REST.fullmatch(note)
    if match is None:
        return "", note
    word, rest = match[1].lower(), (match[2] or match[3] or "").strip(' "')
    fate = _SEEN_AS[word]
    return fate, rest if word == fate else ", ".join(filter(None, (word, rest)))


def fate_behind(text: str) -> tuple[str, str]:
    """What stands before a word for what became of the load, and that word; empty where there is none."""
    match = re.fullmatch(rf"(.*?)\s*\b({_FATE})\s*", text, re.I)
    return (match[1], match[2].lower()) if match else (text, "")


def plainly(fate: str) -> str:
    """A fate as *runs*, *falters* or *off*, for who does not tell a start from running on; empty where a supply's limit hides it."""
    return {STARTS: RUNS, NO_START: OFF, LIMITED: ""}.get(fate, fate)


def mark_of_note(note: str) -> tuple[str, str]:
    """The mark that a note is, or begins with before a comma, and the rest; empty where it is a remark: ``empty`` and ``full, at last``, never ``full moon``."""
    if re.match(r"\s*found\s+(?:it\s+)?(?:empty|off|dead)\s*(?:[,;:.·]|$)", note, re.I):
        return _mark(note)
    fate, rest = fate_and_rest(note)
    if fate:
        return fate, rest
    match = re.fullmatch(rf"\s*({'|'.join(_MARKS)})\b[\s.]*(?:[,;:·]\s*(.*))?", note, re.I)
    return (match[1].lower(), (match[2] or "").strip()) if match else ("", note.strip())


def _unit(symbol: str, where: str) -> tuple[float, str]:
    known = unit_factor(symbol)
    if known is None or known.unit not in QUANTITIES:
        raise JotError(say("“{strip}”: {symbol} is not a unit Ubrant reads here.", strip=where.strip(), symbol=symbol))
    return known.value, known.unit


def _exponent(number: str) -> int:
    """Power of ten of the last digit written."""
    mantissa, _, exponent = number.lower().partition("e")
    decimals = len(re.split(r"[.,]", mantissa)[1]) if re.search(r"[.,]", mantissa) else 0
    return -decimals + (int(exponent) if exponent else 0)


def _as_written(value: float) -> float:
    """Without what a power of ten leaves in the last place of a float: 6.1 mV is 0.0061 V."""
    return float(f"{value:.15g}")


def _digit(number: str) -> float:
    """Half of the last digit written: all that a display says."""
    return float(0.5 * 10.0 ** _exponent(number))
