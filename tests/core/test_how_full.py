"""How full a battery is by its volts at rest. The charts are common practice, no source: checked here is what is made of them."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.battery.how_full import CHARGED, NOT_SAID, USED, how_full
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.chemistry import LEAD_ACID, LI_ION, LIFEPO4, NIMH
from ubrant.core.quantities.readings import ReadingsError
from ubrant.core.uncertainty.value import as_read

FINE, POOR = Accuracy(0.001, 0.002, "V"), Accuracy(0.01, 0.05, "V")


def full(volts, cells=6, kind=LEAD_ACID, rested_h=5.0, before=NOT_SAID, accuracy=FINE, **more):
    return how_full(as_read(volts, accuracy, "battery"), cells, kind, rested_h, before, **more)


@pytest.mark.parametrize(("volts", "percent"), [(12.73, 100), (12.50, 80), (12.37, 70), (12.10, 50), (11.66, 20)])
def test_rows_of_the_chart(volts, percent):
    found = full(volts).findings["charge_now"]
    assert found.value == pytest.approx(percent)
    assert found.expanded_uncertainty == pytest.approx(2 * 10 / 3**0.5, rel=0.1), "charts differ by ten points"


def test_a_poorer_meter_makes_it_wider():
    assert (
        full(12.37, accuracy=POOR).findings["charge_now"].expanded_uncertainty
        > 1.3 * full(12.37).findings["charge_now"].expanded_uncertainty
    )


def test_energy_is_between_what_a_label_may_hold():
    """984 Wh: 58 to 82 % of 65 to 100 % of it."""
    low, high = full(12.37, label_wh=984.0).findings["energy_now"].span
    charge = full(12.37).findings["charge_now"].span
    assert low == pytest.approx(charge[0] / 100 * 0.65 * 984)
    assert high == pytest.approx(charge[1] / 100 * 984)


def test_the_flat_of_iron_phosphate_is_between():
    found = full(13.2, 4, LIFEPO4)
    assert found.findings["charge_now"].value_text() == "20 to 100 %"
    assert "Count ampere-hours" in found.sentence
    assert full(12.85, 4, LIFEPO4).findings["charge_now"].value == pytest.approx(18.5, abs=1)


def test_beside_the_flat_a_poor_meter_cannot_tell_either():
    """13.36 V by a meter of 0.5 %: it may be 13.29 as well."""
    assert full(13.36, 4, LIFEPO4).findings["charge_now"].bound == ""
    assert full(13.36, 4, LIFEPO4, accuracy=Accuracy(0.005, 0.02, "V")).findings["charge_now"].bound == "between"


def test_a_meter_of_nobody_s_accuracy_makes_no_narrower_band():
    found = how_full(as_read(12.37, None, "battery"), 6, LEAD_ACID, 5.0, NOT_SAID, label_wh=984.0)
    assert found.findings["charge_now"].expanded_uncertainty is None
    low, high = found.findings["energy_now"].span
    assert low < full(12.37, label_wh=984.0).findings["energy_now"].span[0]
    assert high > full(12.37, label_wh=984.0).findings["energy_now"].span[1]


def test_under_the_chart_it_is_at_most():
    found = full(11.2)
    assert found.findings["charge_now"].value_text() == "at most 20 %"
    assert "charge it soon" in found.sentence


def test_before_it_rested_volts_only_bound_it():
    used = full(12.1, rested_h=0.5, before=USED).findings["charge_now"]
    assert used.bound == "at least"
    assert used.value < 50
    charged = full(12.1, rested_h=None, before=CHARGED).findings["charge_now"]
    assert charged.bound == "at most"
    assert charged.value > 50


@pytest.mark.parametrize(
    ("make", "why"),
    [
        (lambda: full(12.4, rested_h=1.0), "rest 4 h"),
        (lambda: full(12.4, rested_h=None), "rest 4 h"),
        (lambda: full(12.7, rested_h=0.5, before=CHARGED), "rest 4 h"),
        (lambda: full(11.5, rested_h=0.5, before=USED), "rest 4 h"),
        (lambda: full(13.4), "being charged"),
        (lambda: full(0.02), "no battery"),
        (lambda: full(25.0), "is this its label"),
        (lambda: full(12.4, flows=as_read(0.8, Accuracy(0.01, 0.01, "A"), "battery"), label_ah=82.0), "no rest"),
        (lambda: full(10.2, 8, NIMH), "count ampere-hours"),
    ],
)
def test_it_is_refused(make, why):
    with pytest.raises(ReadingsError, match=why):
        make()


def test_a_clamp_s_own_zero_is_no_draw():
    flows = as_read(0.08, Accuracy(0.02, 0.2, "A"), "battery")
    assert full(12.37, flows=flows, label_ah=82.0).findings


@pytest.mark.parametrize("kind", [LEAD_ACID, LI_ION])
def test_the_truth_is_inside(kind):
    """Batteries whose own chart is shifted by anything up to ten points, meters anywhere inside their accuracy."""
    rng, inside = np.random.default_rng(3), []
    volts, percents = (np.array(column) for column in zip(*reversed(kind.rest_chart), strict=True))
    for _ in range(300):
        true, shift = rng.uniform(12, 95), rng.uniform(-10, 10)
        cell_v = float(np.interp(np.clip(true + shift, percents[0], 100), percents, volts))
        shown = 6 * cell_v * (1 + rng.uniform(-1, 1) * FINE.gain) + rng.uniform(-1, 1) * FINE.zero
        found = full(shown, 6, kind).findings["charge_now"]
        low, high = (0.0, found.value) if found.bound == "at most" else found.span
        inside.append(low - 1e-9 <= true <= high + 1e-9)
    assert np.mean(inside) >= 0.92
