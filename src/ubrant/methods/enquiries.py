"""What people want to know of a thing, and which test answers it: with what, in how much of their time, and how the answer reads.

An enquiry is of its own; each method says in its entry which it answers. Ways stand together only where they answer the same one.
"""

from __future__ import annotations

import math
import string
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say, words

if TYPE_CHECKING:
    from ubrant.core.account import Account
    from ubrant.core.quantities.label import Label

_WORDS = {
    "meets": words("Yes: {answer}"),
    "below": words("No: {answer}"),
    "spent": words("No: {answer}"),
    "cannot tell": words("Cannot tell yet: {answer}"),
    "not like for like": words("Not like for like: {answer}"),
}


@dataclass(frozen=True)
class Enquiry:
    """One thing that people want to know.

    Attributes
    ----------
    key, text : in files; as they ask it
    rank : what is asked most comes first
    kinds : of what kinds of things it is asked
    also : other words that they ask it with
    never : the quick way that people use and that does not answer it, with its reason; empty for none
    fresh_h : for so long an answer is one, h
    """

    key: str
    text: str
    rank: int
    kinds: tuple[str, ...]
    also: str = ""
    never: str = ""
    fresh_h: float = math.inf

    def is_meant_by(self, sought: str) -> bool:
        """Whether each word of more than two letters is in what is asked, or in other words for it."""
        told = f"{say(self.text)} {say(self.also)}".lower()
        return all(word in told for word in sought.lower().split() if len(word) > 2)


@dataclass(frozen=True)
class Answering:
    """How a method answers an enquiry.

    Attributes
    ----------
    says : how the answer reads, the first whose findings are all there; ``{key}`` is a finding with its ±, ``{key_value}`` without, ``{key_about}`` as people count,
        ``{short}`` what the method says in short, ``{label_Ah}`` and ``{label_Wh}`` what its label says
    minutes : of a person's own, with clipping on and off
    hours : of the bench, from picking it up to putting it away; empty where that is all
    takes, reads : what it takes besides the unit; the quantities that a meter has to read
    wears : what it costs the unit; empty for nothing
    judged : its verdict is the answer
    needs : findings without which it says nothing of it
    """

    enquiry: Enquiry
    says: tuple[str, ...]
    minutes: int
    hours: str = ""
    takes: str = ""
    reads: tuple[str, ...] = ()
    wears: str = ""
    judged: bool = False
    needs: tuple[str, ...] = ()

    def answer(self, account: Account, label: Label | None = None) -> str:
        """As it stands by an account of a unit with this label; empty where that says nothing of it."""
        from ubrant.core.battery.label_doubt import in_quarters
        from ubrant.core.in_short import in_short

        if account.trouble or account.held_back or not account.findings.keys() >= set(self.needs):
            return ""
        told = {key: f.with_uncertainty() for key, f in account.findings.items() if f.value is not None}
        if account.energy is not None and not account.energy.whole:  # it may hold more
            told |= {
                k: say("at least {amount}", amount=f.with_uncertainty())
                for k, f in account.findings.items()
                if k in told and f.unit in _AMOUNTS and not f.bound
            }
        told |= {f"{key}_value": f.value_text() for key, f in account.findings.items() if f.value is not None}
        told |= {f"{key}_about": in_quarters(f.value) for key, f in account.findings.items() if f.value is not None and not f.unit}
        told["short"] = in_short(account)
        if label is not None:
            told |= {"label_Ah": f"{plain(label.charge_ah)} Ah"} if label.charge_ah else {}
            told |= {"label_Wh": f"{plain(label.energy_wh, 3)} Wh"} if label.energy_wh else {}
        for text in self.says:
            wanted = {name for _, name, _, _ in string.Formatter().parse(text) if name}
            if all(told.get(name) for name in wanted):
                made = " ".join(say(text, **{name: told[name] for name in wanted}).split())
                word = account.verdict.word if self.judged and account.verdict is not None else ""
                made = say(_WORDS[word], answer=made) if word in _WORDS else made
                return f"{made[:1].upper()}{made[1:]}"
        return ""

    def effort(self) -> str:
        """What it takes, in a line."""
        parts = [say("{n} min of yours", n=self.minutes)]
        parts += [say(self.hours)] if self.hours else []
        parts += [say(self.takes)] if self.takes else []
        parts += [say(self.wears)] if self.wears else []
        return " · ".join(parts)


_AMOUNTS = frozenset({"Ah", "Wh"})


