"""One device charged from another thing: Wh for each recharge, how much of it arrives, how many charges there are from full."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from ubrant.core.battery.label_doubt import LOW_SHARE, Holds, doubtful, in_quarters
from ubrant.core.battery.percent import PercentChange, points_finding, too_small
from ubrant.core.quantities.label import Label
from ubrant.core.quantities.quantity import plain, show, show_duration
from ubrant.core.uncertainty.finding import AT_LEAST, AT_MOST, Finding
from ubrant.core.uncertainty.value import Value, total_of, within
from ubrant.core.wording import say, words

OTHER_DEVICE = 0.1
"""A chain that was measured with one device may differ by so much with another, rectangular. Common practice, no source."""
NO_APPROVAL_WH, WITH_APPROVAL_WH = 100.0, 160.0
"""IATA Dangerous Goods Regulations, spare lithium batteries in the cabin; from memory."""


@dataclass(frozen=True)
class DeviceRecharge:
    """One, or several in a row: what the source's display did meanwhile, and the device's.

    Attributes
    ----------
    source : None where its percent was not read
    device : from empty to full, as far as it went
    counted : Wh by a meter between source and device; None without
    more : further charges between the same two readings of the source; figures of one charge are their mean then
    """

    source: PercentChange | None
    device: PercentChange
    counted: Value | None = None
    more: tuple[PercentChange, ...] = ()

    @property
    def count(self) -> int:
        return 1 + len(self.more)

    @property
    def gained(self) -> float:
        """Points of the device, of all charges together."""
        return -sum(one.points for one in (self.device, *self.more))

    @property
    def gain(self) -> Value:
        """The same with what each of its ends leaves open: those of the device are not those of the source, and each charge has its own two."""
        names = (say("device") if n == 1 else say("device, charge {n}", n=n) for n in range(1, self.count + 1))
        return -total_of(one.fell(name) for one, name in zip((self.device, *self.more), names, strict=True))

    def between_shares(self) -> tuple[float, float]:
        """The least and the most points of the source for one of the device, by what both displays may be off; needs a source."""
        assert self.source is not None
        taken, room = self.source.points, self.source.expanded_points
        gained, beside = self.gained, math.hypot(*(one.expanded_points for one in (self.device, *self.more)))
        return max(taken - room, 0.0) / (gained + beside), (taken + room) / max(gained - beside, 1.0)

    @property
    def missed_s(self) -> float:
        """How long the device charged while the source's percent was not followed."""
        if self.source is None:
            return 0.0
        last = (self.device, *self.more)[-1]
        return max(self.source.from_s - self.device.from_s, 0.0) + max(last.to_s - self.source.to_s, 0.0)

    @property
    def is_part(self) -> bool:
        """The source was not followed for more than a twentieth of it: at least so much was taken."""
        return self.missed_s > 0.05 * 3600 * self.hours * self.count + 60.0

    @property
    def hours(self) -> float:
        """Of one charge."""
        return sum(one.to_s - one.from_s for one in (self.device, *self.more)) / 3600 / self.count


def recharge_findings(
    made: Sequence[DeviceRecharge], source: Holds | None, device: Holds | None, idle_w: float | None = None
) -> tuple[dict[str, Finding], list[str]]:
    """Findings of one recharge after the other; their means stand for one from empty to full.

    Parameters
    ----------
    source, device : what both hold; None where nobody knows
    idle_w : what an inverter between them burns by itself
    """
    found: dict[str, Finding] = {}
    said: list[str] = []
    for number, one in enumerate(made, start=1):
        suffix = "" if number == 1 else f"_{number}"
        found |= {f"{f.key}{suffix}": _as(f, f"{f.key}{suffix}", number) for f in _one(one, source, device, idle_w)}
        if one.source is not None and (small := too_small(one.source)):
            said.append(small)
        said += _slips(one, found if number == 1 else {})
        if _is_beyond_belief(found, suffix):
            for key in ("recharge_energy", "taken_energy", "stored_energy", "efficiency_without_idle"):
                found.pop(f"{key}{suffix}", None)
        if one.source is not None and one.source.hidden:
            said.append(
                say(
                    "It stood at 100 % for a while: what it held above that is in no figure, so that it may have taken up to {points} points more.",
                    points=show(one.source.hidden, 2),
                )
            )
    return found, said


