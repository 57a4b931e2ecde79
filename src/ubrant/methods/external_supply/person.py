"""A simulated person loads a simulated external supply and reads the plug-in meter and the meter at its output."""

from __future__ import annotations

from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.methods.by_eye import ReadLines, SimulatedEyes
from ubrant.methods.method import Prepared
from ubrant.methods.rows import HandScript

_WAIT_S, _MAINS_V = 300.0, 230.0


def reads_steps(prepared: Prepared, reader: SimulatedEyes, hand: HandScript) -> ReadLines:
    """Watts in, volts and amperes out, at each step that is called."""
    unit, volts = prepared.setup.unit, prepared.plan.output
    watts = volts * prepared.plan.rated
    known = {k: v for k, v in unit.stand_in.items() if k in ConverterParameters.__dataclass_fields__}
    usual = {
        "fixed_w": 0.002 * watts,
        "proportional": 0.06,
        "resistive_per_w": 0.04 / max(watts, 1.0),
        "output_ohm": 0.0015 * volts * volts / max(watts, 1.0),
    }
    converter = Converter(ConverterParameters(volts, **{**usual, **known}, nominal_in_v=_MAINS_V))
    for row in hand.rows:
        amps = row.expected.get(("output", "A"), 0.0)
        out, into = converter.output(_MAINS_V, amps)
        output = f" output {reader.read('output', 'V', out, 0.01)} {reader.read('output', 'A', amps, 0.001)}" if amps else ""
        shown = max(float(reader.number("input", "W", _MAINS_V * into, 0.01)), 0.0)  # no such meter shows less than nothing
        yield _WAIT_S, f"input {shown:.2f} W{output}"
