"""Pack model, circuit, leads, state of charge."""

import pytest

from ubrant.core.battery.state_of_charge import from_resting_voltage
from ubrant.core.equipment.leads import Leads
from ubrant.core.models.cell import Pack, cell_ocv, pack_from_label
from ubrant.core.models.circuit import Circuit
from ubrant.core.quantities.chemistry import CHEMISTRIES, LEAD_ACID, LI_ION, LIFEPO4, NIMH
from ubrant.core.quantities.label import parse_label


def emptied(label: str, current_a: float, cutoff_v: float, step_s: float = 1.0) -> Circuit:
    circuit = Circuit(Pack(pack_from_label(parse_label(label))), 0.0)
    circuit.draw(current_a)
    while circuit.battery_v > cutoff_v:
        circuit.step(step_s)
    return circuit


@pytest.mark.parametrize("chemistry", CHEMISTRIES)
def test_open_circuit_voltage_rises_with_charge(chemistry):
    volts = [cell_ocv(chemistry, k / 200) for k in range(-2, 201)]
    assert volts == sorted(volts)


@pytest.mark.parametrize(
    ("label", "amps", "volts"),
    [("50 Ah 12.8 V", 10, 11.0), ("12 V 45 Ah lead-acid", 2.25, 10.5), ("2.5 Ah 9.6 V NiMH", 0.5, 8.0), ("5 Ah 3.6 V", 1.0, 3.0)],
)
def test_gives_its_label_at_its_own_rate(label, amps, volts):
    assert emptied(label, amps, volts).charge_ah == pytest.approx(parse_label(label).charge_ah, rel=0.03)


def test_lead_acid_gives_less_when_hurried():
    """Common practice, no source: at the one-hour rate some 60 to 75 % of the 20-hour capacity."""
    slow, fast = (emptied("12 V 45 Ah lead-acid", amps, 10.0).charge_ah for amps in (2.25, 45.0))
    assert 0.55 < fast / slow < 0.85


def test_voltage_recovers_when_the_load_goes_off():
    circuit = emptied("50 Ah 12.8 V", 50.0, 11.0)
    loaded = circuit.battery_v
    circuit.draw(0.0)
    for _ in range(600):
        circuit.step(1.0)
    assert circuit.battery_v > loaded + 0.3


def test_protection_opens_and_gives_nothing_more():
    circuit = Circuit(Pack(pack_from_label(parse_label("50 Ah 12.8 V")), soc=0.02), 0.0)
    circuit.draw(10.0)
    for _ in range(3600):
        circuit.step(1.0)
    assert circuit.pack.tripped == "undervoltage"
    assert (circuit.battery_v, circuit.current_a) == (0.0, 0.0)


def test_a_pack_warms_under_load_and_energy_is_counted():
    circuit = emptied("50 Ah 12.8 V", 50.0, 11.0)
    assert circuit.pack.temperature_c > 22
    assert circuit.energy_wh == pytest.approx(circuit.charge_ah * 12.9, rel=0.04)


def test_an_unknown_chemistry_cannot_be_modelled():
    with pytest.raises(ValueError, match="what kind of cell"):
        pack_from_label(parse_label("3,0 Ah"))


def test_leads_are_there_and_back():
    assert Leads(1.5, 4.0).resistance_ohm == pytest.approx(2 * 1.5 * 4.95e-3)


def test_resting_voltage_says_when_it_cannot_tell():
    assert from_resting_voltage(13.2, 4, LIFEPO4).percent is None
    assert "count ampere-hours" in from_resting_voltage(9.8, 8, NIMH).sentence
    assert "under 10 %" in from_resting_voltage(11.2, 6, LEAD_ACID).sentence


def test_resting_voltage_band_holds_the_charts_uncertainty():
    found = from_resting_voltage(3.85, 1, LI_ION, voltage_u=0.005)
    assert found.percent == pytest.approx(56, abs=1)
    assert found.expanded_points == pytest.approx(2 * ((10 / 3**0.5) ** 2 + (10 / 0.05 * 0.005) ** 2) ** 0.5, rel=0.05)
