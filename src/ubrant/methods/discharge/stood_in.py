"""Findings of a run in which nobody read volts: what stands in for them is said, and what needs them is not known."""

from __future__ import annotations

from dataclasses import replace

from ubrant.core.quantities.quantity import show
from ubrant.core.quantities.stand_in import StandIn
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say


def not_read(found: Finding) -> Finding:
    return replace(found, value=None, contributions=None, working=say("no volts were read"), arithmetic=())


def stood_in(energy: Finding, volts: StandIn) -> Finding:
    """Energy by the volts of the system, which is said in its working."""
    text = say("charge × {middle} V, which stand in for volts that nobody read", middle=show(volts.middle_v))
    return replace(energy, working=text, arithmetic=(volts.sentence(), *energy.arithmetic[1:]))
