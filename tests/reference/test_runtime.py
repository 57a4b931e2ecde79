"""Runtime and size against pencil sums, closed forms, PyBaMM and the uncertainties package."""

from __future__ import annotations

import math

import numpy as np
import pytest
from uncertainties import ufloat

from tests.reference.make_cells import DATA, UNTIL_V
from ubrant.core.battery.peukert import hours_at
from ubrant.core.equipment.leads import Leads
from ubrant.core.equipment.unit import Unit
from ubrant.core.outlook.answers import look, size
from ubrant.core.outlook.duty import parse_duty
from ubrant.core.outlook.kit import SUN, DischargeCurve, Input, Kit, Load, Source, Way
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.outlook.walk import walk_kit
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, under_options
from ubrant.runs.kept.accounts import account_of_stored
from ubrant.runs.kits.measured import source_of


def kit(wh: float, watts: float, eta: float = 1.0, idle: float = 0.0, coming: float = 0.0, **of_source: float) -> Kit:
    inputs = (Input("in", Uncertain(coming)),) if coming else ()
    source = Source("source", Uncertain(wh), **of_source)
    return Kit((source,), (Load("load", Uncertain(watts), way="way"),), (Way("way", Uncertain(eta), Uncertain(idle)),), inputs)


def hours(of: Kit) -> float:
    found = look(of).runtime_s
    assert found is not None
    return found / 3600


def test_a_station_and_a_fridge():
    """1 500 Wh running a fridge for 33 h is 45 W: common practice, no source."""
    assert hours(kit(1500.0, 45.0)) == pytest.approx(33, abs=0.5)


def test_a_small_load_through_an_inverter_costs_more_than_twice():
    """A 6 W device through an inverter that idles at about 0.6 A × 12 V costs more than twice: common practice, no source."""
    assert hours(kit(500.0, 6.0)) / hours(kit(500.0, 6.0, 0.9, 7.2)) > 2


@pytest.mark.parametrize(
    ("wh", "watts", "eta", "idle", "coming"), [(640, 58, 0.88, 7, 0), (500, 40, 0.9, 1, 20), (90, 5, 1.0, 0, 0), (6051, 249, 0.93, 12, 100)]
)
def test_the_pencil_sum_to_the_last_digit(wh, watts, eta, idle, coming):
    """t = usable Wh ÷ (P_load ÷ η + p_idle − P_in), and the size that it is for so many hours: common practice, no source."""
    drain = watts / eta + idle - coming
    made = kit(wh, watts, eta, idle, coming, usable=0.8)
    assert hours(made) == pytest.approx(0.8 * wh / drain, rel=1e-12)
    assert size(made, 8 * 3600).needed_wh == pytest.approx(8 * drain / 0.8, rel=1e-9)


def test_the_band_matches_the_uncertainties_package():
    """90 % of a normal distribution lies within 1.645 standard uncertainties."""
    energy, load, eta, idle, coming = ufloat(682, 12), ufloat(62, 1.2), ufloat(0.88, 0.012), ufloat(6, 0.6), ufloat(10, 1.7)
    reference = energy * 0.9 / (load / eta + idle - coming)
    source = Source("source", Uncertain(682, 12), usable=0.9)
    way = Way("way", Uncertain(0.88, 0.012), Uncertain(6, 0.6))
    looked = look(Kit((source,), (Load("load", Uncertain(62, 1.2), way="way"),), (way,), (Input("in", Uncertain(10, 1.7)),)), 4000)
    assert looked.runtime_s / 3600 == pytest.approx(reference.nominal_value, rel=1e-12)
    assert (looked.high_s - looked.low_s) / 3600 == pytest.approx(2 * 1.6449 * reference.std_dev, rel=0.06)


