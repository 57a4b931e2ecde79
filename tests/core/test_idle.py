"""An idle draw that the meter cannot resolve is said to be that."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.core.conversion.idle import idle_findings, idle_sentence
from ubrant.core.quantities.accuracy import Accuracy

VOLTS = Accuracy(0.001, 0.005, "V")


@pytest.mark.parametrize(
    ("zero_a", "says"),
    [
        (0.0005, "Idle draw 0.1200 ± 0.0069 W, 2.88 Wh a day: alone it empties the battery in 222 days"),
        (0.1, "Idle draw anywhere up to 1.5 W, up to 36 Wh a day: the meter settles no more than that"),
    ],
)
def test_what_is_said_of_it(zero_a, says):
    """0.01 A × 12 V = 0.12 W; a clamp's zero of 0.1 A is ± 2 × 0.1 ÷ √3 × 12 = 1.39 W."""
    found, warnings = idle_findings(np.full(50, 12.0), np.full(50, 0.01), VOLTS, Accuracy(0.002, zero_a, "A"), battery_wh=640.0)
    assert idle_sentence(found) == says
    assert ("days_to_empty" in found) == ("empties" in says)
    assert bool(warnings) == ("anywhere" in says)


def test_the_input_current_of_an_inverter_pulsates():
    """A current that goes with the sine squared, behind 50 mΩ: the mean of v·i lies inside what is said, volts × amperes above its middle."""
    phase = np.linspace(0, 2 * np.pi, 1000, endpoint=False)
    amps = 10.0 * 2 * np.sin(phase) ** 2
    volts = 12.8 - 0.05 * amps
    true = float(np.mean(volts * amps))
    read = np.full(20, float(np.mean(volts))), np.full(20, 10.0)
    found = idle_findings(*read, Accuracy(0, 0, "V"), Accuracy(0, 0, "A"), upstream_ohm=0.05)[0]["idle_power"]
    assert found.value == pytest.approx(float(read[0][0]) * 10 - 0.05 * 100 / 4)
    assert found.expanded_uncertainty == pytest.approx(2 * 0.05 * 100 / 4 / 3**0.5)
    assert abs(found.value - true) < found.expanded_uncertainty
