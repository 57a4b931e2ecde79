"""Readings that were begun with before anybody said what they are: offered as whatever method fits them."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return False


METHOD = MethodEntry("notes", "Readings", 90, _suits, "ubrant.methods.notes.method:NotesMethod", begins=True)
