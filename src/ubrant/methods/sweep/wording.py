"""What a sweep says in a sentence."""

from __future__ import annotations

from ubrant.core.conversion.sweep import Sweep, best_sentence
from ubrant.core.wording import say


def sweep_sentence(sweep: Sweep) -> str:
    """What a colleague would say of it."""
    best, idle = sweep.findings["peak_efficiency"], sweep.findings["idle_power"]
    sentences = [said] if (said := best_sentence(sweep)) else []
    if idle.value is not None:
        sentences.append(say("idle draw {draw}", draw=idle.with_uncertainty()))
    dropout = sweep.findings["dropout_voltage"]
    if dropout.value is not None:
        sentences.append(say("leaves tolerance at {volts}", volts=dropout.with_uncertainty()))
    if not any(key in sweep.findings and sweep.findings[key].value is not None for key in ("peak_efficiency", "efficiency_1")):
        thresholds = [sweep.findings[key] for key in ("shutoff_voltage", "restart_voltage")]
        sentences += [f"{found.name.lower()} {found.with_uncertainty()}" for found in thresholds if found.value is not None]
    each = [f for key, f in sweep.findings.items() if key.startswith("efficiency_")]
    if each and best.value is None:
        highest = max(each, key=lambda f: f.value or 0.0)
        sentences.insert(0, f"{highest.name}: {highest.with_uncertainty()}")
    if not sentences:
        return say("Too few points for its losses.")
    text = "; ".join(sentences)
    return f"{text[0].upper()}{text[1:]}."
