"""What the stand-ins understand: a line in, a line out or none. Command names after the subsystems of SCPI-99."""

from __future__ import annotations

import re
from collections.abc import Callable

from ubrant.bench.standins.converter_world import ConverterWorld
from ubrant.bench.standins.world import World
from ubrant.core.models.circuit import CURRENT, POWER, RESISTANCE
from ubrant.core.models.shown import Imperfection

Command = Callable[[str], str | None]


class ScpiDevice:
    """A table of commands. Long and short forms both work: ``MEASure:VOLTage?`` is written with its short form in capitals."""

    def __init__(self, identity: str, commands: dict[str, Command]) -> None:
        self._commands = [(_pattern(header), action) for header, action in commands.items()]
        self._commands += [(re.compile(r"\*IDN\?", re.I), lambda _: identity), (re.compile(r"\*OPC\?", re.I), lambda _: "1")]
        self._commands.append((_pattern("SYSTem:ERRor?"), lambda _: self._next_error()))
        self._errors: list[str] = []

    def answer(self, line: str) -> str | None:
        """Carry a line out; the answer without its line end, None when the command has none."""
        answers = []
        for message in filter(str.strip, line.split(";")):
            header, _, argument = message.strip().removeprefix(":").partition(" ")
            action = next((a for pattern, a in self._commands if pattern.fullmatch(header)), None)
            if action is None:
                self._errors.append('-113,"Undefined header"')
                continue
            try:
                answer = action(argument.strip())
            except (ValueError, KeyError):
                self._errors.append('-104,"Data type error"')
                continue
            if answer is not None:
                answers.append(answer)
        return ";".join(answers) if answers else None

    def _next_error(self) -> str:
        return self._errors.pop(0) if self._errors else '0,"No error"'


def _pattern(header: str) -> re.Pattern[str]:
    query = header.endswith("?")
    parts = []
    for word in header.rstrip("?").split(":"):
        short = "".join(c for c in word if c.isupper() or c.isdigit() or c == "*")
        parts.append(f"(?:{re.escape(word)}|{re.escape(short)})")
    return re.compile(":".join(parts) + (r"\?" if query else ""), re.I)


def load_device(world: World) -> ScpiDevice:
    """An electronic load: constant current, its own low-voltage cut-off, its own meters."""

    def set_to(mode: str, most: float) -> Command:
        def set_amount(text: str) -> None:
            amount = float(text)
            if not 0 <= amount <= most:
                raise ValueError(text)
            if world.mode == mode:
                world.set_load(amount)

        return set_amount

    def set_mode(text: str) -> None:
        world.set_mode({"C": CURRENT, "P": POWER, "R": RESISTANCE}[text.upper()[:1]])

    def set_cutoff(text: str) -> None:
        world.own_cutoff_v = float(text)

    def switch(text: str) -> None:
        world.switch({"ON": True, "1": True, "OFF": False, "0": False}[text.upper()])

    def state(_: str) -> str:
        return "1" if world.load_is_on else "0"

    commands: dict[str, Command] = {
        "SOURce:FUNCtion": set_mode,
        "SOURce:FUNCtion?": lambda _: {CURRENT: "CURR", POWER: "POW", RESISTANCE: "RES"}[world.mode],
        "SOURce:CURRent": set_to(CURRENT, world.scenario.load_max_a),
        "SOURce:CURRent?": lambda _: f"{world.set_a:.6f}",
        "SOURce:POWer": set_to(POWER, 5000.0),
        "SOURce:POWer?": lambda _: f"{world.set_a:.6f}",
        "SOURce:RESistance": set_to(RESISTANCE, 1e5),
        "SOURce:RESistance?": lambda _: f"{world.set_a:.6f}",
        "SOURce:VOLTage:LIMit:LOW": set_cutoff,
        "SOURce:VOLTage:LIMit:LOW?": lambda _: f"{world.own_cutoff_v:.6f}",
        "INPut": switch,
        "INPut?": state,
        "MEASure:VOLTage?": lambda _: f"{world.load_voltage():.6f}",
        "MEASure:CURRent?": lambda _: f"{world.load_current():.6f}",
        "STATus:QUEStionable:CONDition?": lambda _: "1" if world.tripped else "0",
    }
    return ScpiDevice("Ubrant,simulated load,0,1", commands)


def meter_device(world: World) -> ScpiDevice:
    """A DC meter at the battery's terminals: volts across them, amperes through it."""
    return ScpiDevice(
        "Ubrant,simulated DC meter,0,1",
        {"MEASure:VOLTage?": lambda _: f"{world.meter_voltage():.6f}", "MEASure:CURRent?": lambda _: f"{world.meter_current():.6f}"},
    )


def supply_device(world: World) -> ScpiDevice:
    """A bench supply as a charger: constant current up to a voltage, then that voltage."""

    def set_voltage(text: str) -> None:
        world.charger_v = float(text)

    def set_current(text: str) -> None:
        world.charger_a = float(text)

    def switch(text: str) -> None:
        world.switch_charger({"ON": True, "1": True, "OFF": False, "0": False}[text.upper()])

    return ScpiDevice(
        "Ubrant,simulated supply,0,1",
        {
            "SOURce:VOLTage": set_voltage,
            "SOURce:VOLTage?": lambda _: f"{world.charger_v:.6f}",
            "SOURce:CURRent": set_current,
            "SOURce:CURRent?": lambda _: f"{world.charger_a:.6f}",
            "OUTPut": switch,
            "OUTPut?": lambda _: "1" if world.charger_is_on else "0",
            "MEASure:VOLTage?": lambda _: f"{world.circuit.battery_v:.6f}",
            "MEASure:CURRent?": lambda _: f"{-min(world.circuit.current_a, 0.0):.6f}",
        },
    )


