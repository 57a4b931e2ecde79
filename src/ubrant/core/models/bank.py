"""Models of what holds a battery inside and shows a percentage: a bank or station with its output, a device that is charged."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from ubrant.core.models.cell import Pack, PackParameters, pack_from_label
from ubrant.core.models.converter import Converter, ConverterParameters
from ubrant.core.quantities.alternating import AC_FROM_V
from ubrant.core.quantities.chemistry import CHEMISTRIES
from ubrant.core.quantities.label import Label

STEP_S = 10.0
_EMPTY_V = {"li-ion": 3.05, "lifepo4": 2.75}
"""Volts a cell at which a bank gives up by itself."""
_AT_HAND = {"li-ion": 0.99, "lifepo4": 0.99}
"""Share of their charge that lithium cells give at a bank's gentle rates."""
_TAPER = 0.05
"""Share of its Ah at which a device's charging current ends."""


def of_a_unit(label: Label, known: Mapping[str, Any], health: float) -> PackParameters:
    """The cells that a label claims, with what is known of the simulated thing.

    Raises
    ------
    ValueError
        The label does not say enough for a model.
    """
    usual = pack_from_label(label)
    share = max(usual.available_share, _AT_HAND.get(usual.chemistry, 0.0))
    return replace(usual, capacity_ah=usual.capacity_ah * float(known.get("health", health)), available_share=share)


def output_of(volts: float, cells_v: float) -> ConverterParameters:
    """What makes the output: an inverter for mains, a step-up or step-down for a few volts."""
    if volts > AC_FROM_V:
        return ConverterParameters(volts, 9.5, 0.07, 0.0003, cells_v, hertz=50.0)
    if volts > 8:
        return ConverterParameters(volts * 1.05, 1.1, 0.045, 0.0005, cells_v)
    return ConverterParameters(volts * 1.02, 0.28, 0.07, 0.004, cells_v, output_ohm=0.02)


@dataclass
class Display:
    """A percentage in whole points, of ``soc`` bent by so many points in the middle of each half; it stands at 100 and at 0 for a while."""

    bend: float = 1.5

    def shown(self, soc: float) -> int:
        return round(min(max(100 * soc + self.bend * math.sin(2 * math.pi * soc), 0.0), 100.0))


class Bank:
    """Cells behind a converter that gives a fixed voltage; it switches itself off when they are empty, or for too small a load.

    Parameters
    ----------
    cells : what is in it
    volts : of its output
    least_a : load under which it goes off after half a minute; blind_w : draw from its cells that its own display does not see
    """

    def __init__(
        self, cells: PackParameters, volts: float, soc: float = 1.0, *, least_a: float = 0.0, bend: float = 1.5, blind_w: float = 0.0
    ) -> None:
        kind = CHEMISTRIES[cells.chemistry]
        self.pack = Pack(cells, soc)
        self.boost = Converter(output_of(volts, kind.nominal_v[0] * cells.series))
        self.display = Display(bend)
        self.is_on, self.given_wh, self.given_ah, self.taken_w = True, 0.0, 0.0, 0.0
        self._least_a, self._blind_w = least_a, blind_w
        self._empty_v = _EMPTY_V.get(cells.chemistry, kind.floor_v) * cells.series
        self._idle_s = 0.0

    @property
    def percent(self) -> int:
        return self.display.shown(self.pack.soc)

    @property
    def display_w(self) -> int:
        """Watts that its own display shows."""
        return 0 if self.taken_w < self._blind_w else round(self.taken_w)

    def give(self, amps: float, dt_s: float = STEP_S) -> tuple[float, float]:
        """(volts, amperes) at the output over a step; (0, 0) once it is off."""
        if not self.is_on:
            return 0.0, 0.0
        cells_v = self.pack.voltage_v(self.taken_w / max(self.pack.open_circuit_v(), 1.0))
        out_v, into_a = self.boost.output(cells_v, amps)
        self.taken_w = cells_v * into_a
        after_v = self.pack.step(into_a, dt_s)
        self._idle_s = self._idle_s + dt_s if amps < self._least_a else 0.0
        self.is_on = after_v > self._empty_v and out_v > 0 and self._idle_s < 30.0
        self.given_wh += out_v * amps * dt_s / 3600
        self.given_ah += amps * dt_s / 3600
        return out_v, amps

    def give_watts(self, watts: float, dt_s: float = STEP_S) -> tuple[float, float]:
        """As ``give``, to a load that draws so many watts."""
        return self.give(watts / self.boost.parameters.output_v, dt_s)


class Device:
    """A device with a battery, charging at its port: constant current, then constant voltage, until the current has come down."""

    def __init__(self, cells: PackParameters, soc: float = 0.0, *, charges_a: float | None = None, share: float = 0.9) -> None:
        kind = CHEMISTRIES[cells.chemistry]
        self.pack = Pack(cells, soc)
        self.display = Display(1.0)
        self.is_full = False
        self._most_a = charges_a if charges_a is not None else 0.3 * cells.capacity_ah
        self._full_v = kind.charged_v[1] * cells.series
        self._share = share
        self._amps = self._most_a

    @property
    def percent(self) -> int:
        return self.display.shown(self.pack.soc)

    def take(self, dt_s: float = STEP_S) -> float:
        """Watts that it draws at its port over a step."""
        if self.is_full:
            return 0.0
        cells = self.pack
        if cells.voltage_v(-self._most_a) >= self._full_v:
            ohm = max(cells.resistance_ohm() + 0.02, 1e-3)
            self._amps = min(self._amps, max(0.0, (self._full_v - cells.open_circuit_v()) / ohm))
            self.is_full = self._amps < _TAPER * cells.parameters.capacity_ah and cells.soc > 0.5
        cells.step(-self._amps, dt_s)
        return max(cells.voltage_v(-self._amps), 3.0) * self._amps / self._share
