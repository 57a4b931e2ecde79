"""A person's own chart of resting volts: kept with the battery, named where it is used, beside the usual one where they disagree."""

from __future__ import annotations

import pytest

from tests.trust.making import discharge, judged, value
from ubrant.core.battery.state_of_charge import from_resting_voltage
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.label import LabelError, parse_label

PRINTED = "12 V 45 Ah lead-acid"
CHART = "12.90 V 100 %, 12.60 V 70 %, 12.20 V 30 %, 11.90 V 5 %"


def test_it_is_read_behind_the_label():
    label = parse_label(f"{PRINTED}; rests at {CHART}")
    assert (label.charge_ah, label.voltage_v, label.series, label.unread) == (45, 12, 6, "")
    read = from_resting_voltage(12.40, label.series, label.kind_of_cell)
    assert read.percent == pytest.approx(50)
    assert read.expanded_points < from_resting_voltage(12.40, 6, parse_label(PRINTED).kind_of_cell).expanded_points
    assert Unit("Block", "battery", f"{PRINTED}; rests at {CHART}").printed == PRINTED


@pytest.mark.parametrize(
    "chart", ["12.9 V 100 %", "12.9 V 100 %, 12.6 V 70 %, 12.2 V 80 %", "12.9 100, 12.6 70, 12.2 30", "12.9 V 120 %, 12.5 V 60 %, 12 V 0 %"]
)
def test_what_is_no_chart_is_refused_in_a_sentence(chart):
    with pytest.raises(LabelError, match="chart of resting volts"):
        parse_label(f"{PRINTED}; rests at {chart}")


def test_both_answers_stand(tmp_path):
    rows = discharge()
    low = "50 Ah 12.8 V LiFePO4; rests at 14.0 V 100 %, 13.55 V 80 %, 12.9 V 10 %"
    found = judged(tmp_path, rows, label=low)
    assert value(found, "soc_before") == pytest.approx(74.6, abs=0.5)
    assert value(found, "soc_before_usual") == pytest.approx(100, abs=1)
    assert "its own chart" in str(found["findings"]["soc_before"])
    assert not any("full by its resting voltage" in w for w in found["warnings"])
