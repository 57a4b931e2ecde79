"""What a maker claims on a label, read as people write it, and checked against itself."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise

from ubrant.core.quantities.chemistry import CHEMISTRIES, LEAD_ACID, LIFEPO4, Chemistry, cells_in_series, guess_chemistry
from ubrant.core.quantities.quantity import NUMBER, QuantityError, parse_number, plain, unit_factor
from ubrant.core.wording import remembered, say, say_many

_CALLED_V = {12.0: 4, 24.0: 8, 36.0: 12}
"""Cells in series of packs of iron phosphate that are sold by the volts of the lead-acid that they replace; 48 V may be 15 cells or 16.
Common practice, no source."""

_OF_15_OR_16_V = 48.0


def _cells_called(voltage: float, series: int | None) -> int | None:
    """How many cells of iron phosphate such volts are the usual name of; None where they are the sum of their own, or of another number."""
    count = 16 if voltage == _OF_15_OR_16_V and series == 16 else _CALLED_V.get(round(voltage, 1))
    return count if series in {None, count} else None


class LabelError(ValueError):
    """A label from which no capacity can be read; its text says what to write."""


@dataclass(frozen=True)
class Label:
    """The claims of a label, in base units; None where it says nothing.

    Attributes
    ----------
    text : as it was typed
    charge_ah, energy_wh : rated
    voltage_v : nominal, of the whole pack
    series, parallel : cells
    chemistry : key in CHEMISTRIES, stated or the only one that fits
    rate_c : rated discharge rate in multiples of rated Ah
    cutoff_v : the label's own end-of-discharge voltage, whole pack
    output_charge_ah, output_voltage_v : second rating of banks: what comes out at the socket
    mass_kg
    queries : sentences that question the label (slips of unit, figures that disagree)
    guesses : what was taken for granted, as sentences
    unread : words not understood
    rest_chart : (volts of one cell, percent) at rest, falling: a person's own; empty where the usual one of its kind is meant
    """

    text: str
    charge_ah: float | None = None
    energy_wh: float | None = None
    voltage_v: float | None = None
    series: int | None = None
    parallel: int | None = None
    chemistry: str | None = None
    rate_c: float | None = None
    cutoff_v: float | None = None
    output_charge_ah: float | None = None
    output_voltage_v: float | None = None
    mass_kg: float | None = None
    queries: tuple[str, ...] = ()
    guesses: tuple[str, ...] = ()
    unread: str = ""
    rest_chart: tuple[tuple[float, float], ...] = ()

    @property
    def kind_of_cell(self) -> Chemistry | None:
        """Its chemistry, with the person's own chart where there is one."""
        kind = CHEMISTRIES.get(self.chemistry or "")
        return kind if kind is None or not self.rest_chart else replace(kind, rest_chart=self.rest_chart, own_chart=True)

    @property
    def standard_rate_c(self) -> float | None:
        """The rate the capacity is quoted at: the label's own, or else what the standard for its cells says."""
        if self.rate_c is not None:
            return self.rate_c
        return self.kind_of_cell.standard_rate_c if self.kind_of_cell else None

    @property
    def standard_cutoff_v(self) -> float | None:
        """The voltage the capacity is quoted to: the label's own, or else the standard's; None where the maker decides."""
        if self.cutoff_v is not None:
            return self.cutoff_v
        kind = self.kind_of_cell
        return kind.standard_cutoff_v * self.series if kind and kind.standard_cutoff_v and self.series else None

    def is_like(self, volts: float) -> bool:
        """Whether such a battery, or one of its label, has so many volts in the middle of its use; False where the label gives none."""
        return self.voltage_v is not None and _LIKE[0] < volts / self.voltage_v < _LIKE[1]

    def summary(self) -> str:
        """One line of what was read, for showing while a person types."""
        parts = []
        if self.charge_ah is not None:
            parts.append(f"{plain(self.charge_ah, 3)} Ah")
        if self.voltage_v is not None:
            parts.append(f"{plain(self.voltage_v, 3)} V")
        if self.energy_wh is not None:
            parts.append(f"{plain(self.energy_wh, 3)} Wh")
        if self.output_charge_ah is not None:
            parts.append(
                say(
                    "gives {output_charge_ah} Ah at {plain} V",
                    output_charge_ah=plain(self.output_charge_ah, 3),
                    plain=plain(self.output_voltage_v or 5, 2),
                )
            )
        if self.series:
            parallel = say(", {parallel} side by side", parallel=self.parallel) if (self.parallel or 1) > 1 else ""
            kind = f" {self.kind_of_cell.name}" if self.kind_of_cell else ""
            parts.append(
                say_many(
                    self.series, "{n}{kind} cell in series{parallel}", "{n}{kind} cells in series{parallel}", kind=kind, parallel=parallel
                )
            )
        elif self.kind_of_cell:
            parts.append(self.kind_of_cell.name)
        return " · ".join(parts)


