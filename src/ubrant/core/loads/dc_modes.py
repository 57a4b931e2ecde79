"""What a device on DC draws in each of its modes, and how that follows its volts: constant power, current or resistance, and where it gives up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ubrant.core.conversion.appliance import STANDBY
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.quantities.stand_in import StandIn
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.uncertainty.sources import ErrorKind
from ubrant.core.uncertainty.value import as_read, digit, exactly, within
from ubrant.core.wording import say, words

APART = 0.1
"""Volts have to be this share apart before a law shows itself. Common practice, no source."""
_LAWS = ((0.0, "constant power"), (1.0, "constant current"), (2.0, "a resistance"))
_NEAR = 0.35
_CHANGES = 0.03


@dataclass(frozen=True)
class Reading:
    """One line: the mode's name, V and A (None where not read), half-widths, peak A or W, and whether the mode still worked there."""

    name: str
    volts: float | None
    amps: float | None
    half_v: float = 0.0
    half_a: float = 0.0
    peak_w: float | None = None
    works: bool = True


def dc_findings(
    read: Sequence[Reading], voltage: Accuracy | None, current: Accuracy | None, system: StandIn | None
) -> tuple[dict[str, Finding], list[str]]:
    """W of each mode, its law over the volts, and where it gives up.

    Parameters
    ----------
    system : what stands in where no volts were read; None for nothing

    Raises
    ------
    ReadingsError
        No mode with amperes.
    """
    drawn = [r for r in read if r.amps is not None and r.works]
    if not drawn:
        raise ReadingsError(say("No mode has amperes yet: type volts and amperes, like “12.6 V 3.1 A standby”."))
    if any(r.volts is None for r in drawn) and system is None and not any(r.volts for r in drawn):
        raise ReadingsError(
            say("Amperes alone need the volts of the system: read them once, like “12.6 V 3.1 A”, or write them on the label.")
        )
    said: list[str] = []
    known = [r.volts for r in drawn if r.volts is not None]
    if any((r.amps or 0) < 0 for r in drawn):
        said.append(say("The current was read as negative: the clamp was on the other way round; it is taken with the other sign."))
    findings: dict[str, Finding] = {}
    names = list(dict.fromkeys(r.name for r in drawn))
    stands_in = False
    for k, name in enumerate(names, start=1):
        rows = [r for r in drawn if r.name == name]
        row = rows[0]
        volts, half_v = row.volts, row.half_v
        if volts is None:
            volts, half_v = (float(np.mean(known)), float(np.ptp(known)) / 2 + 0.02 * float(np.mean(known))) if known else (0.0, 0.0)
            if not known and system is not None:
                volts, half_v, stands_in = system.middle_v, system.half_v, True
        amps = abs(row.amps or 0.0)
        at_v = as_read(volts, voltage) if row.volts is not None and voltage is not None else exactly(volts)
        width = within(half_v, words("volts as they were taken"), "V", when=name) if row.volts is None else digit(half_v, "V", when=name)
        power = (at_v + width) * (as_read(amps, current) + digit(row.half_a, "A", when=name))
        findings[f"power_{k}"] = Finding.made(f"power_{k}", name, power, "W", f"{show(volts)} V × {show(amps)} A")
        law = _law(rows)
        if law is not None:
            findings[f"law_{k}"] = law_finding(k, name, law)
            said.append(say("{name} draws {how} over {a} to {b} V.", name=name, how=law[1], a=show(law[2], 3), b=show(law[3], 3)))
    for k, name in enumerate(names, start=1):
        findings |= _gives_up(k, name, read)
    if stands_in and system is not None:
        said.append(system.sentence())
    loud = [f for key, f in findings.items() if key.startswith("power_") and f.value]
    if len(loud) >= 3 and max(f.value or 0 for f in loud) < (1 + _CHANGES) * min(f.value or 0 for f in loud):
        said.append(
            say(
                "All modes draw about {w} W: something limits it, or the modes do not change what it draws.",
                w=show(loud[0].value or 0.0, 3),
            )
        )
    quiet = next((f for f in loud if f.name.lower().startswith(STANDBY)), None)
    if quiet is not None and quiet.value is not None:
        name = say("{name}, a day", name=quiet.name)
        findings["standby_day"] = Finding.made("standby_day", name, 24 * quiet.known, "Wh", f"{show(quiet.value)} W × 24 h")
    peaks = [r.peak_w for r in read if r.peak_w is not None]
    if peaks:
        findings["peak"] = Finding("peak", say("Highest peak"), max(peaks), "W", None, say("as seen"))
    return findings, said


def _law(rows: Sequence[Reading]) -> tuple[float, str, float, float] | None:
    """(exponent of W over V, its words, from, to); None where the volts do not lie apart."""
    return law_over([(r.volts, abs(r.amps)) for r in rows if r.volts and r.amps])


def law_over(pairs: Sequence[tuple[float, float]]) -> tuple[float, str, float, float] | None:
    """(exponent of W over V, its words, from, to in V) of (V, A) at several volts; None where these do not lie apart."""
    if len(pairs) < 2:
        return None
    volts, amps = np.array(pairs, float).T
    low, high = float(volts.min()), float(volts.max())
    if high - low < APART * high:
        return None
    slope = float(np.polyfit(np.log(volts), np.log(volts * amps), 1)[0])
    near, words = min(_LAWS, key=lambda law: abs(law[0] - slope))
    if abs(near - slope) > _NEAR:
        return slope, say("neither constant power, current nor resistance"), low, high
    return slope, say(words), low, high


def law_finding(k: int, name: str, law: tuple[float, str, float, float]) -> Finding:
    """Its exponent: 0 for constant power, 1 for constant current, 2 for a resistance."""
    working = say("slope of ln W over ln V: 0 constant power, 1 constant current, 2 a resistance")
    return Finding(f"law_{k}", say("{name}, over its volts", name=name), law[0], "", (), working)


def _gives_up(k: int, name: str, read: Sequence[Reading]) -> dict[str, Finding]:
    """Between the lowest volts at which it worked and the highest at which it did not."""
    worked = [r.volts for r in read if r.name == name and r.works and r.volts is not None]
    failed = [r.volts for r in read if r.name == name and not r.works and r.volts is not None]
    if not failed:
        return {}
    low = max(failed)
    above = [v for v in worked if v > low]
    key = f"gives_up_{k}"
    if not above:
        return {key: Finding(key, say("{name} gives up at", name=name), low, "V", None, say("as seen; nothing was read above it"))}
    high = min(above)
    middle = (low + high) / 2 + within((high - low) / 2, words("between the two readings"), "V", kind=ErrorKind.BETWEEN)
    working = say("works at {a} V, not at {b} V", a=show(high), b=show(low))
    return {key: Finding.made(key, say("{name} gives up at", name=name), middle, "V", working)}
