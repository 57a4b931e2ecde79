"""Solve the reference discharges with PyBaMM and write them to ``data/``: ``python tests/reference/make_cells.py``.

Parameter set: Chen et al., J. Electrochem. Soc. 167 080534 (2020), "Chen2020" in PyBaMM, a 5 Ah cylindrical lithium-ion cell.
Model: SPM with the option "calculate discharge energy"; solver tolerances 1e-8 and 1e-10.
"""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

os.environ.setdefault("PYBAMM_DISABLE_TELEMETRY", "1")

DATA = Path(__file__).parent / "data"


def current_a(kind: str, time_s):  # type: ignore[no-untyped-def]
    """Constant 1 A, or one that swings between 0.5 and 1.5 A in 20 min."""
    if kind == "constant":
        return 1.0 + 0 * time_s
    return 1.0 + 0.5 * np.sin(2 * np.pi * np.asarray(time_s) / 1200.0)


def solve(kind: str, step_s: float = 10.0, until_s: float = 14_000.0) -> dict[str, np.ndarray]:
    """Time, voltage, current, and what PyBaMM itself integrated: discharge energy Wh and capacity Ah."""
    import pybamm

    model = pybamm.lithium_ion.SPM({"calculate discharge energy": "true"})
    parameters = pybamm.ParameterValues("Chen2020")
    if kind == "varying":
        parameters["Current function [A]"] = lambda t: 1.0 + 0.5 * pybamm.sin(2 * np.pi * t / 1200.0)
    else:
        parameters["Current function [A]"] = 1.0
    simulation = pybamm.Simulation(model, parameter_values=parameters, solver=pybamm.IDAKLUSolver(rtol=1e-8, atol=1e-10))
    times = np.arange(0.0, until_s + step_s, step_s)
    solution = simulation.solve(t_eval=[0.0, times[-1]], t_interp=times)
    names = {
        "voltage_v": "Voltage [V]",
        "current_a": "Current [A]",
        "energy_wh": "Discharge energy [W.h]",
        "charge_ah": "Discharge capacity [A.h]",
    }
    return {"time_s": solution.t, **{key: solution[name].entries for key, name in names.items()}}


def solve_two_step(soc: float = 0.5) -> dict[str, np.ndarray]:
    """The two steps of IEC 61960-3 on the 5 Ah cell: rest, 1 A for 10 s, 5 A for 1 s, a reading every 0.1 s."""
    import pybamm

    experiment = pybamm.Experiment(
        [
            "Rest for 5 seconds (0.1 second period)",
            "Discharge at 1 A for 10 seconds (0.1 second period)",
            "Discharge at 5 A for 1 second (0.1 second period)",
        ]
    )
    simulation = pybamm.Simulation(
        pybamm.lithium_ion.SPMe(),
        parameter_values=pybamm.ParameterValues("Chen2020"),
        experiment=experiment,
        solver=pybamm.IDAKLUSolver(rtol=1e-8, atol=1e-10),
    )
    solution = simulation.solve(initial_soc=soc)
    time, volts, amps = (solution[name].entries for name in ("Time [s]", "Voltage [V]", "Current [A]"))
    first = np.concatenate(([True], np.diff(time) > 1e-6))  # at a step's edge the earlier of the two counts
    return {"time_s": time[first], "voltage_v": volts[first], "current_a": amps[first]}


POWERS_W, UNTIL_V = (4.0, 9.0), 2.8
"""Constant powers that the 5 Ah cell is emptied at, and down to what."""


def solve_power(watts: float) -> dict[str, np.ndarray]:
    """A whole discharge at constant power from full, by SPMe; a reading a minute."""
    import pybamm

    experiment = pybamm.Experiment([f"Discharge at {watts:g} W until {UNTIL_V:g} V (1 minute period)"])
    simulation = pybamm.Simulation(
        pybamm.lithium_ion.SPMe(),
        parameter_values=pybamm.ParameterValues("Chen2020"),
        experiment=experiment,
        solver=pybamm.IDAKLUSolver(rtol=1e-8, atol=1e-10),
    )
    solution = simulation.solve(initial_soc=1.0)
    return {
        name: solution[key].entries for name, key in (("time_s", "Time [s]"), ("voltage_v", "Voltage [V]"), ("current_a", "Current [A]"))
    }


CHARGE_A, CHARGE_V, END_A = 2.5, 4.2, 0.25
"""C/2 to 4.2 V, then until a tenth of it: what the 5 Ah cell is charged by."""


def solve_charge(soc: float = 0.2) -> dict[str, np.ndarray]:
    """Constant current, then constant voltage until the current has fallen to its end, then rest; a reading every 30 s."""
    import pybamm

    experiment = pybamm.Experiment(
        [
            f"Charge at {CHARGE_A} A until {CHARGE_V} V (30 second period)",
            f"Hold at {CHARGE_V} V until {END_A} A (30 second period)",
            "Rest for 5 minutes (30 second period)",
        ]
    )
    simulation = pybamm.Simulation(
        pybamm.lithium_ion.SPMe(),
        parameter_values=pybamm.ParameterValues("Chen2020"),
        experiment=experiment,
        solver=pybamm.IDAKLUSolver(rtol=1e-8, atol=1e-10),
    )
    solution = simulation.solve(initial_soc=soc)
    time, volts, amps = (solution[name].entries for name in ("Time [s]", "Voltage [V]", "Current [A]"))
    first = np.concatenate(([True], np.diff(time) > 1e-6))
    return {"time_s": time[first], "voltage_v": volts[first], "current_a": amps[first]}


if __name__ == "__main__":
    DATA.mkdir(exist_ok=True)
    charge = solve_charge()
    columns = np.column_stack(list(charge.values()))
    np.savetxt(DATA / "chen2020_charge.csv", columns, delimiter=",", header="Chen2020 SPMe charge from 20 %", fmt="%.9g")
    step = solve_two_step()
    np.savetxt(
        DATA / "chen2020_two_step.csv",
        np.column_stack(list(step.values())),
        delimiter=",",
        header="Chen2020 SPMe two steps at 50 %",
        fmt="%.9g",
    )
    for watts in POWERS_W:
        power = np.column_stack(list(solve_power(watts).values()))
        np.savetxt(DATA / f"chen2020_{watts:g}w.csv", power, delimiter=",", header=f"Chen2020 SPMe at {watts:g} W", fmt="%.9g")
    for kind in ("constant", "varying"):
        found = solve(kind)
        header = f"Chen2020 SPM {kind}; " + ",".join(found)
        np.savetxt(DATA / f"chen2020_{kind}.csv", np.column_stack(list(found.values())), delimiter=",", header=header, fmt="%.9g")