RESTS_AT = "; rests at "
"""Behind what is printed a person may write the volts at which it rests, of the whole pack: ``rests at 12.73 V 100 %, 12.50 V 80 %``."""
_CHART_ROW = rf"({NUMBER})\s*V(?:olts?)?\s*[:=]?\s*({NUMBER})\s*%"
_LIKE = (0.75, 1.25)
"""Mean volts over nominal ones: all chemistries here are well inside. Common practice, no source."""
_CHEMISTRY_WORDS = (
    (r"li\s*-?\s*fe\s*-?\s*po\s*4?|\blfp\b|iron[\s-]*phosphate", "lifepo4"),
    (r"lead[\s-]*acid|\b(?:agm|vrla|sla|gel)\b|\blead\b|\bpb\b", "lead-acid"),
    (r"ni\s*-?\s*mh|nickel[\s-]*metal(?:[\s-]*hydride)?", "nimh"),
    (r"li\s*-?\s*ion|lithium[\s-]*(?:ion|polymer)|li\s*-?\s*po(?:ly(?:mer)?)?\b|\b(?:nmc|nca|inr|icr)\b", "li-ion"),
)
_RATES: tuple[tuple[str, Callable[[float], float]], ...] = (
    (rf"(?:@|\bat\b)?\s*({NUMBER})\s*(?:C|It|CA)\b(?!\s*°)", lambda n: n),
    (rf"(?:@|\bat\b)?\s*\bC\s*/?\s*({NUMBER})\b", lambda n: 1 / n),
    (rf"(?:@|\bat\b)?\s*({NUMBER})\s*-?\s*h(?:ou)?r?s?\s*-?\s*rate\b|({NUMBER})\s*HR\b", lambda n: 1 / n),
)
_CUTOFF = rf"(?:cut\s*-?\s*off|down\s+to|\bto\b|\bend(?:ing)?(?:\s+at)?|→)\s*:?\s*({NUMBER})\s*V(?:olts?)?\b(\s*(?:/|per|a)\s*cell)?"
_CELLS = r"(?<![\w.,])(?<!for\s)(\d{1,3})(?:\s*(?-i:S)|s)(?:\s*(\d{1,3})\s*P)?(?![\w])"
"""Cells in series, ``4S2P``; ``for 3 s`` and ``3 s`` are seconds."""
_A_SOCKET_S_V = 100.0
"""Beside watt-hours alone no volts like these are a store's own: they are what its sockets give."""
_TIMES_CELL = rf"(?<![\w.,])(\d{{1,3}})\s*[×x*]\s*(?={NUMBER}\s*V)"
_BESIDE = r"(?<![\w.,])(\d{1,3})\s*[×x*]\s*(?:18650|21700|26650|14500|cells?\b|AA\b|AAA\b|C\b|D\b)"
_PRIMARY = r"\b(?:alkaline|zinc[\s-]*carbon|carbon[\s-]*zinc|lithium[\s-]*primary|primary[\s-]*lithium|li\s*-?\s*mno2|li\s*-?\s*socl2|silver[\s-]*oxide|zinc[\s-]*air)\b"
_OUTPUT = rf"(?:rated\s+)?(?:output|out)(?:\s+capacity)?\s*:?\s*({NUMBER})\s*(m?Ah)(?:\s*(?:@|at|/|\(|,)?\s*({NUMBER})\s*V\)?)?"
_AT_FIVE = rf"({NUMBER})\s*(m?Ah)\s*(?:@|at|\()\s*(5(?:[.,]\d)?)\s*V\)?"
_FIGURE = rf"(?<![\w])({NUMBER})\s*(mAh|Ah|kWh|mWh|Wh|mV|V(?:olts?)?|kg|g)(?![a-z])"
_NOISE = r"[\s,;:/|·()+\[\]=-]|\b(?:x|the|a|an|and|battery|pack|cells?|power\s*bank|bank|rated|nominal|capacity|block|rechargeable|at|dc)\b"


def chemistries_named(text: str) -> set[str]:
    """Kinds of cell that a text names, such as a charger's label: keys of ``CHEMISTRIES``."""
    return {kind for pattern, kind in _CHEMISTRY_WORDS if re.search(pattern, text, re.I)}


