"""Energy and charge of discharges solved by PyBaMM, a physics-based battery model.

Source: PyBaMM (Sulzer et al., J. Open Res. Software 9, 14, 2021); parameter set Chen2020 (J. Electrochem. Soc. 167 080534, 2020);
option "calculate discharge energy", solver rtol 1e-8. PyBaMM integrates V·I along with its own equations; Ubrant only sees readings.
"""

from __future__ import annotations

import numpy as np
import pytest

from tests.reference.make_cells import CHARGE_A, CHARGE_V, DATA, END_A, solve, solve_charge, solve_two_step
from ubrant.core.battery.resistance import two_step
from ubrant.core.quantities.readings import Readings
from ubrant.core.record.integrals import charge_ah, energy_wh
from ubrant.core.sources.charging import Charged, analyse_charger

KEYS = ("time_s", "voltage_v", "current_a", "energy_wh", "charge_ah")


@pytest.mark.parametrize("kind", ["constant", "varying"])
def test_energy_and_charge_of_a_solved_discharge(kind):
    """To 0.05 %, one at constant and one at varying current, from readings 10 s apart."""
    solved = dict(zip(KEYS, np.loadtxt(DATA / f"chen2020_{kind}.csv", delimiter=",").T, strict=True))
    assert energy_wh(solved["time_s"], solved["voltage_v"], solved["current_a"]) == pytest.approx(solved["energy_wh"][-1], rel=5e-4)
    assert charge_ah(solved["time_s"], solved["current_a"]) == pytest.approx(solved["charge_ah"][-1], rel=5e-4)


def test_a_live_solve_agrees_as_well():
    """Solved anew, so that the kept solutions are known to be what PyBaMM says today; readings 30 s apart."""
    solved = solve("varying", step_s=30.0, until_s=6000.0)
    assert energy_wh(solved["time_s"], solved["voltage_v"], solved["current_a"]) == pytest.approx(solved["energy_wh"][-1], rel=5e-4)


def by_its_own_voltages(solved: dict[str, np.ndarray]) -> float:
    """(U at 10 s − U at 11 s) ÷ (5 A − 1 A), straight from the solution."""
    at = [np.interp(5.0 + s, solved["time_s"], solved["voltage_v"]) for s in (10.0, 11.0)]
    return float((at[0] - at[1]) / 4.0)


@pytest.mark.parametrize("live", [False, True])
def test_two_step_resistance_of_a_solved_cell(live):
    """The two steps of IEC 61960-3 at 50 % state of charge, against the cell's own voltages at 10 s and 11 s."""
    kept = np.loadtxt(DATA / "chen2020_two_step.csv", delimiter=",").T
    solved = solve_two_step() if live else dict(zip(KEYS[:3], kept, strict=True))
    readings = Readings(solved["time_s"], solved["voltage_v"], solved["current_a"])
    found = two_step(readings, 5.0, None, None, 50.0)
    assert found.value == pytest.approx(by_its_own_voltages(solved), rel=1e-3)
    assert 0.005 < found.value < 0.2
    assert "at about 50 % charged" in found.working


@pytest.mark.parametrize("live", [False, True])
def test_a_solved_charge_is_recognised(live):
    """Constant current, constant voltage, end current, as the experiment was told; PyBaMM counts a charge as negative."""
    kept = np.loadtxt(DATA / "chen2020_charge.csv", delimiter=",").T
    solved = solve_charge() if live else dict(zip(KEYS[:3], kept, strict=True))
    found, told = analyse_charger(Charged(solved["voltage_v"], solved["current_a"], None, None, {}))
    assert "the other way round" in told[0]
    assert found["set_current"].value == pytest.approx(CHARGE_A, rel=1e-3)
    assert found["set_voltage"].value == pytest.approx(CHARGE_V, rel=1e-3)
    assert found["end_current"].value == pytest.approx(END_A, rel=0.05)
    assert any("would be right for 1 × lithium-ion" in text for text in told)
