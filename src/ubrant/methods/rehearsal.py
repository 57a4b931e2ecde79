"""Rehearse a method in-process on a model: how long it takes, what the trace will look like, what ends it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.readings import Array, Readings
from ubrant.methods.steps import (
    STEP_DONE,
    ReadRest,
    ReadUntil,
    SetLoad,
    StartCharge,
    Step,
    Steps,
    StopCharge,
    SwitchLoadOff,
    SwitchLoadOn,
    carry_out_steps,
)

_OPEN_S = 10 * 24 * 3600.0


@dataclass(frozen=True)
class Rehearsal:
    """What is expected.

    Attributes
    ----------
    readings : at the battery, seconds from the start of the method
    load_v : (n,) volts at the load
    load_on_s, load_off_s : None when the load never came on
    until_s : from load on to the end of each open-ended ReadUntil, seconds
    charge_ah : what left the battery
    ended_by : ``cut-off``, ``protection``, ``load's own cut-off``, or another of the plan's ends
    temperature_c : the battery's highest
    """

    readings: Readings
    load_v: Array
    load_on_s: float | None
    load_off_s: float | None
    until_s: tuple[float, ...]
    charge_ah: float
    ended_by: str
    temperature_c: float

    def left_s(self, loaded_s: float) -> float | None:
        """How long the load is expected to stay on yet, after it has been on so long; None when it never came on."""
        return max(0.0, self.until_s[0] - loaded_s) if self.until_s else None

    @property
    def length_s(self) -> float:
        return float(self.readings.time_s[-1]) if len(self.readings) else 0.0


class _Player:
    def __init__(self, circuit: Circuit) -> None:
        self.circuit = circuit
        self.time_s = 0.0
        self.columns: tuple[list[float], list[float], list[float], list[float]] = ([], [], [], [])
        self.own_cutoff_v = 0.0
        self.load_on_s: float | None = None
        self.load_off_s: float | None = None
        self.until_s: list[float] = []
        self.ended_by = ""
        self.charging = False
        self.hottest_c = circuit.pack.temperature_c

    def read(self) -> float:
        circuit, (times, volts, amps, load_volts) = self.circuit, self.columns
        battery_v = circuit.battery_v
        times.append(self.time_s)
        volts.append(battery_v)
        amps.append(circuit.current_a)
        load_volts.append(battery_v - circuit.current_a * circuit.lead_ohm)
        return battery_v

    def rest(self, seconds: float, every_s: float) -> None:
        for _ in range(round(seconds / every_s)):
            self.read()
            self.circuit.step(every_s)
            self.time_s += every_s

    def until(self, step: ReadUntil) -> str:
        start, every_s, reached = self.time_s, step.every_s, step.watch.reached
        circuit, pack = self.circuit, self.circuit.pack
        advance, own_cutoff = circuit.step, self.own_cutoff_v if not self.charging else 0.0
        load_volts = self.columns[3]
        at_most_s = step.at_most_s - 1e-9
        while True:
            volts = self.read()
            if ended := reached(self.time_s, volts, circuit.current_a, pack.temperature_c):
                break
            if pack.tripped and not self.charging:
                ended = "protection"
                break
            if load_volts[-1] < own_cutoff:
                ended = "load's own cut-off"
                break
            if self.time_s - start >= at_most_s:
                ended = STEP_DONE
                break
            dt_s = min(every_s, step.at_most_s - (self.time_s - start))
            advance(dt_s)
            self.time_s += dt_s
        self.hottest_c = max(self.hottest_c, pack.temperature_c)
        if step.at_most_s > _OPEN_S and not self.charging:
            self.until_s.append(self.time_s - (self.load_on_s or start))
        return ended

    def play(self, step: Step) -> str | None:
        match step:
            case ReadRest():
                self.rest(step.seconds, step.every_s)
            case SwitchLoadOn():
                self.circuit.draw(step.amount, step.mode)
                self.own_cutoff_v = step.own_cutoff_v
                self.load_on_s = self.time_s if self.load_on_s is None else self.load_on_s
            case SetLoad():
                self.circuit.draw(step.amount, step.mode)
                self.time_s += 1e-3
            case ReadUntil():
                ended_by = self.until(step)
                if not self.charging and ended_by != STEP_DONE:
                    self.ended_by = ended_by
                return ended_by
            case SwitchLoadOff():
                self.circuit.draw(0.0)
                self.load_off_s = self.time_s
                self.time_s += 1e-3  # the next reading is after the load went off
            case StartCharge():
                self.charging = True
                self.circuit.charge(step.current_a, step.limit_v)
            case StopCharge():
                self.charging = False
                self.circuit.draw(0.0)
                self.time_s += 1e-3
            case _:
                pass  # a rehearsal has nobody to ask and nothing to feed, and takes it as done
        return None


def rehearse(steps: Steps, circuit: Circuit) -> Rehearsal:
    """Play a method on a circuit, as fast as it can be worked out. The circuit is used up."""
    player = _Player(circuit)
    carry_out_steps(steps, player.play)
    time_s, volts, amps, load_v = (np.array(column) for column in player.columns)
    return Rehearsal(
        Readings(time_s, volts, amps),
        load_v,
        player.load_on_s,
        player.load_off_s,
        tuple(player.until_s),
        circuit.charge_ah,
        player.ended_by,
        player.hottest_c,
    )
