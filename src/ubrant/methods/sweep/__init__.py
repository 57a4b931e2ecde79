"""The sweep of a converter: input voltage down and up again, load up, a settled reading at every point."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import BURNS, HOLDS, LOST, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind == "converter"


METHOD = MethodEntry(
    "sweep",
    "Sweep",
    20,
    _suits,
    "ubrant.methods.sweep.method:SweepMethod",
    ranks=True,
    answers=(
        Answering(
            LOST,
            (words("gives {peak_efficiency} at best, at {peak_at}"), words("{short}")),
            30,
            words("1 h"),
            words("a load that can be set"),
            ("V", "A"),
        ),
        Answering(BURNS, (words("burns {idle_power} with nothing on"),), 30, words("1 h"), "", ("V", "A")),
        Answering(
            HOLDS,
            (words("holds down to {lowest_held} in"), words("leaves its tolerance at {dropout_voltage} in")),
            40,
            words("1 h"),
            words("a supply that can be turned down"),
            ("V", "A"),
        ),
    ),
)
