"""Cautions, in plain words, for the step where each matters."""

import re

from ubrant.core.quantities.chemistry import Chemistry
from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say, words

LOOK_FIRST = words("Swollen, dented, hot or hissing: stop, take it outside, away from what burns.")
FUSE = words("Fuse close to the positive terminal, DC rated, sized for the lead. Take rings and watches off.")
SURFACE = words("On a surface that does not burn. Not overnight unless load, cut-off and fuse are set for it.")
VENTILATE = words("Lead-acid gives off hydrogen while charging: air the room.")
OWN_CUTOFF = words("The load has its own cut-off set and read back before it comes on: if the computer stops, the load must stop.")
WARM = words("Terminals getting warm mean a poor joint or a thin lead. Too hot to touch: stop.")
RECHARGE = words("Recharge soon: a battery left empty ages.")


_STARTS_ENGINES = re.compile(r"starter|car battery|van battery|engine battery|\bcranking\b", re.I)


def starter_caution(text: str) -> str:
    """Where a name or a label is a starter battery's; empty else."""
    if not _STARTS_ENGINES.search(text):
        return ""
    return say("A starter battery is not for deep discharge: some tens of deep cycles kill it.")


def floor_caution(chemistry: Chemistry | None, series: int | None) -> str:
    """Never below the chemistry's floor, in volts for this pack."""
    if chemistry is None or not series:
        return say("Never below the voltage its maker gives as empty.")
    volts = plain(chemistry.floor_v * series, 3)
    return say(
        "Never below {volts} V under load ({floor} V a cell for {name}).", volts=volts, floor=f"{chemistry.floor_v:g}", name=chemistry.name
    )


NOT_COLD = words("No charging of lithium below 0 °C: it is damage that does not show.")
PANELS = words("Panels in series can kill and are live in any light: open the disconnect first.")
HOT_RESISTORS = words("Resistors as loads get hot: their watts at this voltage against their rating.")
CAPACITORS = words("Rated voltage for the whole string, polarity right; discharge it through a resistor before you handle it.")
UNPLUG_OFF = words("Switch off before you plug or unplug DC: it arcs.")
CHARGE_FLOOR = words("Do not charge a lithium cell that was found below its floor.")
HAND_OFF = words("Nothing here can switch this load off: stay near, and set a cut-off in the load itself where it has one.")
POLARITY = words("Check the polarity with a meter before you connect.")
WINDOW = words("Never feed an input above its voltage window: that is damage.")
MAINS = words(
    "An inverter's output is mains: it kills. Fixed wiring, earth bonding and transfer switches are for a licensed electrician and local codes."
)
PLUG_METER = words("Mains kills: only through a plug-in meter, nothing open.")
SUPPLY_ALONE = words(
    "Set the supply's own limits of volts and amperes as well, and stay near: if the computer stops, supply and load stay as they are."
)
IN_LINE = words("An ammeter goes into the current path, never across a source: there it is a short circuit.")
