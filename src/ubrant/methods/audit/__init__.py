"""An audit by clamp: what each load of a system draws, what is never off, and how long its battery lasts."""

from ubrant.core.equipment.unit import Unit
from ubrant.core.wording import words
from ubrant.methods.enquiries import DRAWN, Answering
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return unit.kind in {"battery", "station"}


METHOD = MethodEntry(
    "audit",
    "Audit by clamp",
    42,
    _suits,
    "ubrant.methods.audit.method:AuditMethod",
    answers=(
        Answering(
            DRAWN,
            (words("all on it lasts {hours_all_on_value} from full; {base_current} with all off"), words("{base_current} with all off")),
            15,
            "",
            words("a clamp"),
            ("A",),
        ),
    ),
)
