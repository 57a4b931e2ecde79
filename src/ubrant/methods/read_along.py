"""Steps of methods that a person carries out, where meters with a connection are read along: point by point, or on and on."""

from __future__ import annotations

from ubrant.core.battery.ending import Ends
from ubrant.core.wording import say
from ubrant.methods.rows import HandScript
from ubrant.methods.steps import Ask, ReadUntil, Steps, Take

FOR_EVER_S = 100 * 24 * 3600.0


def point_by_point(hand: HandScript) -> Steps:
    """A person sets what each row asks for and says so; all meters are read then."""
    for ask in hand.asks:
        yield Ask(ask.text, ask.cautions)
    for number, row in enumerate(hand.rows, start=1):
        what = row.short or say("the next one")
        text = say(
            "Point {number} of {count}: {what}. Once all stands still, go on: the meters are read then.",
            number=number,
            count=len(hand.rows),
            what=what,
        )
        yield Ask(text)
        yield Take(say("Reading point {number}: {what}.", number=number, what=what))


def on_and_on(hand: HandScript, every_s: float, text: str) -> Steps:
    """Read until the person stops it."""
    yield Ask(hand.asks[0].text, tuple(dict.fromkeys(c for ask in hand.asks for c in ask.cautions)))
    yield ReadUntil(Ends().watch(), every_s, FOR_EVER_S, text)
