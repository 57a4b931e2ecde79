"""What a bank or a station gives: at its 5 V, 12 V or mains output until it switches itself off, by a USB or plug meter, its counter, its percent."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import GIVES, TRUE_DISPLAY, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"bank", "station"}


METHOD = MethodEntry(
    "output",
    "Bank or station output",
    15,
    _suits,
    "ubrant.methods.output.method:OutputMethod",
    answers=(
        Answering(
            GIVES,
            (words("gives {energy_out} of {label_Wh}"), words("gives {energy_out}")),
            10,
            words("4 to 15 h till it stops"),
            words("a steady load"),
            ("V", "A"),
            words("one full cycle of its life"),
        ),
        Answering(
            TRUE_DISPLAY,
            (
                words("where it says 50 %, {left_at_50} are left; of its hours {hours_come} come"),
                words("where it says 50 %, {left_at_50} are left"),
                words("of the hours that it says {hours_come} come"),
            ),
            10,
            words("4 to 15 h till it stops"),
            words("its percent or its hours, noted on the way"),
            ("W",),
            words("one full cycle of its life"),
        ),
    ),
)
