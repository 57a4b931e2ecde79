"""A scope's record from a file: an AC wave, or a DC output with its ripple and its dip at a load step. Brought in, never started."""

from ubrant.core.equipment.unit import Unit
from ubrant.methods.registry import MethodEntry


def _suits(unit: Unit) -> bool:
    return False


METHOD = MethodEntry("waveform", "Waveform", 80, _suits, "ubrant.methods.waveform.method:WaveMethod")