def test_a_sun_curve_in_closed_form():
    """Half a sine of P over T gives 2·P·T ÷ π watt-hours: calculus."""
    day = Kit(
        (Source("source", Uncertain(1000.0), full=Uncertain(0.1)),),
        (Load("load", Uncertain(1e-6)),),
        (),
        (Input("panel", Uncertain(60.0), parse_duty("06:00 to 18:00"), SUN),),
        starts_s=6 * 3600.0,
    )
    found = walk_kit(day, step_s=60.0, horizon_s=12 * 3600.0)
    assert 1000 * (found.left[-1, 0] - 0.1) == pytest.approx(2 * 60 * 12 / math.pi, rel=1e-5)


def test_loss_in_copper_leads():
    """2 × 3 m of 4 mm² class 5 copper, 4.95 mΩ/m at most (IEC 60228, from memory), at 10 A from 12 V: I²R."""
    ohm = Leads(3.0, 4.0).resistance_ohm
    assert ohm == pytest.approx(6 * 4.95e-3)
    flat = DischargeCurve(np.array([0.0, 1.0]), np.array([12.0, 12.0]), 0.0, Uncertain(0.0))
    looked = look(Kit((Source("b", Uncertain(50.0), flat),), (Load("load", Uncertain(120.0), way="w"),), (Way("w", lead_ohm=ohm),)))
    assert dict(looked.lost)["leads to w"] / (looked.runtime_s / 3600) == pytest.approx(10**2 * ohm, rel=1e-9)


def test_peukert_sizing():
    """100 Ah at 20 h, k = 1.2, 10 A gives 8.706 h (Peukert 1897; worked in handbooks of the trade): a battery without sag agrees."""
    flat = DischargeCurve(np.array([0.0, 1.0]), np.array([12.0, 12.0]), 0.0, Uncertain(0.0))
    source = Source("b", Uncertain(100.0), flat, exponent=Uncertain(1.2), rate=5.0)
    assert hours(Kit((source,), (Load("load", Uncertain(120.0)),))) == pytest.approx(hours_at(10.0, 100.0, 20.0, 1.2), rel=1e-9)
    assert hours_at(10.0, 100.0, 20.0, 1.2) == pytest.approx(8.706, abs=5e-4)


def test_duty_is_a_mean_and_losses_are_averaged_over_it():
    """With P_loss = b·P², 100 W for half of the time loses b·100²·½ and not b·50²: algebra."""
    way = Way("way", loss=(Uncertain(0.0), Uncertain(0.0), Uncertain(1e-3)))
    looked = look(Kit((Source("s", Uncertain(550.0)),), (Load("load", Uncertain(100.0), parse_duty("50 %"), way="way"),), (way,)), 0)
    assert looked.runtime_s / 3600 == pytest.approx(550 / (50 + 1e-3 * 100**2 / 2), rel=1e-12)


@pytest.mark.parametrize(("measured_w", "asked_w"), [(4.0, 9.0), (9.0, 4.0)])
def test_a_pybamm_cell_at_another_power(measured_w, asked_w):
    """One constant-power discharge of PyBaMM's Chen2020 cell (J. Electrochem. Soc. 167 080534) predicted from a run at another power."""
    time, volts, amps = np.loadtxt(DATA / f"chen2020_{measured_w:g}w.csv", delimiter=",").T
    truth = float(np.loadtxt(DATA / f"chen2020_{asked_w:g}w.csv", delimiter=",")[-1, 0])
    first = np.r_[True, np.diff(time) > 1e-6]
    log = LogFile("cell.csv", np.r_[-60.0, time[first]] + 60, np.r_[4.17, volts[first]], np.r_[0.0, amps[first]])
    options = LogOptions(
        said={"cutoff": f"{UNTIL_V} V"}, accuracies=("0.1 %", "0.5 %", "", ""), unit=Unit("Cell", "battery", "5 Ah 3.7 V li-ion"), full=True
    )
    stored = under_options(from_log(log), options)
    record = stored.record()
    source = source_of(stored.run, record, account_of_stored(record))
    assert source is not None
    looked = look(Kit((source,), (Load("load", Uncertain(asked_w)),)))
    assert looked.low_s <= truth <= looked.high_s, (looked.low_s, looked.runtime_s, looked.high_s, truth)
    assert looked.high_s - looked.low_s < 0.25 * truth