def _is_beyond_belief(found: Mapping[str, Finding], suffix: str) -> bool:
    """More would arrive than was taken: one of the labels is wrong, and so may be what rests on either."""
    taken = found.get(f"taken_energy{suffix}", found.get(f"recharge_energy{suffix}"))
    stored = found.get(f"stored_energy{suffix}")
    whole = taken is not None and stored is not None and bool(taken.value) and not taken.bound
    return whole and f"chain_efficiency{suffix}" not in found


_LITTLE, _QUICK_H = 40.0, 1 / 6
"""Under so many percent a chain is asked about, as is a charge in less than this. Common practice, no source."""


def recharge_slips(
    one: DeviceRecharge, share: Finding | None, taken: Finding | None = None, stored: Finding | None = None
) -> Iterable[tuple[str, str]]:
    """(what it is asked by, the question) of a charge that little arrives of, whose source stood still, or that was made in no time."""
    if share is not None and share.value is not None and share.value < _LITTLE:
        text = words("{p} % is little for a recharge (60 to 90 are usual): did a digit of the percents slip?")
        yield "little", say(text, p=show(share.value, 2))
    if taken is not None and stored is not None and taken.bound == AT_MOST and taken.value and stored.value:
        least = stored.value - max(stored.expanded_uncertainty or 0.0, stored.value * (1 - LOW_SHARE))
        if least > taken.value:
            text = words(
                "By the source's display it took {taken}, and {stored} or so would have arrived: did its display stand still, or was it charged meanwhile?"
            )
            yield "stood", say(text, taken=taken.value_text(), stored=stored.value_text())
    if 0 < one.hours < _QUICK_H:
        yield "quick", say("It was charged in {time}: did an hour slip?", time=show_duration(3600 * one.hours))


def _slips(one: DeviceRecharge, found: dict[str, Finding]) -> list[str]:
    """What looks like a slip of a digit, a unit or an hour."""
    said = []
    if one.is_part:
        said.append(
            say(
                "The source was not read for {time} of it: at least so much was taken. Read both together.",
                time=show_duration(one.missed_s),
            )
        )
    share, stored = found.get("chain_efficiency"), found.get("stored_energy")
    taken = found.get("taken_energy", found.get("recharge_energy"))
    if share is None and taken is not None and stored is not None and taken.value and not taken.bound:
        said.append(
            say(
                "More would arrive ({a}) than was taken ({b}), by more than both labels may be off: look at the labels' units, mAh for Ah, and at the percents.",
                a=stored.value_text(),
                b=taken.value_text(),
            )
        )
    return said


def _as(found: Finding, key: str, number: int) -> Finding:
    name = found.name if number == 1 else say("{name}, number {number}", name=found.name, number=number)
    return replace(found, key=key, name=name)


def _one(one: DeviceRecharge, source: Holds | None, device: Holds | None, idle_w: float | None) -> list[Finding]:
    found: list[Finding] = []
    taken: Finding | None = None
    gained = one.gained
    if one.source is not None:
        found.append(points_finding("source_points", say("Points of the source"), one.source))
        taken = _taken(one.source, source)
        if taken is not None and one.is_part and taken.span is not None:
            least = max(taken.span[0], 0.0)
            taken = Finding(taken.key, taken.name, least, "Wh", (), say("{w}, and it went on", w=taken.working), bound=AT_LEAST)
    if one.counted is not None:
        taken = Finding.made("recharge_energy", say("Wh for one recharge"), one.counted, "Wh", say("by the counter between them"))
    if taken is not None:
        taken = _of_one(taken, one.count)
        found.append(taken)
    stored: Finding | None = None
    if device is not None:
        working = say("{points} points of {why}", points=plain(gained), why=device.why)
        stored = doubtful(
            "stored_energy", say("Wh stored in the device"), device.energy * one.gain / 100, "Wh", working, lower=(device.lower,)
        )
        stored = _of_one(stored, one.count)
        found.append(stored)
    if taken is not None and stored is not None and taken.value and not taken.bound:
        found += _believable(_efficiency(taken, stored))
        if idle_w and one.hours > 0:
            found += _without_idle(taken, stored, idle_w, one.hours)
    if taken is not None and taken.value and 0 < gained < _WHOLE:  # of a whole charge, as charges are counted
        place = found.index(taken)
        found[place : place + 1] = [_of_a_whole(taken, one)] if gained > _PART else []
        found.append(replace(taken, key="taken_energy", name=say("Wh taken for {points} points of it", points=plain(gained))))
    if one.source is not None:
        charges = _charges(one)
        if one.is_part and charges.span is not None:
            charges = Finding(charges.key, charges.name, charges.span[1], "", (), charges.working, bound=AT_MOST)
        found.append(charges)
    found.append(Finding("duration", say("Charging took"), 3600 * one.hours, "s", (), say("from its first reading to its last")))
    return found


