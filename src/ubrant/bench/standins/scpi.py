"""What the stand-ins understand: a line in, a line out or none. Command names after the subsystems of SCPI-99."""

from __future__ import annotations

import re
from collections.abc import Callable

from ubrant.bench.standins.world import World

Command = Callable[[str], str | None]


class ScpiDevice:
    """A table of commands. Long and short forms both work: ``MEASure:VOLTage?`` is written with its short form in capitals."""

    def __init__(self, identity: str, commands: dict[str, Command]) -> None:
        self._commands = [(_pattern(header), action) for header, action in commands.items()]
        self._commands += [
            (re.compile(r"\*IDN\?", re.I), lambda _: identity),
            (re.compile(r"\*OPC\?", re.I), lambda _: "1"),
        ]
        self._commands.append((_pattern("SYSTem:ERRor?"), lambda _: self._next_error()))
        self._errors: list[str] = []

    def answer(self, line: str) -> str | None:
        """Carry a line out; the answer without its line end, None when the command has none."""
        answers = []
        for message in line.strip().split(";"):
            header, _, argument = message.strip().removeprefix(":").partition(" ")
            action = next((a for pattern, a in self._commands if pattern.fullmatch(header)), None)
            if action is None:
                self._errors.append('-113,"Undefined header"')
                continue
            try:
                answer = action(argument.strip())
            except ValueError:
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

    def set_current(text: str) -> None:
        amps = float(text)
        if not 0 <= amps <= world.scenario.load_max_a:
            raise ValueError(text)
        world.set_current(amps)

    def set_cutoff(text: str) -> None:
        world.own_cutoff_v = float(text)

    def switch(text: str) -> None:
        world.switch({"ON": True, "1": True, "OFF": False, "0": False}[text.upper()])

    def state(_: str) -> str:
        return "1" if world.load_is_on else "0"

    commands: dict[str, Command] = {
        "SOURce:CURRent": set_current,
        "SOURce:CURRent?": lambda _: f"{world.set_a:.6f}",
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
        {
            "MEASure:VOLTage?": lambda _: f"{world.meter_voltage():.6f}",
            "MEASure:CURRent?": lambda _: f"{world.meter_current():.6f}",
        },
    )


def clock_device(world: World) -> ScpiDevice:
    """The world's own port: ``ADVance 12.5`` moves it on and acknowledges; ``TRUth?`` tells what really flowed (for tests)."""

    def advance(text: str) -> str:
        world.advance_to(float(text))
        return f"{world.time_s:.6f}"

    def truth(_: str) -> str:
        circuit = world.circuit
        return f"{circuit.charge_ah:.9f},{circuit.energy_wh:.9f},{circuit.pack.soc:.9f},{circuit.pack.temperature_c:.4f}"

    return ScpiDevice("Ubrant,simulated world,0,1", {"ADVance": advance, "TRUth?": truth})
