"""A piece of an outlook as one line of text, there and back: ``blower 58 W 40 %, start 104 W``."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import TypeVar

from pydantic import BaseModel

from ubrant.core.outlook.duty import parse_duty
from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_number, plain
from ubrant.core.wording import say, words
from ubrant.runs.kept.toml_parts import toml_lines
from ubrant.runs.kits.kit_file import STRAIGHT
from ubrant.runs.kits.kit_parts import DayPart, InputPart, KitError, KitPart, LoadPart, SourcePart, WayPart

SOURCE, WAY, LOAD, INPUT = "source", "way", "load", "input"
_AMOUNT = rf"~?{NUMBER}(?:\s*(?:±|\+/-|\.\.|…)\s*{NUMBER})?\s*"
_T = TypeVar("_T", bound=BaseModel)

_SAID: Mapping[str, tuple[tuple[str, str], ...]] = {
    SOURCE: (
        ("usable", "usable"),
        ("kept back", "reserve"),
        ("keep", "reserve"),
        ("reserve", "reserve"),
        ("full", "full"),
        ("max", "max"),
        ("swap", "swap"),
        ("plug", "plug"),
        ("stored", "stored"),
        ("tapers from", "taper_from"),
        ("cut-off", "cutoff"),
        ("resistance", "resistance"),
        ("measured at", "measured_at"),
        ("from", "label_low"),
        ("up to", "label_high"),
    ),
    WAY: (
        ("idle", "idle"),
        ("cut-off", "cutoff"),
        ("max", "max"),
        ("surge", "surge"),
        ("leads", "leads"),
        ("fuse", "fuse"),
        ("window", "window"),
        ("plug", "plug"),
    ),
    LOAD: (
        ("start", "start"),
        ("standby", "standby"),
        ("through", "way"),
        ("gives up at", "gives_up"),
        ("window", "window"),
        ("plug", "plug"),
        ("follows", "follows"),
        ("at", "at"),
        ("mode", "mode"),
    ),
    INPUT: (("limit", "limit"), ("log", "log"), ("starts at", "starts_at"), ("until", "until")),
}
"""What may stand behind the first part of a line, and the field it fills."""


def split_row(text: str) -> list[str]:
    """At its commas, but not inside a number."""
    return [part.strip() for part in re.split(r",(?=\s|$)|;", text) if part.strip()]


def _name_of(first: str, rest: str) -> tuple[str, str]:
    """What stands before the amount is its name: letters and numbers, up to the first number with a unit of one of these."""
    match = re.search(rf"(?:^|(?<=\s)){rest}", first)
    if match is None:
        return first.strip(" :"), ""
    return first[: match.start()].strip(" :"), first[match.start() :].strip()


def read_source(text: str) -> SourcePart:
    """``Pack A 640 Wh, usable 80 %``, ``Pack A 100 Ah 12.8 V label``, ``Pack A run 7``, or the name alone of one on the shelf.

    Raises
    ------
    QuantityError
        A part that is not understood.
    """
    first, *rest = _parts(text)
    given: dict[str, object] = {}
    if match := re.search(r"\b(left after )?run\s+(\d+)\b", first):
        given["name"], given["left_after" if match[1] else "run"] = first[: match.start()].strip(" :"), int(match[2])
    else:
        name, amount = _name_of(first, rf"(?:{NUMBER}\s*V\s+)?{_AMOUNT}[mk]?(?:Wh|Ah)\b")
        given["name"] = name
        if amount:
            printed = re.search(r"\b(?:by its label|label|printed)\s*$", amount)
            given["label" if printed else "energy"] = amount[: printed.start()].strip() if printed else amount
    return _filled(SourcePart, SOURCE, given, rest)


def read_way(text: str) -> WayPart:
    """``inverter 88 %, idle 7 W, cut-off 10.5 V``, ``inverter run 12``.

    Raises
    ------
    QuantityError
        A part that is not understood.
    """
    first, *rest = _parts(text)
    given: dict[str, object] = {}
    if match := re.search(r"\brun\s+(\d+)\b", first):
        given["name"], given["run"] = first[: match.start()].strip(" :"), int(match[1])
    else:
        given["name"], efficiency = _name_of(first, rf"{_AMOUNT}%")
        if efficiency:
            given["efficiency"] = efficiency
    switched = [p for p in rest if p.lower() in {"switched", "off between"}]
    given["switched"] = bool(switched)
    return _filled(WayPart, WAY, given, [p for p in rest if p not in switched])


def read_load(text: str) -> LoadPart:
    """``blower 58 W 40 %, start 104 W, through inverter``, ``fridge 38 W 8 of 20 min``, ``projector 48 W 19:30 to 22:00, standby 6 W``.

    Raises
    ------
    QuantityError
        A part that is not understood.
    """
    first, *rest = _parts(text)
    first, count = _counted(first)
    given: dict[str, object] = {}
    duty = []
    if match := re.search(r"\brun\s+(\d+)\b", first):
        given["name"], given["run"], behind = first[: match.start()].strip(" :"), int(match[1]), first[match.end() :].strip()
    else:
        name, amount = _name_of(first, rf"{_AMOUNT}[mk]?[WA]\b")
        given["name"] = name
        found = re.match(rf"({_AMOUNT}[mk]?([WA]))\b\s*(.*)", amount)
        behind = ""
        if found is not None:
            given["power" if found[2] == "W" else "current"] = _times(found[1].strip(), count)
            behind = found[3].strip()
            if fed := re.fullmatch(rf"(.*\S)\s+({NUMBER}\s*V)", name):
                given["name"], given["at"] = fed[1], fed[2]
        elif match := _A_DAY.search(first):
            given["name"] = first[: match.start()].strip(" :")
            given["power"] = _times(_mean_of_a_day(match), count)
        elif match := re.search(rf"({NUMBER}\s*(VA|Ω|ohms?|hp|BTU|HP|kcal|Wh|kWh))\s*$", first):
            text = words("“{what}” is not what it draws: write watts, like “{name} 58 W”, or amperes and volts, like “4.8 A, at 12 V”.")
            raise QuantityError(say(text, what=match[1], name=first[: match.start()].strip(" :") or say("lamp")))
    if behind:
        duty.append(behind)
    kept = []
    for part in rest:
        if part.lower() == STRAIGHT:
            given["way"] = STRAIGHT
        elif part.lower() in {"guessed", "a guess"}:
            given["guessed"] = True
        elif _keyword(part, LOAD) is not None:
            kept.append(part)
        else:
            duty.append(part)
    given["duty"] = ", ".join(duty)
    parse_duty(str(given["duty"]))
    return _filled(LoadPart, LOAD, given, kept)


def _counted(first: str) -> tuple[str, int]:
    """Without how many there are of it: ``3 x lamp 5 W``, ``lamps 3 × 5 W``."""
    match = re.match(r"\s*(\d+)\s*[x×]\s+(?=\D)", first) or re.search(rf"(?<=\s)(\d+)\s*[x×]\s*(?={_AMOUNT}[mk]?[WA]\b)", first)
    return (f"{first[: match.start()]}{first[match.end() :]}", int(match[1])) if match else (first, 1)


def _times(amount: str, factor: float) -> str:
    """So many times as much, its width too: ``3 ± 0.2 W`` twice is ``6 ± 0.4 W``."""
    return (
        amount if factor == 1 else re.sub(r"\d+(?:\.\d+)?", lambda one: plain(parse_number(one[0]) * factor, 6), amount.replace(",", "."))
    )


_A_DAY = re.compile(rf"(?P<amount>{_AMOUNT})(?P<kilo>k?)Wh\s+(?:a|per|in a)\s+day\s*$", re.I)


def _mean_of_a_day(match: re.Match[str]) -> str:
    """``0.9 kWh a day`` as the watts that it is on average: 37.5 W."""
    factor = 1000.0 if match["kilo"] else 1.0
    return f"{_times(match['amount'].strip(), factor / 24)} W"


def in_the_window(error: Exception) -> str:
    """What a file would be told by its tables and keys, for who writes rows."""
    text = re.sub(r"^\[\[?\w+\]\]? ", "", str(error))
    return re.sub(r'\b\w+ = "([^"]+)"', r"“\1”", text)


def read_input(text: str) -> InputPart:
    """``panel 60 W sun 06:00 to 20:00``, ``charger 120 W, limit 15 A 120 V``.

    Raises
    ------
    QuantityError
        A part that is not understood.
    """
    first, *rest = _parts(text)
    name, amount = _name_of(first, rf"{_AMOUNT}k?W\b")
    given: dict[str, object] = {"name": name}
    behind = []
    if match := re.match(rf"({_AMOUNT}k?W)\b\s*(.*)", amount):
        given["power"] = match[1].strip()
        behind = [match[2]] if match[2] else []
    kept = [p for p in rest if _keyword(p, INPUT) is not None]
    when = ", ".join([*behind, *(p for p in rest if p not in kept)])
    if re.search(r"\bsun\b", when):
        given["shape"] = "sun"
        when = re.sub(r"\bsun\b", "", when).strip(" ,")
    parse_duty(when)
    given["when"] = when
    return _filled(InputPart, INPUT, given, kept)


READ: Mapping[str, Callable[[str], BaseModel]] = {SOURCE: read_source, WAY: read_way, LOAD: read_load, INPUT: read_input}


def _parts(text: str) -> list[str]:
    parts = split_row(text)
    if not parts:
        raise QuantityError(say("Nothing is written here."))
    return parts


def _keyword(part: str, kind: str) -> tuple[str, str] | None:
    """(field, its text) of ``idle 7 W``; also with the amount first where that is how one says it: ``80 Wh kept back``."""
    for word, key in sorted(_SAID[kind], key=lambda pair: -len(pair[0])):
        if match := re.fullmatch(rf"{re.escape(word)}\s*:?\s+(.+)", part, re.I):
            return key, match[1]
        if match := re.fullmatch(rf"(.*\d.*?)\s+{re.escape(word)}", part, re.I):
            return key, match[1]
    return None


def _filled(part: type[_T], kind: str, given: dict[str, object], rest: list[str]) -> _T:
    for piece in rest:
        found = _keyword(piece, kind)
        if found is None:
            known = ", ".join(dict.fromkeys(word for word, _ in _SAID[kind]))
            raise QuantityError(say("“{what}” is not understood here: there are {known}.", what=piece, known=known))
        key, value = found
        if key == "reserve" and value.endswith("%"):
            left = value.rstrip("% ")
            key, value = "usable", f"{100 - float(left.replace(',', '.')):g} %"
        given[key] = value
    return part.model_validate(given)


# back to a line


def source_row(part: SourcePart) -> str:
    """As :func:`read_source` takes it."""
    if part.run is not None:
        what = f"run {part.run}"
    elif part.left_after is not None:
        what = f"left after run {part.left_after}"
    elif part.label:
        what = f"{part.label} label"
    elif part.capacity:
        what = f"{part.capacity} {part.volts}".strip()
    else:
        what = part.energy
    return _row(f"{part.name} {what}".strip(), part, SOURCE)


def way_row(part: WayPart) -> str:
    """As :func:`read_way` takes it."""
    what = f"run {part.run}" if part.run is not None else part.efficiency
    return _row(f"{part.name} {what}".strip(), part, WAY, ["switched"] if part.switched else [])


def load_row(part: LoadPart) -> str:
    """As :func:`read_load` takes it."""
    what = f"run {part.run}" if part.run is not None else part.power or part.current
    more = [STRAIGHT] if part.way == STRAIGHT else []
    more += ["guessed"] if part.guessed else []
    straight = part.model_copy(update={"way": ""}) if part.way == STRAIGHT else part
    first = f"{part.name} {what} {part.duty}" if what else ", ".join(filter(None, (part.name, part.duty)))
    return _row(first.strip(), straight, LOAD, more)


def input_row(part: InputPart) -> str:
    """As :func:`read_input` takes it."""
    sun = "sun" if part.shape == "sun" else ""
    return _row(" ".join(filter(None, (part.name, part.power, sun, part.when))), part, INPUT)


def _row(first: str, part: BaseModel, kind: str, more: list[str] | None = None) -> str:
    said = dict.fromkeys(key for _, key in _SAID[kind])
    words = {key: next(w for w, k in _SAID[kind] if k == key) for key in said}
    words["reserve"] = "keep"
    told = [f"{words[key]} {getattr(part, key)}" for key in said if getattr(part, key, "")]
    return ", ".join([first, *told, *(more or [])])


def rows_of(part: KitPart) -> list[tuple[str, str]]:
    """Every piece as (kind, line)."""
    return [
        *((SOURCE, source_row(one)) for one in part.source),
        *((WAY, way_row(one)) for one in part.way),
        *((LOAD, load_row(one)) for one in part.load),
        *((INPUT, input_row(one)) for one in part.input),
    ]


def kit_part_of(rows: list[tuple[str, str]], starts: str = "", name: str = "") -> KitPart:
    """The whole from its lines; empty ones are left out.

    Raises
    ------
    KitError
        A line that is not understood; says which.
    """
    found: dict[str, list[BaseModel]] = {SOURCE: [], WAY: [], LOAD: [], INPUT: []}
    for kind, text in rows:
        if not text.strip():
            continue
        try:
            found[kind].append(READ[kind](text))
        except QuantityError as error:
            raise KitError(f"“{text.strip()}”: {error}") from None
    return KitPart(
        name=name,
        source=[p for p in found[SOURCE] if isinstance(p, SourcePart)],
        way=[p for p in found[WAY] if isinstance(p, WayPart)],
        load=[p for p in found[LOAD] if isinstance(p, LoadPart)],
        input=[p for p in found[INPUT] if isinstance(p, InputPart)],
        day=DayPart(starts=starts),
    )


def to_toml(part: KitPart) -> str:
    """As a file that people keep; what is empty is left out."""
    lines = toml_lines(part, (SOURCE, WAY, LOAD, INPUT, "day", "job"))
    for kind in (SOURCE, WAY, LOAD, INPUT):
        for one in getattr(part, kind):
            lines += ["", f"[[{kind}]]", *toml_lines(one)]
    for kind, one in (("day", part.day), ("job", part.job)):
        if one is not None and (told := toml_lines(one)):
            lines += ["", f"[{kind}]", *told]
    return "\n".join(lines).strip() + "\n"
