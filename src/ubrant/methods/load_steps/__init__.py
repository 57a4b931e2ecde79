"""Load steps on an inverter or converter, from a battery: no load up to past its rating, then a load held until something gives up."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import BURNS, LOST, RUNS, Answering
from ubrant.methods.ratings import read_ratings
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    if unit.kind not in {"inverter", "converter"}:
        return False
    try:
        return not read_ratings(unit, how_much=False).takes_mains
    except ValueError:
        return True


METHOD = MethodEntry(
    "steps",
    "Load steps",
    30,
    _suits,
    "ubrant.methods.load_steps.method:LoadStepsMethod",
    ranks=True,
    answers=(
        Answering(
            RUNS,
            (
                words("carries {carries_value} within tolerance, and switches itself off at {overload_value}"),
                words("carries {carries_value} within tolerance; its output sags by {output_sag}"),
                words("carries {carries_value} within tolerance"),
                words("its output sags by {output_sag}"),
                words("{short}"),
            ),
            15,
            words("half an hour"),
            words("loads up to its rating"),
            ("V", "A"),
        ),
        Answering(
            LOST,
            (words("gives {peak_efficiency} at best, at {peak_at}"),),
            15,
            words("half an hour"),
            words("loads up to its rating"),
            ("V", "A"),
        ),
        Answering(BURNS, (words("burns {idle_power} with nothing on"),), 15, "", "", ("V", "A")),
    ),
)