@remembered
def parse_label(text: str, chemistry: str | None = None) -> Label:
    """Read a label: ``50 Ah 12.8 V``, ``24000mAh/88.8Wh``, ``4S 3.2V 50Ah LiFePO4``, ``3,0 Ah``.

    Parameters
    ----------
    text : as it stands on the thing, in any order
    chemistry : key that overrides what the text says or suggests

    Raises
    ------
    LabelError
        There is no capacity in Ah or Wh to be found.
    """
    text, _, chart = text.replace("\u00a0", " ").partition(RESTS_AT.strip())
    rest = text = text.rstrip("; ")
    rest = re.sub(
        r"(?<!\d)([1-9]\d{0,2})[.,](\d{3})(?=\s*m(?:Ah|Wh))", r"\1\2", rest, flags=re.I
    )  # 24,000 mAh, 24.000 mAh: thousands, and no millionths of an Ah
    numbers: dict[str, list[float]] = {"Ah": [], "Wh": [], "V": [], "kg": []}
    label = Label(text=text.strip())

    def take(pattern: str, flags: int = re.I) -> re.Match[str] | None:
        nonlocal rest
        match = re.search(pattern, rest, flags)
        if match:
            rest = rest[: match.start()] + " ; " + rest[match.end() :]
        return match

    for pattern, key in _CHEMISTRY_WORDS:
        if take(pattern):
            label = replace(label, chemistry=label.chemistry or key)
    beside = take(_BESIDE)
    if primary := take(_PRIMARY):
        label = replace(
            label,
            guesses=(
                say(
                    "{name}: no cell to be charged; its capacity goes by the load, and no standard rate is known here. Say load and cut-off.",
                    name=primary[0].strip().capitalize(),
                ),
            ),
        )
    if cells := take(_CELLS) or take(_TIMES_CELL):
        label = replace(label, series=int(cells[1]), parallel=int(cells[2]) if cells.lastindex == 2 else None)
    if out := take(_OUTPUT) or (take(_AT_FIVE) if len(re.findall(r"Ah", rest, re.I)) > 1 else None):
        factor = _factor(out[2])
        label = replace(label, output_charge_ah=parse_number(out[1]) * factor, output_voltage_v=_number(out[3]) or 5.0)
    cutoff = take(_CUTOFF)
    for pattern, to_rate in _RATES:
        if rate := take(pattern, re.I if "HR" in pattern else 0):
            number = parse_number(next(g for g in rate.groups() if g))
            if number > 0:
                label = replace(label, rate_c=to_rate(number))
    while figure := take(_FIGURE):
        quantity = unit_factor(figure[2])
        if quantity is not None:
            numbers[quantity.unit].append(parse_number(figure[1]) * quantity.value)
    unread = re.sub(_NOISE, " ", rest, flags=re.I).strip()
    label = replace(
        label,
        charge_ah=_first(numbers["Ah"]),
        energy_wh=_first(numbers["Wh"]),
        voltage_v=_first(numbers["V"]),
        mass_kg=_first(numbers["kg"]),
        unread=re.sub(r"\s+", " ", unread),
        chemistry=chemistry or label.chemistry,
    )
    _require_capacity(label)
    if beside:
        label = _side_by_side(label, int(beside[1]))
    if cutoff:
        cells_count = (label.series or 1) if cutoff[2] else 1
        label = replace(label, cutoff_v=parse_number(cutoff[1]) * cells_count)
    filled = _fill_in(label)
    return _check(replace(filled, rest_chart=parse_chart(chart, filled.series)) if chart else filled)


def parse_chart(text: str, series: int | None) -> tuple[tuple[float, float], ...]:
    """A chart of resting volts of the whole pack, ``12.73 V 100 %, 12.50 V 80 %``: (volts of one cell, percent), falling.

    Raises
    ------
    LabelError
        Fewer than three rows, something that is none, or volts and percents that do not fall together.
    """
    rows = [(parse_number(m[1]) / (series or 1), parse_number(m[2])) for m in re.finditer(_CHART_ROW, text)]
    left = re.sub(r"[\s,;·|]", "", re.sub(_CHART_ROW, "", text))
    if left or len(rows) < _LEAST_ROWS:
        raise LabelError(
            say(
                "A chart of resting volts has at least three rows like “12.73 V 100 %, 12.50 V 80 %, 12.24 V 40 %”; “{what}” is none.",
                what=text.strip(),
            )
        )
    rows.sort(reverse=True)
    falls = all(a[0] > b[0] and a[1] > b[1] for a, b in pairwise(rows))
    if not falls or rows[0][1] > 100 or rows[-1][1] < 0:
        raise LabelError(
            say("In a chart of resting volts less volts mean less percent, from 100 to 0: look at “{what}” again.", what=text.strip())
        )
    return tuple(rows)


