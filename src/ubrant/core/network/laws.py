"""What has to hold on a graph: exact laws, and limits with a margin. Each names its quantities and says its reason in words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ubrant.core.network.graph import BATTERY, Graph, Joint, Key, Stage
from ubrant.core.wording import words

Point = Mapping[Key, float]

LEAST_SHARE = 0.5
"""A converter, charger or inverter that does anything gives half of what it takes, beside its idle draw. Common practice, no source."""
IDLE_SHARE, IDLE_W = 0.08, 15.0
"""The most that one burns by itself: of its rating, and where nobody knows that. Common practice, no source."""


@dataclass(frozen=True)
class PowerLaw:
    """W = V × A, on DC."""

    edge: str
    reason = words("watts are volts times amperes")

    @property
    def keys(self) -> tuple[Key, ...]:
        return (self.edge, "V"), (self.edge, "A"), (self.edge, "W")

    def residual(self, at: Point) -> float:
        volts, amps, watts = (at[key] for key in self.keys)
        return watts - volts * amps

    def slopes(self, at: Point) -> tuple[float, ...]:
        volts, amps, _ = (at[key] for key in self.keys)
        return -amps, -volts, 1.0


@dataclass(frozen=True)
class CurrentLaw:
    """What comes into a joint goes out of it (Kirchhoff)."""

    joint: Joint
    reason = words("what comes into a meeting point goes out of it")

    @property
    def keys(self) -> tuple[Key, ...]:
        return tuple((edge, "A") for edge in self.joint.edges)

    def residual(self, at: Point) -> float:
        return sum(at[edge, "A"] for edge in self.joint.inward) - sum(at[edge, "A"] for edge in self.joint.outward)

    def slopes(self, at: Point) -> tuple[float, ...]:
        return (1.0,) * len(self.joint.inward) + (-1.0,) * len(self.joint.outward)


Law = PowerLaw | CurrentLaw


def exact_laws(graph: Graph) -> tuple[Law, ...]:
    """What determines, without label or usual value."""
    powers = (PowerLaw(edge) for edge in graph.edges if edge not in graph.alternating)
    # on AC currents add up only where they have one phase: where there is one way for them
    return (*powers, *(CurrentLaw(joint) for joint in graph.joints if len(joint.edges) == 2 or not set(joint.edges) & graph.alternating))


@dataclass(frozen=True)
class Limit:
    """``larger`` is at least ``smaller``: what comes out of a stage is no more than what goes in; watts are at most volts × amperes."""

    smaller: tuple[Key, ...]
    larger: tuple[Key, ...]
    reason: str

    @property
    def keys(self) -> tuple[Key, ...]:
        return self.smaller + self.larger


def limits(graph: Graph) -> tuple[Limit, ...]:
    """What is broken where the smaller is larger by more than both may be off: products of what is named."""
    found = [Limit(((stage.out, "W"),), ((stage.into, "W"),), words("more comes out than goes in")) for stage in graph.stages]
    found += [
        Limit(((edge, "W"),), ((edge, "V"), (edge, "A")), words("watts are more than volts times amperes"))
        for edge in sorted(graph.alternating)
    ]
    return tuple(found)


def most_loss_w(stage: Stage) -> float:
    """The most a stage burns with nothing on it, W."""
    return IDLE_SHARE * stage.rating_w if stage.rating_w else IDLE_W


def can_turn(edge: str) -> bool:
    """Whether current may flow both ways there."""
    return edge == BATTERY
