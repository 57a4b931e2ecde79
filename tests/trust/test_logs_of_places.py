"""Logs of the places of a converter, a node, a bank: slips that a person makes with columns, clocks and ranges; and the same logs without them."""

from __future__ import annotations

import json

import numpy as np
import pytest

from tests.command_line import ubrant

METERS = ("--voltage-accuracy", "0.5 % + 10 mV", "--current-accuracy", "1 % + 10 mA")
_T = np.arange(0, 1800, 5.0)
_PATH = "time / s,input voltage / V,input current / A,output voltage / V,output current / A"
_MAINS = "time / s,input voltage / V,input current / A,output voltage / V,output power / W"
_NODE = "time / s,charger voltage / V,charger current / A,battery voltage / V,battery current / A,load voltage / V,load current / A"
_ONE = "time (s),output voltage (V),output current (A)"


def _noise(seed: int, column: np.ndarray, by: float) -> np.ndarray:
    return column + np.random.default_rng(seed).normal(0, by, len(column))


def _stairs(*levels: float) -> np.ndarray:
    return np.repeat(levels, len(_T) // len(levels)).astype(float)


def converter() -> dict[str, np.ndarray]:
    """12 to 5 V, 88 % and 0.3 W."""
    amps = _stairs(0, 0.5, 1.0, 1.5, 2.0, 3.0)
    volts = 5.05 - 0.02 * amps
    into = volts * amps / 0.88 + 0.3
    return {
        "t": _T,
        "vi": _noise(1, 12.0 - into / 600, 0.005),
        "ai": _noise(2, into / 12, 0.002),
        "vo": volts,
        "ao": _noise(3, amps, 0.002),
    }


def inverter() -> dict[str, np.ndarray]:
    watts = _stairs(0, 40, 80, 150, 250, 290)
    into = watts / 0.88 + 8
    volts = 12.9 - 0.0024 * into
    return {"t": _T, "vi": volts, "ai": _noise(4, into / volts, 0.05), "vo": np.full(len(_T), 230.0), "wo": _noise(5, watts, 0.3)}


def node() -> dict[str, np.ndarray]:
    load = _stairs(0, 1, 2, 4, 6, 8)
    comes = np.minimum(5.0, load + 3)
    volts = 13.4 - 0.05 * load
    return {
        "t": _T,
        "vc": volts + 0.2,
        "ac": _noise(6, comes, 0.01),
        "vb": volts,
        "ab": _noise(7, load - comes, 0.01),
        "vl": volts - 0.1,
        "al": load,
    }


def bank(hours: float = 12.0) -> dict[str, np.ndarray]:
    """5 V and 1 A for so long, then nothing."""
    time = np.arange(0, 3600 * (hours + 0.2), 20.0)
    on = time < 3600 * hours
    return {"t": time, "v": np.where(on, 5.07 - 0.02 * time / 43200, 0.0), "a": np.where(on & (time > 60), 1.0, 0.0)}


def told(folder, head: str, columns: dict[str, np.ndarray], *options: str) -> str:
    """The sentence and the notes, or the refusal."""
    path = folder / "log.csv"
    rows = np.column_stack(list(columns.values()))
    path.write_text(head + "\n" + "".join(",".join(f"{x:.6g}" for x in row) + "\n" for row in rows), "utf-8")
    done = ubrant("analyse", str(path), *METERS, "--json", *options)
    if done.returncode:
        return " ".join(done.stderr.split())
    found = json.loads(done.stdout)
    return " ".join([found["sentence"], *found["warnings"]])


SWEEP, STEPS, BALANCE = (("--method", "sweep", "--rated", "15 W"), ("--method", "steps", "--rated", "300 W"), ("--method", "balance"))
BANK = ("--rated", "20000 mAh / 74 Wh", "--full")


@pytest.mark.parametrize(
    ("head", "columns", "options", "says"),
    [
        (_PATH, converter(), SWEEP, "Best 8"),
        (_MAINS, inverter(), STEPS, "It carried every step"),
        (_NODE, node(), BALANCE, "without running down; carried at"),
        (_ONE, bank(), BANK, "Gives 60."),
    ],
    ids=["converter", "inverter", "node", "bank"],
)
def test_a_clean_log_is_answered(tmp_path, head, columns, options, says):
    found = told(tmp_path, head, columns, *options)
    assert says in found
    assert "Cannot tell" not in found


def _late(c):
    return {**c, "vo": np.roll(c["vo"], 60), "ao": np.roll(c["ao"], 60)}


def _stands(c):
    return {**c, "ao": np.where(c["t"] < 700, c["ao"], c["ao"][140])}


@pytest.mark.parametrize(
    ("head", "columns", "options", "says"),
    [
        (_PATH, _late(converter()), SWEEP, "Cannot tell yet"),  # the output's clock is five minutes late
        (_PATH, _stands(converter()), SWEEP, "Did one of its meters stand still"),
        (_PATH, {**converter(), "ai": 1000 * converter()["ai"]}, SWEEP, "milliamperes"),
        (_MAINS, {**inverter(), "wo": inverter()["wo"] / 1000}, STEPS, "kilowatts"),
        (_MAINS, {**inverter(), "wo": 1.45 * inverter()["wo"]}, STEPS, "More comes out than goes in"),
        (_NODE, {**node(), "al": 0.6 * node()["al"]}, BALANCE, "Cannot tell yet: At"),
        (_ONE, {**bank(), "a": 1000 * bank()["a"]}, BANK, "amperes for milliamperes"),
        (_ONE, {**bank(), "v": 2.4 * bank()["v"]}, BANK, "more than the 74.00 Wh on its label"),
        (_ONE, {**bank(), "t": bank()["t"] / 60}, BANK, "Are times and units as they were?"),
        (_ONE, bank(0.5), BANK, "hardly any"),
    ],
)
def test_a_slip_is_asked_about(tmp_path, head, columns, options, says):
    assert says in told(tmp_path, head, columns, *options)


def test_a_bank_that_was_cut_off_gave_at_least_so_much(tmp_path):
    whole = bank()
    half = {key: column[whole["t"] < 6 * 3600] for key, column in whole.items()}
    assert "At least 30." in told(tmp_path, _ONE, half, *BANK)


def test_a_bank_that_fell_asleep_once_its_load_was_off_is_not_empty(tmp_path):
    """Somebody took the load off after six hours, and with nothing attached its output went a minute later."""
    one = bank(7.0)
    slept = {**one, "a": np.where(one["t"] > 6 * 3600, 0.0, one["a"]), "v": np.where(one["t"] > 6 * 3600 + 60, 0.0, one["v"])}
    assert "At least 30." in told(tmp_path, _ONE, slept, *BANK)


def test_an_output_that_went_and_came_again_is_asked_about(tmp_path):
    """Charged in between, or only unplugged: a log does not tell."""
    one, other = bank(5.0), bank(4.0)
    twice = {key: np.concatenate([one[key], other[key] + (30_000 if key == "t" else 0)]) for key in one}
    assert "charged meanwhile, or only unplugged?" in told(tmp_path, _ONE, twice, *BANK)


def test_a_log_is_taken_for_what_its_unit_is_tested_by(tmp_path):
    """A charger's profile, a capacitor's farads: no discharge of a battery."""
    time = np.arange(0, 6 * 3600, 60.0)
    amps = np.where(time < 12600, 10.0, 10 * np.exp(-(time - 12600) / 2400))
    charged = {"t": time, "v": np.where(time < 12600, 12.4 + 2.0 * time / 12600, 14.4), "a": amps}
    assert "until 14.4" in told(tmp_path, _ONE, charged, "--rated", "12 V charger, 10 A")
    short = np.arange(0, 200, 1.0)
    flows = short >= 10
    fallen = {"t": short, "v": np.where(flows, 4.95 - 0.02 * (short - 10), 5.0), "a": np.where(flows, 2.0, 0.0)}
    assert "F from 4.95" in told(tmp_path, "t/s,U/V,I/A", fallen, "--rated", "100 F 5.4 V")
