"""Outlooks that were kept, and what then happened: predicted against measured, and the correction."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace

from ubrant.core.outlook.kit import Kit
from ubrant.core.quantities.quantity import plain, show_duration
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import StoredOutlook
from ubrant.runs.kept.accounts import account_of
from ubrant.runs.kits.kit_parts import DayPart, InputPart, KitPart, LoadPart, SourcePart, WayPart, parse_kit
from ubrant.runs.kits.kit_rows import to_toml

_ALIKE = 0.005


@dataclass(frozen=True)
class Past:
    """An outlook as it was kept.

    Attributes
    ----------
    variants : (name, lines, when it is switched on) of the what-ifs beside it
    predicted_s, measured_s, run_id : what it said, what a run then showed, and which
    applied : whether later predictions are corrected by it
    """

    part: KitPart
    variants: tuple[tuple[str, list[tuple[str, str]], str], ...] = ()
    predicted_s: float | None = None
    measured_s: float | None = None
    run_id: int | None = None
    applied: bool = False

    @property
    def factor(self) -> float | None:
        """Measured over predicted; None where nothing happened yet."""
        if not self.predicted_s or not self.measured_s:
            return None
        return self.measured_s / self.predicted_s

    def told(self) -> str:
        """``The outlook said 3 h 20 min and it was 3 h 31 min: 5 % too careful, not yet applied.``"""
        if self.factor is None or self.predicted_s is None or self.measured_s is None:
            return ""
        off = 100 * (self.factor - 1)
        how = (
            say("right within {n} %", n=plain(100 * _ALIKE))
            if abs(off) <= 100 * _ALIKE
            else say("{n} % too careful", n=plain(off, 2))
            if off > 0
            else say("{n} % too hopeful", n=plain(-off, 2))
        )
        state = say("applied") if self.applied else say("not yet applied")
        return say(
            "The outlook said {then} and it was {now}: {how}, {state}.",
            then=show_duration(self.predicted_s),
            now=show_duration(self.measured_s),
            how=how,
            state=state,
        )


def inputs_of(part: KitPart, variants: list[tuple[str, list[tuple[str, str]], str]], past: Past | None) -> dict[str, str]:
    """What a logbook keeps of it: the file as text, and what happened as JSON."""
    kept = {"kit": to_toml(part)}
    if variants:
        kept["variants"] = json.dumps(variants, ensure_ascii=False)
    if past is not None and past.factor is not None:
        about = {"predicted_s": past.predicted_s, "measured_s": past.measured_s, "run": past.run_id, "applied": past.applied}
        kept["happened"] = json.dumps(about)
    return kept


def past_of(kept: StoredOutlook) -> Past:
    """One that was kept, also by an older Ubrant."""
    if "kit" not in kept.inputs:
        return Past(_older(kept.inputs))
    part = parse_kit(kept.inputs["kit"], kept.name)
    variants = tuple((name, [(k, t) for k, t in rows], starts) for name, rows, starts in json.loads(kept.inputs.get("variants", "[]")))
    about = json.loads(kept.inputs.get("happened", "{}"))
    return Past(part, variants, about.get("predicted_s"), about.get("measured_s"), about.get("run"), bool(about.get("applied")))


def _older(inputs: dict[str, str]) -> KitPart:
    """Before there were kits: one source, one load, an efficiency, an idle draw, an input."""
    kept = inputs.get("kept", "").strip()
    name = inputs.get("source", "").partition(", ")[0]
    source = SourcePart(name=name)
    if kept.lower().endswith("wh"):
        source = source.model_copy(update={"reserve": kept})
    elif kept.rstrip("% ") not in {"", "0"}:
        source = source.model_copy(update={"usable": f"{100 - float(kept.rstrip('% ').replace(',', '.')):g} %"})
    way = WayPart(name=say("converter"), efficiency=inputs.get("efficiency", ""), idle=inputs.get("idle", ""))
    coming = [InputPart(power=inputs["input"])] if inputs.get("input", "0 W").strip() not in {"", "0", "0 W"} else []
    ways = [way] if way.efficiency.strip() not in {"", "100 %", "100"} or way.idle.strip() not in {"", "0", "0 W"} else []
    return KitPart(source=[source], way=ways, load=[LoadPart(name=say("load"), power=inputs.get("load", ""))], input=coming, day=DayPart())


def happened(logbook: Logbook, run_id: int, predicted_s: float | None, part: KitPart) -> Past | None:
    """What a run showed of it; None where it has no duration."""
    run = next((r for r, _ in logbook.runs(limit=-1) if r.id == run_id), None)
    if run is None or predicted_s is None:
        return None
    _, account = account_of(logbook, run)
    found = account.findings.get("duration")
    if found is None or not found.value:
        return None
    return Past(part, (), predicted_s, found.value, run_id)


def kit_corrected(kit: Kit, past: Past | None) -> Kit:
    """With its sources as much larger or smaller as the last time showed, where that is wanted."""
    if past is None or not past.applied or past.factor is None:
        return kit
    return replace(kit, sources=tuple(replace(s, capacity=s.capacity.times(past.factor)) for s in kit.sources))
