"""What the display of a bank or station promises now, by what came of what it promised in other runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ubrant.core.account import Account, Ahead
from ubrant.core.battery.given_out import Given
from ubrant.core.battery.promises import DisplayCurve, hours_come, still_comes, worth
from ubrant.core.drawings import DASHED, Dots, Plot
from ubrant.core.drawings import Curve as Line
from ubrant.core.quantities.quantity import plain, show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say, words


def by_its_promises(account: Account, given: Given, others: Sequence[Given], now_s: float | None) -> Account:
    """With the share of what it says that came in all runs together; of a run that is going on, what that makes of its newest promise.

    Parameters
    ----------
    others : the runs before, the newest first
    now_s : of a run that is going on; None for one that is over
    """
    kept = [run for run in (given.kept, *(other.kept for other in others)) if run]
    if len(kept) > 1:
        account = replace(account, findings={**account.findings, "hours_come": hours_come(kept)})
    if now_s is None:
        return account
    parts, left_s = [], None
    newest = given.told[-1] if given.told else None
    share = worth(kept, newest.percent) if newest is not None else None
    if newest is not None and share is not None:
        comes = Finding.made("", "", still_comes(newest, share), "h", "")
        text = words("It says {said} h left. By what came of what it said before, it is {hours}.")
        parts.append(say(text, said=show(newest.hours, 2), hours=comes.with_uncertainty()))
        left_s = max(newest.time_s + 3600 * (comes.value or 0.0) - now_s, 0.0)
    curve = next((one for other in others if (one := other.curve) is not None), None)
    if curve is not None and given.percent is not None and (text := _left_now(curve, given)):
        parts.append(text)
    return replace(account, ahead=Ahead(" ".join(parts), left_s)) if parts else account


def _left_now(curve: DisplayCurve, given: Given) -> str:
    """What was left in another run where its display said what it says now; empty where that is the same within its digits."""
    if given.percent is None:
        return ""
    percent, half = float(given.percent[0].value[-1]), float(given.percent[1][-1])
    left = curve.left_at(percent, half)
    if left is None:
        return ""
    found = Finding.made("", "", left, "%", "")
    if abs(left.value - percent) <= half + (found.expanded_uncertainty or 0.0):
        return ""
    return say("Where it says {p} %, {left} were left last time.", p=plain(percent), left=found.with_uncertainty())


def drawn_promises(given: Given) -> tuple[Plot, ...]:
    """What it said over what came, its percent and its hours; nothing where it was not watched to its end."""
    drawn = []
    if (curve := given.curve) is not None and len(curve.shown) > 2:
        layers = (
            Line(np.array([0.0, 100.0]), np.array([0.0, 100.0]), "quiet", DASHED, say("as it says"), keyed=True),
            Dots(curve.shown, curve.left),
        )
        drawn.append(
            Plot(
                say("What was left"),
                say("its display, %"),
                "%",
                (0.0, 104.0),
                (0.0, 104.0),
                layers,
                say("percent it said and percent that was left"),
            )
        )
    if len(kept := given.kept) > 1:
        said, came = (np.array([getattr(one, name) for one in kept]) for name in ("said_h", "came_h"))
        most = 1.1 * float(max(said.max(), came.max()))
        ends = np.array([0.0, most])
        layers = (Line(ends, ends, "quiet", DASHED, say("as it says"), keyed=True), Dots(said, came))
        drawn.append(
            Plot(
                say("Hours that came"),
                say("hours left that it said"),
                "h",
                (0.0, most),
                (0.0, most),
                layers,
                say("hours it said and hours that came"),
            )
        )
    return tuple(drawn)
