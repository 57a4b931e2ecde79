"""What a sweep says in a sentence."""

from __future__ import annotations

from ubrant.core.conversion.sweep import Sweep
from ubrant.core.wording import say


def sweep_sentence(found: Sweep) -> str:
    """What a colleague would say of it."""
    best, at, idle = (found.findings[key] for key in ("peak_efficiency", "peak_at", "idle_power"))
    said = []
    if best.value is not None:
        said.append(say("Best {best} at {load}", best=best.with_doubt(), load=at.value_text()))
    if idle.value is not None:
        said.append(say("idle draw {draw}", draw=idle.with_doubt()))
    dropout = found.findings["dropout_voltage"]
    if dropout.value is not None:
        said.append(say("leaves tolerance at {volts}", volts=dropout.with_doubt()))
    return ("; ".join(said) + ".") if said else say("Too few points for its losses.")
