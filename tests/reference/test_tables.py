"""Tables and definitions of the field."""

import pytest

from ubrant.core.battery.state_of_charge import from_resting_voltage
from ubrant.core.equipment.leads import OHM_PER_KM
from ubrant.core.quantities.chemistry import LEAD_ACID, LI_ION, LIFEPO4, NIMH
from ubrant.core.quantities.label import parse_label


@pytest.mark.parametrize(
    ("volts", "percent"),
    [(12.73, 100), (12.62, 90), (12.50, 80), (12.37, 70), (12.24, 60), (12.10, 50), (11.96, 40), (11.81, 30), (11.66, 20), (11.51, 10)],
)
def test_lead_acid_at_rest(volts, percent):
    """12 V lead-acid at rest: common practice, no source."""
    assert from_resting_voltage(volts, 6, LEAD_ACID).percent == pytest.approx(percent, abs=0.01)


@pytest.mark.parametrize(("volts", "percent"), [(13.6, 100), (13.4, 99), (12.9, 20), (12.8, 17), (12.5, 14), (12.0, 9), (10.0, 0)])
def test_iron_phosphate_at_rest_where_it_tells(volts, percent):
    """4-cell iron phosphate at rest: common practice, no source."""
    assert from_resting_voltage(volts, 4, LIFEPO4).percent == pytest.approx(percent, abs=0.01)


@pytest.mark.parametrize("volts", [13.0, 13.1, 13.2, 13.3])
def test_iron_phosphate_where_voltage_cannot_tell(volts):
    """Common practice, no source: between 13.0 and 13.3 V count ampere-hours."""
    assert from_resting_voltage(volts, 4, LIFEPO4).percent is None


@pytest.mark.parametrize(
    ("volts", "percent"), [(4.20, 100), (4.06, 90), (3.92, 70), (3.82, 50), (3.77, 30), (3.68, 10), (3.45, 5), (3.00, 0)]
)
def test_lithium_ion_at_rest(volts, percent):
    """Lithium-ion per cell at rest: common practice, no source."""
    assert from_resting_voltage(volts, 1, LI_ION).percent == pytest.approx(percent, abs=0.01)


def test_rates_and_end_voltages_that_labels_mean():
    """IEC 61960-3: 0.2 It to the maker's end voltage. IEC 61951-2: 0.2 It to 1.0 V a cell. Lead-acid: 20 h to 1.75 V a cell
    (common practice). Values of the standards from memory."""
    assert (LI_ION.standard_rate_c, LIFEPO4.standard_rate_c, LI_ION.standard_cutoff_v) == (0.2, 0.2, None)
    assert (NIMH.standard_rate_c, NIMH.standard_cutoff_v) == (0.2, 1.0)
    label = parse_label("12 V 45 Ah lead-acid")
    assert (label.standard_rate_c, label.standard_cutoff_v) == (1 / 20, 10.5)


def test_flexible_copper():
    """IEC 60228, class 5, maxima at 20 °C in Ω/km (values from memory), against copper's 17.241 nΩ·m (IEC 60028) over the section:
    the maxima allow 2 to 15 % more than bare geometry."""
    for area, ohm in OHM_PER_KM.items():
        assert 1.02 < ohm / (17.241 / area) < 1.16