_LEAST_ROWS = 3


def _side_by_side(label: Label, count: int) -> Label:
    """Several cells of a size: the volts of one, and the ampere-hours of one, are those of cells side by side; else they are in series."""
    volts, charge = label.voltage_v, label.charge_ah
    kind = label.kind_of_cell
    singles = [n for c in ([kind] if kind else CHEMISTRIES.values()) for n in c.nominal_v]
    if count < 2 or not volts or not charge:
        return label
    if any(abs(volts / n - 1) < 0.02 for n in singles) and volts < 4:
        said = say(
            "{count} cells of {charge} Ah at {volts} V, the volts of one: taken as side by side, {whole} Ah in all. If it is the whole, leave the number out.",
            count=count,
            charge=plain(charge),
            volts=plain(volts),
            whole=plain(charge * count),
        )
        return replace(label, charge_ah=charge * count, series=1, parallel=count, guesses=(*label.guesses, said))
    if any(abs(volts / (n * count) - 1) < 0.02 for n in singles):
        return replace(label, series=count)
    return label


def _number(text: str | None) -> float | None:
    return parse_number(text) if text else None


def _factor(symbol: str) -> float:
    quantity = unit_factor(symbol)
    if quantity is None:
        raise QuantityError(say("“{symbol}” is not a unit Ubrant knows.", symbol=symbol))
    return quantity.value


def _first(values: list[float]) -> float | None:
    return values[0] if values else None


def _require_capacity(label: Label) -> None:
    for value in (label.charge_ah, label.energy_wh, label.voltage_v):
        if value is not None and not value > 0:
            raise LabelError(say("A label cannot say {value}: write what is printed, like “50 Ah 12.8 V”.", value=plain(value)))
    if label.charge_ah is None and label.energy_wh is None:
        raise LabelError(
            say("“{what}” is a capacitor's: farads are no ampere-hours, and it is not judged as a battery.", what=label.text)
            if re.search(r"\d\s*(?:m|µ|u)?F\b|farad", label.text)
            else say("Write its Ah, mAh or Wh, like “50 Ah 12.8 V”: no capacity stands in “{what}”.", what=label.text)
            if label.text
            else say("The label is empty: write what is printed on the thing, like “50 Ah 12.8 V”.")
        )


def _fill_in(label: Label) -> Label:
    """Work out what follows from what was said, keeping a note of each guess."""
    guesses: list[str] = list(label.guesses)
    voltage = label.voltage_v
    if voltage is not None and voltage >= _A_SOCKET_S_V and label.charge_ah is None and not label.series:
        guesses.append(
            say("{voltage} V is taken as what its sockets give, and not as the volts of what is inside.", voltage=plain(voltage))
        )
        voltage = None
    kind = label.kind_of_cell
    per_cell = [n for c in ([kind] if kind else CHEMISTRIES.values()) for n in c.nominal_v]
    if voltage and label.series and label.series > 1 and any(abs(voltage / n - 1) < 0.02 for n in per_cell) and voltage < 4:
        voltage = voltage * label.series  # the voltage of one cell was given
    if voltage is None and label.charge_ah and label.energy_wh:
        voltage = label.energy_wh / label.charge_ah
    if kind is None and voltage is not None and not re.search(_PRIMARY, label.text, re.I):
        kind = guess_chemistry(voltage)
        if kind is not None:
            count = cells_in_series(voltage, kind) or 1
            guesses.append(
                say(
                    "Taken as {name}: {voltage} V is {count} × {plain} V.",
                    name=kind.name,
                    voltage=plain(voltage, 3),
                    count=count,
                    plain=plain(voltage / count, 3),
                )
            )
    if kind is LIFEPO4 and voltage and (cells := _cells_called(voltage, label.series)):
        really = round(cells * kind.nominal_v[0], 6)
        guesses.append(
            say(
                "{voltage} V is what {count} cells of {name} in series are called: {really} V.",
                voltage=plain(voltage, 3),
                count=cells,
                name=kind.name,
                really=plain(really, 3),
            )
        )
        voltage = really
    if voltage is None and kind and label.series:
        voltage = kind.nominal_v[0] * label.series
    series = label.series or (cells_in_series(voltage, kind) if kind and voltage else None)
    charge, energy = label.charge_ah, label.energy_wh
    if energy is None and charge and voltage:
        energy = charge * voltage
    if charge is None and energy and voltage:
        charge = energy / voltage
    return replace(
        label,
        voltage_v=voltage,
        chemistry=kind.key if kind else label.chemistry,
        series=series,
        energy_wh=energy,
        charge_ah=charge,
        guesses=tuple(guesses),
    )


