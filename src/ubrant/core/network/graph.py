"""How the parts of a bench hang together: edges, at each of which a meter can be, and what joins them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass

from ubrant.core.wording import say, words

SOURCE, CHARGER, BATTERY, LOAD, INPUT, OUTPUT = "source", "charger", "battery", "load", "input", "output"
PLACES = (SOURCE, CHARGER, BATTERY, LOAD, INPUT, OUTPUT)
"""Where a meter can be, as the power goes: out of what feeds the charger, out of the charger, out of the battery, into a DC load, into and out of a converter."""
TITLES = {
    SOURCE: words("Source"),
    CHARGER: words("Charger"),
    BATTERY: words("Battery"),
    LOAD: words("Load"),
    INPUT: words("Input"),
    OUTPUT: words("Output"),
}
Key = tuple[str, str]
"""(edge, quantity): V, A or W."""


ONE_VOLTAGE, ON_BOARD = 0.1, 0.01
"""Leads, fuses and clips between a joint and a meter drop no more of its voltage; the tracks of a board no more than that. Common practice, no source."""


class GraphError(ValueError):
    """A graph that cannot be one of a bench."""


@dataclass(frozen=True)
class Joint:
    """Where several edges meet at one voltage: what comes in goes out. ``drop`` is what leads, fuses and clips to its meters may take of that."""

    inward: tuple[str, ...]
    outward: tuple[str, ...]
    drop: float = ONE_VOLTAGE

    @property
    def edges(self) -> tuple[str, ...]:
        return self.inward + self.outward


@dataclass(frozen=True)
class Stage:
    """A converter, charger or inverter between two edges; ``rating_w`` from its label, None where it says none."""

    name: str
    into: str
    out: str
    rating_w: float | None = None


@dataclass(frozen=True)
class Graph:
    """Edges by name, joints and stages; ``alternating`` are the edges with AC.

    Raises
    ------
    GraphError
        It falls apart, runs in a circle, or joins AC to DC.
    """

    edges: tuple[str, ...]
    joints: tuple[Joint, ...] = ()
    stages: tuple[Stage, ...] = ()
    alternating: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        for name, count in Counter(self.edges).items():
            if count > 1:
                raise GraphError(say("“{name}” stands on the path twice: give one of them another name.", name=name))
        for joint in self.joints:
            mixed = {edge in self.alternating for edge in joint.edges}
            if len(mixed) > 1:
                raise GraphError(say("AC and DC are joined at one place: something that converts is missing between them."))
        self._require_no_circle()
        self._require_one_piece()

    def _require_no_circle(self) -> None:
        leads_to = {stage.into: stage.out for stage in self.stages}
        for start in leads_to:
            at, steps = leads_to[start], 0
            while at in leads_to and steps <= len(leads_to):
                at, steps = leads_to[at], steps + 1
            if steps > len(leads_to):
                raise GraphError(say("The converters feed one another in a circle: one of them stands the wrong way round."))

    def _require_one_piece(self) -> None:
        groups = [set(joint.edges) for joint in self.joints] + [{stage.into, stage.out} for stage in self.stages]
        reached = set(self.edges[:1])
        while more := [group for group in groups if group & reached and group - reached]:
            reached |= set().union(*more)
        if apart := [edge for edge in self.edges if edge not in reached]:
            raise GraphError(say("Nothing joins {apart} to the rest of the path.", apart=", ".join(apart)))

    def every_key(self) -> tuple[Key, ...]:
        """Every quantity that can be read on it."""
        return tuple((edge, quantity) for edge in self.edges for quantity in "VAW")

    def joint_of(self, edge: str) -> Joint | None:
        return next((joint for joint in self.joints if edge in joint.edges), None)


def graph_of(
    read: Collection[str], alternating: Collection[str] = (), *, rating_w: float | None = None, load_behind: bool = False
) -> Graph:
    """The bench that such places are read on: what charges, a battery and loads at one joint, and a converter behind it.

    Parameters
    ----------
    read : places at which something was read, of :data:`PLACES`
    alternating : which of them have AC
    rating_w : of what stands between input and output
    load_behind : the load hangs on the output, and not beside the battery

    Raises
    ------
    GraphError
        It cannot be one.
    """
    there = {place for place in PLACES if place in read}
    if OUTPUT in there or (load_behind and LOAD in there):
        there |= {INPUT, OUTPUT}
    at_joint = there & {CHARGER, BATTERY, INPUT} | (set() if load_behind else there & {LOAD})
    if SOURCE in there and (CHARGER in there or (BATTERY in there and len(at_joint) > 1)):
        there.add(CHARGER)
    fed_directly = SOURCE in there and CHARGER not in there
    inward = tuple(place for place in ((SOURCE,) if fed_directly else ()) + (CHARGER, BATTERY) if place in there)
    outward = tuple(place for place in (LOAD, INPUT) if place in there and not (place == LOAD and load_behind))
    joints = [Joint(inward, outward)] if len(inward) + len(outward) > 1 else []
    stages = []
    if SOURCE in there and CHARGER in there:
        stages.append(Stage("charger", SOURCE, CHARGER))
    if {INPUT, OUTPUT} <= there:
        stages.append(Stage("converter", INPUT, OUTPUT, rating_w))
    if load_behind and LOAD in there:
        joints.append(Joint((OUTPUT,), (LOAD,)))
    edges = tuple(place for place in PLACES if place in there)
    return Graph(edges, tuple(joints), tuple(stages), frozenset(alternating) & there)
