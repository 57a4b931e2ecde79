"""One table: the modes of a load against the batteries of a shelf, in hours."""

from __future__ import annotations

from dataclasses import dataclass

from ubrant.core.equipment.unit import Unit
from ubrant.core.outlook.answers import OutlookAnswer, cause_text, look
from ubrant.core.outlook.duty import Duty
from ubrant.core.outlook.kit import Kit, Load, Source
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.quantities.quantity import QuantityError, show_duration
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_parts import KitError, KitPart, LoadPart, SourcePart
from ubrant.runs.kits.measured import measured_in

_DRAWS, _LOOKED_AT = 200, 8
_HOLDS = ("battery", "bank", "station")


@dataclass(frozen=True)
class ModeTable:
    """``cells[k][j]``: hours of mode k on source j, in words; ``modes`` as (name, watts in words)."""

    modes: tuple[tuple[str, str], ...]
    sources: tuple[str, ...]
    cells: tuple[tuple[str, ...], ...]


def mode_table(logbook: Logbook, unit: Unit) -> ModeTable | None:
    """The modes of a load's newest run that has some on every battery, bank and station, straight from it, all of it used; None without any."""
    modes: list[Finding] = []
    for run, _ in logbook.runs(limit=_LOOKED_AT, unit_id=unit.id):
        if run.state != "running" and not modes:
            findings = account_of(logbook, run)[1].findings
            modes = [f for key, f in findings.items() if key.startswith("power_") and f.value]
    if not modes:
        return None
    sources = sources_of(logbook)
    cells = tuple(tuple(_hours(source, mode) for source in sources) for mode in modes)
    return ModeTable(tuple((m.name, m.with_uncertainty()) for m in modes), tuple(s.name for s in sources), cells)


def sources_of(logbook: Logbook) -> list[Source]:
    """As each was measured, or as its label says."""
    measured = measured_in(logbook)
    found = []
    for unit in logbook.units():
        if unit.kind not in _HOLDS:
            continue
        try:
            part = KitPart(source=[SourcePart(name=unit.name)], load=[LoadPart(name=say("load"), power="1 W")])
            found.append(kit_of(part, measured).sources[0])
        except KitError:
            continue
    return found


def _hours(source: Source, mode: Finding) -> str:
    load = Load(mode.name, Uncertain(mode.value or 0.0, mode.standard_uncertainty or 0.0), Duty())
    try:
        looked = look(Kit((source,), (load,)), _DRAWS)
    except QuantityError as error:
        return str(error)
    return _told(looked)


def _told(looked: OutlookAnswer) -> str:
    if looked.runtime_s is None or looked.beyond:
        return say("more than {t}", t=show_duration(looked.middle.horizon_s))
    if looked.runtime_s <= 0 and looked.first is not None:
        return cause_text(looked.first, looked.middle.kit)
    text = show_duration(looked.runtime_s)
    if looked.high_s - looked.low_s < 0.02 * looked.runtime_s:
        return text
    return say(
        "{what} ({low} to {high})",
        what=text,
        low=show_duration(looked.low_s),
        high=show_duration(min(looked.high_s, looked.middle.horizon_s)),
    )
