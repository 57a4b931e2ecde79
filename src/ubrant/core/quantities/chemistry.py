"""What is known of each kind of cell before it is measured: voltages, floors, label rates, resting-voltage charts."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Chemistry:
    """One kind of cell. Voltages are for one cell.

    Attributes
    ----------
    key, name : for files, for people
    nominal_v : nominal voltages that labels print
    floor_v : never below this, under load
    usual_cutoff_v : where a test stops when the label names no cut-off
    standard_cutoff_v : end-of-discharge voltage a standard fixes, None where the maker says
    standard_rate_c : discharge rate in multiples of rated Ah that labels mean unless they say otherwise
    full_v : at rest, charged
    max_rate_c : above this a rate is questioned
    rest_hours : how long until the resting voltage may be read
    source : of the standard rate
    rest_chart : (volts, percent) at rest, falling, for one cell, common practice; empty where voltage tells nothing
    in_use_v : between what its voltage is while it is used, from nearly empty to being charged; common practice, no source
    charged_v : where chargers stop it: from, usually at most, up to; common practice, no source
    own_chart : its chart is the person's own of one battery
    flat_v : between which volts of a cell at rest nobody can tell by them how full it is; zeros for nowhere
    resistance_ohm_ah : typical DC resistance of one cell times its Ah, for a first guess
    """

    key: str
    name: str
    nominal_v: tuple[float, ...]
    floor_v: float
    usual_cutoff_v: float
    standard_cutoff_v: float | None
    standard_rate_c: float
    full_v: float
    max_rate_c: float
    rest_hours: float
    source: str
    rest_chart: tuple[tuple[float, float], ...]
    resistance_ohm_ah: float
    in_use_v: tuple[float, float]
    charged_v: tuple[float, float, float]
    own_chart: bool = False
    flat_v: tuple[float, float] = (0.0, 0.0)

    def usual_ohm(self, series: int, charge_ah: float) -> float:
        """Ω that a battery of so many cells in series and so many Ah usually has inside, new and warm."""
        return self.resistance_ohm_ah * series / charge_ah

    def is_flat_at(self, cell_v: float) -> bool:
        """Whether a cell's volts at rest hardly change there, however full it is."""
        low, high = self.flat_v
        return low - 1e-9 <= cell_v <= high + 1e-9 and high > 0


def _chart(volts: str, percents: str, cells: int) -> tuple[tuple[float, float], ...]:
    return tuple((float(v) / cells, float(p)) for v, p in zip(volts.split(), percents.split(), strict=True))


LIFEPO4 = Chemistry(
    "lifepo4",
    "iron phosphate",
    (3.2, 3.3),
    2.5,
    2.75,
    None,
    0.2,
    3.4,
    3.0,
    1.0,
    "IEC 61960-3: rated at 0.2 It to the maker's end voltage",
    _chart("13.6 13.4 13.3 13.2 13.1 13.0 12.9 12.8 12.5 12.0 10.0", "100 99 90 70 40 30 20 17 14 9 0", 4),
    0.055,
    (3.0, 3.55),
    (3.55, 3.65, 3.66),
    flat_v=(13.0 / 4, 13.3 / 4),
)
LI_ION = Chemistry(
    "li-ion",
    "lithium-ion",
    (3.6, 3.65, 3.7, 3.8, 3.85),
    2.5,
    3.0,
    None,
    0.2,
    4.2,
    3.0,
    1.0,
    "IEC 61960-3: rated at 0.2 It to the maker's end voltage",
    _chart("4.20 4.06 3.98 3.92 3.87 3.82 3.79 3.77 3.74 3.68 3.45 3.00", "100 90 80 70 60 50 40 30 20 10 5 0", 1),
    0.12,
    (3.3, 4.2),
    (4.1, 4.2, 4.22),
)
LEAD_ACID = Chemistry(
    "lead-acid",
    "lead-acid",
    (2.0,),
    1.75,
    1.75,
    1.75,
    0.05,
    2.12,
    1.0,
    4.0,
    "common practice: rated at the 20-hour rate to 1.75 V a cell",
    _chart("12.73 12.62 12.50 12.37 12.24 12.10 11.96 11.81 11.66 11.51", "100 90 80 70 60 50 40 30 20 10", 6),
    0.08,
    (23 / 12, 29 / 12),
    (2.3, 2.45, 2.5),
)
NIMH = Chemistry(
    "nimh",
    "NiMH",
    (1.2, 1.25),
    0.9,
    1.0,
    1.0,
    0.2,
    1.4,
    3.0,
    1.0,
    "IEC 61951-2: rated at 0.2 It to 1.0 V a cell",
    (),
    0.06,
    (1.1, 1.45),
    (1.4, 1.5, 1.6),
)

CHEMISTRIES = {c.key: c for c in (LIFEPO4, LI_ION, LEAD_ACID, NIMH)}


def cells_in_series(voltage_v: float, chemistry: Chemistry) -> int | None:
    """Number of cells whose nominal voltages add up to a pack's (within 2 %); None when none do."""
    for nominal in chemistry.nominal_v:
        count = round(voltage_v / nominal)
        if count >= 1 and abs(count * nominal / voltage_v - 1) < 0.02:
            return count
    return None


def guess_chemistry(voltage_v: float) -> Chemistry | None:
    """The only lithium chemistry whose cells add up to this nominal voltage, if there is just one.

    Multiples of 2.0 and 1.2 V fit too many packs to guess from.
    """
    fits = [c for c in (LIFEPO4, LI_ION) if cells_in_series(voltage_v, c) and (cells_in_series(voltage_v, c) or 0) <= 16]
    exact = [c for c in fits if any(abs(voltage_v / n - round(voltage_v / n)) < 0.004 for n in c.nominal_v)]
    others = [n for n in (2.0, 1.2) if abs(voltage_v / n - round(voltage_v / n)) < 0.004 and voltage_v > 4]
    found = exact or fits
    return found[0] if len(found) == 1 and not others else None
