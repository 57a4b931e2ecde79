"""A verdict near its border: meters, room, and how nearly a battery gives the same again are drawn; a label is held against what it gives in the middle.

Families and seeds were fixed before the results were seen. JCGM 106: both kinds of wrong word are rare everywhere, and far enough away the word is said.
"""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.trials import CASES, meters, shown
from tests.trust.test_calibration import LABEL, pack
from ubrant.core.battery.verdict import BELOW, MEETS, SPENT
from ubrant.core.record.cutoff import Cutoff
from ubrant.methods.discharge.sums import DischargeRecord, Readings, analyse

RUN = pack(np.random.default_rng(5), 51.0, 10.0, 120)
AGAIN = 0.01
_RIGHT = {(100, 1): {MEETS}, (100, -1): {BELOW, SPENT}, (80, 1): {BELOW, MEETS}, (80, -1): {SPENT, BELOW}}
"""By the border in percent and the side of it on which the battery truly is: what would not be wrong to say."""


def told(rng: np.random.Generator, border: int, away: float) -> str:
    """The word for a battery that lies ``away`` standard uncertainties off a border of the label."""
    time, volts, current, ah, _ = RUN
    voltage, of_current = meters(rng)
    known = bool(rng.random() < 0.7)
    celsius = rng.uniform(16, 24) if known else rng.uniform(15, 27)
    warm = 0.003 * (celsius - 25) if celsius > 25 else 0.0
    u = math.hypot(AGAIN, math.hypot(of_current.gain, of_current.zero / 10, 0.2 * voltage.gain) / math.sqrt(3), 0.0 if known else 0.01)
    truly = LABEL.charge_ah * border / 100 * (1 + away * u)
    gave = truly * (1 + AGAIN * rng.standard_normal()) * (1 + warm)
    scaled = np.where(time < 600, time, (time - 600) * gave / ah + 600)
    readings = Readings(scaled, shown(rng, volts, voltage, 0.001), shown(rng, current, of_current, 0.002))
    record = DischargeRecord(readings, voltage, of_current, LABEL, Cutoff(11.0, 0.0), celsius if known else None, full="said")
    return analyse(record).verdict.word


@pytest.mark.parametrize("border", [100, 80])
@pytest.mark.parametrize("away", [-2.0, -1.0, -0.1, 0.1, 1.0, 2.0])
def test_a_wrong_word_is_rare(share, border, away):
    """At most 2 %, as the upper end of 95 % of how often it was (Wilson 1927)."""
    rng = np.random.default_rng(round(1000 + border + 10 * away))
    cases = max(int(20_000 * share**2), 120)
    right = _RIGHT[border, 1 if away > 0 else -1] | {"cannot tell"}
    wrong = sum(told(rng, border, away) not in right for _ in range(cases))
    low_share = wrong / cases
    print(f"{border} % {away:+} u: {wrong} of {cases} wrong")
    upper = (low_share + 1.35 / cases + 1.64 * math.sqrt(low_share * (1 - low_share) / cases + 0.68 / cases**2)) / (1 + 2.7 / cases)
    assert upper <= 0.02 or wrong <= 0.02 * cases - 2 * math.sqrt(0.02 * cases) or wrong <= 1


@pytest.mark.parametrize(("away", "word"), [(4.0, MEETS), (-4.0, BELOW)])
def test_four_standard_uncertainties_away_the_word_is_said(share, away, word):
    rng = np.random.default_rng(31)
    cases = max(int(CASES * share), 120)
    said = sum(told(rng, 100, away) == word for _ in range(cases))
    print(f"{said} of {cases} said at {away} u")
    assert said / cases >= 0.9
