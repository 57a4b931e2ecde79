"""What a sweep says in a sentence."""

from __future__ import annotations

from ubrant.core.conversion.sweep import Sweep
from ubrant.core.wording import say


def sweep_sentence(sweep: Sweep) -> str:
    """What a colleague would say of it."""
    best, at, idle = (sweep.findings[key] for key in ("peak_efficiency", "peak_at", "idle_power"))
    sentences = []
    if best.value is not None:
        sentences.append(say("Best {best} at {load}", best=best.with_uncertainty(), load=at.value_text()))
    if idle.value is not None:
        sentences.append(say("idle draw {draw}", draw=idle.with_uncertainty()))
    dropout = sweep.findings["dropout_voltage"]
    if dropout.value is not None:
        sentences.append(say("leaves tolerance at {volts}", volts=dropout.with_uncertainty()))
    return ("; ".join(sentences) + ".") if sentences else say("Too few points for its losses.")