def thermometer_device(world: World) -> ScpiDevice:
    """A thermometer on the battery's case."""
    return ScpiDevice("Ubrant,simulated thermometer,0,1", {"MEASure:TEMPerature?": lambda _: f"{world.temperature():.3f}"})


def converter_devices(world: ConverterWorld) -> dict[str, ScpiDevice]:
    """Supply, load, meters at both ends and at the source, plug-in meter and scope of a converter's or inverter's bench; and the person's hands."""
    s = world.scenario
    on_off = {"ON": True, "1": True, "OFF": False, "0": False}

    def setter(name: str) -> Command:
        return lambda text: setattr(world, name, float(text))

    def switch_load(text: str) -> None:
        world.switch(on_off[text.upper()])

    def switch_supply(text: str) -> None:
        world.supply_is_on = on_off[text.upper()]

    def set_mode(text: str) -> None:
        world.mode = {"CURR": CURRENT, "POW": POWER}[text.upper()[:4].rstrip("E")]

    def meter(name: str, **quantities: tuple[Callable[[], float], Imperfection]) -> ScpiDevice:
        commands: dict[str, Command] = {}
        for header, (value, channel) in quantities.items():
            commands[f"MEASure:{header}?"] = lambda _, h=header, v=value, c=channel: f"{world.read(f'{name} {h}', v(), c):.6f}"  # type: ignore[misc]
        return ScpiDevice(f"Ubrant,simulated {name} meter,0,1", commands)

    def advance(text: str) -> str:
        world.advance_to(float(text))
        return f"{world.time_s:.6f}"

    def trace(_: str) -> str:
        return ",".join(f"{v:.3f}" for v in world.converter.wave(world.output_v)[1])

    amount: dict[str, Command] = {
        f"SOURce:{header}{mark}": (lambda _: f"{world.set_a:.6f}") if mark else setter("set_a")
        for header in ("CURRent", "POWer")
        for mark in ("", "?")
    }
    load: dict[str, Command] = {
        **amount,
        "SOURce:FUNCtion": set_mode,
        "SOURce:VOLTage:LIMit:LOW": setter("own_cutoff_v"),
        "SOURce:VOLTage:LIMit:LOW?": lambda _: f"{world.own_cutoff_v:.6f}",
        "INPut": switch_load,
        "INPut?": lambda _: "1" if world.load_is_on else "0",
        "MEASure:VOLTage?": lambda _: f"{world.output_v:.6f}",
        "MEASure:CURRent?": lambda _: f"{world.output_a if world.load_is_on else 0.0:.6f}",
    }
    supply: dict[str, Command] = {
        "SOURce:VOLTage": setter("supply_v"),
        "SOURce:VOLTage?": lambda _: f"{world.supply_v:.6f}",
        "SOURce:CURRent": setter("supply_a"),
        "SOURce:CURRent?": lambda _: f"{world.supply_a:.6f}",
        "OUTPut": switch_supply,
        "OUTPut?": lambda _: "1" if world.supply_is_on else "0",
        "MEASure:VOLTage?": lambda _: f"{world.read('source V', world.source_v, s.source_v):.6f}",
        "MEASure:CURRent?": lambda _: f"{world.input_a if world.supply_is_on else 0.0:.6f}",
    }
    volts, amps = "VOLTage", "CURRent"
    hertz = s.converter.hertz or 50.0
    step_s = 3.0 / hertz / 600
    return {
        "clock": ScpiDevice("Ubrant,simulated world,0,1", {"ADVance": advance, "OPERator": _operator_of(world)}),
        "load": ScpiDevice("Ubrant,simulated load,0,1", load),
        "supply": ScpiDevice("Ubrant,simulated supply,0,1", supply),
        "meter": meter("input", **{volts: (lambda: world.input_v, s.input_v), amps: (lambda: world.input_a, s.input_a)}),
        "meter2": meter("output", **{volts: (lambda: world.output_v, s.output_v), amps: (lambda: world.output_a, s.output_a)}),
        "meter3": meter("source", **{volts: (lambda: world.source_v, s.source_v)}),
        "plug": meter(
            "plug",
            **{
                volts: (lambda: world.output_v, s.output_v),
                amps: (lambda: world.output_a, s.output_a),
                "POWer": (lambda: world.output_w, s.output_w),
                "ENERgy": (lambda: world.counted_wh, Imperfection(s.output_w.gain, 0, 0, 0.1)),
                "FREQuency": (lambda: hertz if world.output_v > 1 else 0.0, Imperfection(0, 0, 0.01, 0.01)),
            },
        ),
        "scope": ScpiDevice("Ubrant,simulated scope,0,1", {"TRACe:DATA?": trace, "SENSe:SWEep:TINTerval?": lambda _: f"{step_s:.9f}"}),
    }


def clock_device(world: World) -> ScpiDevice:
    """The world's own port: ``ADVance 12.5`` moves it on and acknowledges; ``TRUth?`` tells what really flowed (for tests)."""

    def advance(text: str) -> str:
        world.advance_to(float(text))
        return f"{world.time_s:.6f}"

    def truth(_: str) -> str:
        circuit = world.circuit
        return f"{circuit.charge_ah:.9f},{circuit.energy_wh:.9f},{circuit.pack.soc:.9f},{circuit.pack.temperature_c:.4f}"

    return ScpiDevice("Ubrant,simulated world,0,1", {"ADVance": advance, "TRUth?": truth, "OPERator": _operator_of(world)})


def _operator_of(world: World | ConverterWorld) -> Command:
    def operator(text: str) -> str:
        world.operator(text)
        return text

    return operator