def _check(label: Label) -> Label:
    queries: list[str] = []
    charge, energy, voltage = label.charge_ah, label.energy_wh, label.voltage_v
    stated_energy = re.search(r"Wh", label.text, re.I) is not None
    if charge and voltage and energy and stated_energy and not 0.93 < energy / (charge * voltage) < 1.06:
        ratio = energy / (charge * voltage)
        product = say(
            "{charge} Ah × {voltage} V is {plain} Wh, but the label says {energy} Wh",
            charge=plain(charge, 3),
            voltage=plain(voltage, 3),
            plain=plain(charge * voltage, 3),
            energy=plain(energy, 3),
        )
        slip = next((n for n in (1000.0, 0.001) if 0.8 < ratio / n < 1.25), None)
        queries.append(say("{product}: a slip of {value}? Look at the label again.", product=product, value="m" if slip else "figure"))
    queries += _slips(label)
    kind = label.kind_of_cell
    if kind and voltage and not cells_in_series(voltage, kind):
        queries.append(
            say(
                "{voltage} V is no whole number of {name} cells of {value} V: look at the label again.",
                voltage=plain(voltage, 3),
                name=kind.name,
                value=kind.nominal_v[0],
            )
        )
    if kind is LIFEPO4 and voltage == _OF_15_OR_16_V and not re.search(r"\b1[56]\s*S\b", label.text, re.I):
        queries.append(say("48 V of iron phosphate is made of 15 cells or of 16 (51.2 V): add 15S or 16S, whichever it is."))
    if charge and voltage is None:
        queries.append(say("A figure in Ah without a voltage is not an energy: add the volts if the label has them."))
    if charge and energy and stated_energy and kind is None and voltage and 4.7 < voltage < 5.4 and label.voltage_v == voltage:
        queries.append(
            say(
                "{energy} Wh ÷ {charge} Ah is {voltage} V: that is the socket's voltage, and banks count their mAh at the 3.6 or 3.7 V of their cells. One of the two is not what it says.",
                energy=plain(energy, 3),
                charge=plain(charge, 3),
                voltage=plain(voltage, 3),
            )
        )
    if label.output_charge_ah and charge and label.output_charge_ah >= charge and (label.output_voltage_v or 5) > (voltage or 0):
        queries.append(say("More comes out at the socket than the cells hold: look at the two capacities again."))
    return replace(label, queries=tuple(queries))


def _slips(label: Label) -> list[str]:
    """A factor of 1000 between mAh and Ah shows in the energy for the mass, or in an absurd whole."""
    energy, charge = label.energy_wh, label.charge_ah
    if charge is None:
        return []
    small = re.search(rf"({NUMBER})\s*mAh", label.text, re.I)
    large = re.search(rf"({NUMBER})\s*Ah", label.text, re.I)
    if label.mass_kg and energy:
        per_kg = energy / label.mass_kg
        if per_kg < 1 and small:
            return [
                say(
                    "{value} for a {mass_kg} kg block? {value_2} Ah would fit its weight.",
                    value=small[0],
                    mass_kg=plain(label.mass_kg, 2),
                    value_2=small[1],
                )
            ]
        if per_kg > 500 and large:
            return [
                say(
                    "{value} in {mass_kg} kg? {value_2} mAh would fit its weight.",
                    value=large[0],
                    mass_kg=plain(label.mass_kg, 2),
                    value_2=large[1],
                )
            ]
    if small and (label.voltage_v or 0) >= 6 and charge < (1.0 if label.kind_of_cell is LEAD_ACID else 0.1):
        return [
            say(
                "{value} at {plain} V is next to nothing: was {value_2} Ah meant?",
                value=small[0],
                plain=plain(label.voltage_v or 0, 3),
                value_2=small[1],
            )
        ]
    if large and charge > 1500 and (energy is None or energy > 20000 or (label.voltage_v or 0) < 5):
        return [say("{value} would be as big as a wardrobe: was {value_2} mAh meant?", value=large[0], value_2=large[1])]
    return []


def usual_cutoff_v(label: Label) -> float | None:
    """The end of discharge a label means: its own, or else that of the standard for its cells; None where it gives no capacity in Ah."""
    if label.charge_ah is None:
        return None
    kind = label.kind_of_cell
    volts = label.standard_cutoff_v or (kind.usual_cutoff_v * label.series if kind and label.series else 0.85 * (label.voltage_v or 0))
    return round(volts, 2)