_PART, _WHOLE = 10.0, 99.0
"""Points of a device under which its charge says nothing of a whole one, and from which on it is one. Common practice, no source."""


def _of_a_whole(found: Finding, one: DeviceRecharge) -> Finding:
    """What a charge from empty to full would take, by one of some of its points."""
    scale = 100 / one.gain
    sides = (found.sides[0] * scale.value, found.sides[1] * scale.value)
    working = say("({w}) ÷ {points} points of it × 100", w=found.working, points=plain(one.gained))
    if found.bound:
        return replace(found, value=(found.value or 0.0) * scale.value, working=working)
    return Finding.made(found.key, found.name, found.known * scale, found.unit, working, sides=sides)


def _of_one(found: Finding, count: int) -> Finding:
    """The mean of several charges that were read together."""
    if count == 1 or found.value is None:
        return found
    working = say("({w}) ÷ {n} charges", w=found.working, n=count)
    return replace(found.in_unit(found.unit, 1 / count), working=working, arithmetic=())


def _taken(change: PercentChange, source: Holds | None) -> Finding | None:
    if source is None:
        return None
    points, u = change.points, _most_points(change)
    if not points > u:
        most = max(points, 0.0) + u
        working = say("its display fell by less than it may be off: at most {points} points of {why}", points=show(most, 2), why=source.why)
        return Finding("recharge_energy", say("Wh for one recharge"), source.energy_wh * most / 100, "Wh", (), working, bound=AT_MOST)
    working = say("{points} points of {why}", points=plain(points), why=source.why)
    return doubtful(
        "recharge_energy",
        say("Wh for one recharge"),
        source.energy * change.fell() / 100,
        "Wh",
        working,
        lower=(source.lower,),
        higher=(change.hidden / points if points else 0.0,),
    )


def _efficiency(taken: Finding, stored: Finding, key: str = "chain_efficiency", name: str = "") -> Finding:
    assert taken.value and stored.value is not None
    value = 100 * stored.value / taken.value
    low, high = (side / taken.value for side in taken.sides)
    below = stored.sides[0] / stored.value if stored.value else 0.0
    raised = low / (1 - low) if low < 1 else 1e9
    arrives = 100 * stored.known / taken.known
    working = f"{show(stored.value)} Wh ÷ {show(taken.value)} Wh"
    lowered = (below**2 + (high / (1 + high)) ** 2) ** 0.5
    found = Finding.made(key, name or say("Arrives of it"), arrives, "%", working)
    u = found.expanded_uncertainty or 0.0
    most = max((100 - value) ** 2 - u**2, 0.0) ** 0.5 / value if value else 0.0  # no more arrives than went in
    raised = min(raised, most)
    return replace(found, sides=(lowered * value, raised * value))


def _believable(found: Finding) -> list[Finding]:
    """No more arrives than went in: over 100 % by more than all doubts, and it is none."""
    return [] if found.span is not None and found.span[0] > 100 else [found]


def _without_idle(taken: Finding, stored: Finding, idle_w: float, hours: float) -> list[Finding]:
    assert taken.value is not None
    burnt = Finding("idle_energy", say("Burnt by idling meanwhile"), idle_w * hours, "Wh", None, f"{show(idle_w)} W × {show(hours)} h")
    left = Finding.made("", "", taken.known - idle_w * hours, "Wh", "", sides=taken.sides)
    if not left.value or left.value <= 0:
        return [burnt]
    return [burnt, _efficiency(left, stored, "efficiency_without_idle", say("Arrives, idling left out"))]