FULL = Enquiry(
    "full",
    words("How full is it now?"),
    0,
    ("battery",),
    words("charge left percent state soc empty tonight"),
    words("Volts under load, or soon after charging, say another charge than there is."),
    fresh_h=24.0,
)
CAPACITY = Enquiry(
    "capacity",
    words("Does it have the capacity it claims?"),
    10,
    ("battery",),
    words("any good worn label claim Ah Wh real size"),
    words("Resting volts say how full it is, not how big; a load step shows a bad one and proves no good one."),
)
GIVES = Enquiry(
    "gives",
    words("Does it give what it claims?"),
    11,
    ("bank", "station"),
    words("real capacity mAh Wh label usable any good"),
    words("mAh at 5 V are not the label's mAh at the cells: Wh are compared."),
)
MY_THINGS = Enquiry(
    "my-things",
    words("How long will it run my things?"),
    12,
    ("battery", "bank", "station"),
    words("how long last runtime hours fridge lamp tonight until morning outlook"),
    words("Watts at the socket are not watts from the battery: what stands between burns some, too."),
)
"""It is no test's: it is foretold from what was measured, in Outlook."""
AGEING = Enquiry(
    "ageing",
    words("Is it wearing out?"),
    55,
    ("battery",),
    words("ageing older worse lost life"),
    words("Two runs weeks apart say nothing of it."),
)
"""It is no test's: it is told from several of one kind."""
RUNS_FOR = Enquiry(
    "runs-for",
    words("How long does it run a thing?"),
    20,
    ("battery", "bank", "station"),
    words("how long last runtime hours fridge lamp tonight"),
)
FILLS = Enquiry("fills", words("How often will it fill my device?"), 21, ("bank",), words("charges times phone tablet recharge"))
EACH_GOT = Enquiry(
    "each-got",
    words("Emptied into several things: how much did each get?"),
    27,
    ("bank", "station", "battery"),
    words("share several devices each got balance tablet phone lamp lost"),
    words("A device that was full earlier than it was looked at got no more from then on."),
)
BURNS = Enquiry(
    "burns",
    words("What does it burn just being on?"),
    22,
    ("converter", "inverter", "charger", "station"),
    words("idle standby draw nothing attached consumption phantom outlet group by itself"),
    words("A clamp near its smallest step shows anything: loop the lead through it five times, and divide."),
)
LOST = Enquiry("lost", words("How much is lost in it?"), 23, ("converter", "inverter"), words("efficiency percent loss"))
AT_ONCE = Enquiry(
    "at-once", words("How much does it sag under load?"), 30, ("battery", "source"), words("at once amps peak max resistance inside pull")
)
FILLS_UP = Enquiry(
    "fills-up",
    words("How long does it take to fill, and what does it take?"),
    28,
    ("battery", "bank", "station"),
    words("charge time full hours ready until tomorrow cost kWh wall"),
    words("The last tenth takes a quarter of the time: half of the points are not half of the hours."),
)
COMES_BACK = Enquiry(
    "comes-back",
    words("What do I get back of what I put in?"),
    33,
    ("battery", "bank", "station"),
    words("round trip efficiency loss losses charge discharge cycle in out"),
    words("The same end on both sides: from where it was filled, to there it is emptied."),
)
TRUE_DISPLAY = Enquiry(
    "true-display",
    words("Does its display tell the truth?"),
    24,
    ("bank", "station"),
    words("percent hours left promise shows says lies honest"),
    words("With the sun or the mains in, its hours left are of what comes in as well: take the input off first."),
)
CARRIES = Enquiry(
    "carries",
    words("What can it carry without running down while it is fed?"),
    31,
    ("battery", "bank", "station"),
    words("charge and use at once pass through sun backup"),
)
DRAWN = Enquiry(
    "drawn",
    words("What draws on it, and how long does that last?"),
    32,
    ("battery", "station"),
    words("parasitic loads audit flat van boat"),
)
RUNS = Enquiry(
    "runs",
    words("Will it run this, and does its voltage hold up?"),
    12,
    ("inverter", "converter"),
    words("enough start load inverter watts overload trips"),
)
HOW_LOW = Enquiry(
    "how-low",
    words("At what volts does it start, falter and stop?"),
    26,
    ("load", "converter", "inverter"),
    words("how low minimum input volts drop-out starts dims off cut-out comes back"),
    words("A supply at its own limit looks like a thing that went off; and starting takes more than holding."),
)
HOLDS = Enquiry("holds", words("Does it hold its output?"), 13, ("converter", "charger"), words("steady volts regulation droop supply 5 V"))
EFFICIENT = Enquiry(
    "efficient",
    words("How efficient is it over its loads?"),
    24,
    ("charger", "converter"),
    words("efficiency average no-load brick supply"),
)
FILLS_IT = Enquiry(
    "fills-it", words("How does it charge, and where does it stop?"), 14, ("charger",), words("charger stops right battery volts amps end")
)
INTO = Enquiry("into", words("What may I feed its input with?"), 33, ("station", "bank"), words("panel port solar input window"))
WHICH_WAY = Enquiry(
    "which-way", words("Which way feeds a thing longest?"), 25, ("station", "bank"), words("socket or 12 V outlet USB way cheapest")
)
NOTICES = Enquiry(
    "notices",
    words("Does the load notice when its source changes?"),
    34,
    ("station", "load"),
    words("mains goes restarts flicker hand over changeover"),
)
DRAWS = Enquiry("draws", words("What does it draw?"), 10, ("load",), words("watts amps consumption modes settings standby"))
A_DAY = Enquiry("a-day", words("What does it use in a day?"), 15, ("load",), words("kWh day fridge energy"))
REALLY_GIVES = Enquiry(
    "really-gives", words("What does it really give?"), 10, ("source",), words("panel source power watts most volts open short")
)
SIZE = Enquiry("size", words("Is it the size it says?"), 10, ("battery", "source"), words("farad capacitor capacitance label"))
OPENS = Enquiry("opens", words("When does it open?"), 10, ("lead",), words("trips breaker fuse protection"))
STANDS = Enquiry(
    "stands",
    words("How fast does it run down by itself?"),
    62,
    ("battery", "bank", "station", "source"),
    words("self-discharge standing shelf store drawer bag month leak"),
    words("Of iron phosphate two resting volts cannot show it."),
)
DROPS = Enquiry(
    "drops", words("How much does it lose, and does it get warm?"), 11, ("lead",), words("lead joint resistance drop bad one thick enough")
)