def _charges(one: DeviceRecharge) -> Finding:
    """From full, and to full: both labels are in neither."""
    assert one.source is not None
    points, gained = one.source.points, one.gained
    if not points > _most_points(one.source):
        most = max(points, 0.0) + _most_points(one.source)
        working = say(
            "its display fell by less than it may be off: at most {points} points for {gained} of the device",
            points=show(most, 2),
            gained=plain(gained),
        )
        return Finding("charges_from_full", say("Charges from full"), gained / most, "", (), working, bound=AT_LEAST)
    hidden = one.source.hidden / points
    charges = one.gain / one.source.fell()
    working = (
        say("100 points ÷ {points}", points=plain(points))
        if 99.9 < gained < 100.1
        else say("{gained} points of it ÷ {points} of the source", gained=plain(gained), points=plain(points))
    )
    working = f"{working}: {in_quarters(charges.value)}"
    return doubtful("charges_from_full", say("Charges from full"), charges, "", working, lower=(hidden / (1 + hidden),))


def _most_points(change: PercentChange) -> float:
    """Under so many points were used where a display never moved."""
    return change.expanded_points


def other_device(charges: Finding, device: Holds, other: Holds, name: str) -> Finding:
    """Charges of another device by its label alone: what the source holds is in neither."""
    assert charges.value is not None
    chain = 1 + within(OTHER_DEVICE, words("measured with another device"))
    higher = other.lower / (1 - other.lower) if other.lower < 1 else 0.0
    return doubtful(
        "charges_of_another",
        say("Charges of {name}", name=name),
        charges.known * chain * device.energy / other.energy,
        "",
        say(
            "{charges} × {wh} Wh ÷ {other} Wh, measured with another device",
            charges=show(charges.value),
            wh=show(device.energy_wh),
            other=show(other.energy_wh),
        ),
        lower=(charges.sides[0] / charges.value, device.lower),
        higher=(higher,),
    )


def rules_of_thumb(source: Label | None, device: Label | None) -> list[Finding]:
    """What people reckon where nothing was measured; no ±: they are for then only."""
    found = []
    if source is not None and device is not None and source.charge_ah and device.charge_ah:
        ratio = source.charge_ah / device.charge_ah
        ah = f"{show(source.charge_ah)} Ah ÷ {show(device.charge_ah)} Ah"
        found.append(Finding("charges_two_thirds", say("By “two thirds of the mAh”"), ratio * 2 / 3, "", None, f"⅔ × {ah}"))
        found.append(Finding("charges_twice", say("By “buy twice the mAh”"), ratio / 2, "", None, f"½ × {ah}"))
    if source is not None and device is not None and source.energy_wh and device.energy_wh:
        working = say(
            "{a} Wh ÷ {b} Wh on the labels; the device's own charging loss is not in it", a=show(source.energy_wh), b=show(device.energy_wh)
        )
        found.append(Finding("charges_by_labels", say("By both labels' Wh"), source.energy_wh / device.energy_wh, "", None, working))
    return found


def to_buy(charges: Finding, label_wh: float, wanted: float) -> Finding:
    """Wh on the label of what gives so many charges, of things like this one."""
    assert charges.value
    value = wanted * label_wh / charges.known
    low = charges.sides[0] / charges.value
    working = say("{n} × {wh} Wh ÷ {charges} charges", n=plain(wanted), wh=show(label_wh), charges=show(charges.value))
    name = say("Label for {n} charges", n=plain(wanted))
    return doubtful("label_wanted", name, value, "Wh", working, higher=(low / (1 - low) if low < 1 else 0.0,))


def may_fly(label_wh: float) -> str:
    """What airlines say of it as a spare battery."""
    if label_wh <= NO_APPROVAL_WH:
        return say("{wh} Wh on its label may fly in the cabin without asking (up to 100 Wh, IATA).", wh=show(label_wh, 3))
    if label_wh <= WITH_APPROVAL_WH:
        return say("{wh} Wh on its label may fly only with the airline's approval (100 to 160 Wh, IATA).", wh=show(label_wh, 3))
    return say("{wh} Wh on its label may not fly as a spare battery (over 160 Wh, IATA).", wh=show(label_wh, 3))
