"""Is what then happens inside the band? Random kits on the bench's own pack, the outlook given measured figures only; and old overconfidence."""

from __future__ import annotations

import numpy as np
import pytest

from tests.trust.random_kits import becomes_of, random_kit
from ubrant.core.outlook.answers import look
from ubrant.core.outlook.kit import DischargeCurve, Kit, Load, Source, exponent_of
from ubrant.core.outlook.spread import Uncertain


@pytest.mark.parametrize(("like_measured", "inside"), [(True, (0.86, 0.94)), (False, (0.86, 0.98))])
def test_what_happens_lies_in_the_band(like_measured, inside, share):
    """90 % bands over random packs, losses, duties and inputs; at the rate the battery was measured at, and at others."""
    cases, rng = (400, np.random.default_rng(20)) if share == 1.0 else (14, np.random.default_rng(20))
    within, off = 0, []
    for _ in range(cases):
        kit, truth, _ = random_kit(rng, like_measured=like_measured)
        hours = becomes_of(truth, rng)
        looked = look(kit, 300)
        within += looked.low_s <= hours * 3600 <= looked.high_s
        off.append(abs(hours * 3600 / looked.runtime_s - 1))
    print(f"like measured {like_measured}: {within} of {cases} inside, median error {100 * np.median(off):.2f} %")
    room = 0.0 if cases == 400 else 0.12
    assert inside[0] - room <= within / cases <= min(inside[1] + room, 1.0)
    assert np.median(off) < 0.03


def test_a_small_battery_at_a_power_far_over_what_it_was_measured_at_is_no_longer_too_sure():
    """7 Ah lead-acid measured at its 20-hour rate, then asked for 60 W: the band has to be wide."""
    share = np.linspace(0, 1, 30)
    curve = DischargeCurve(share, 12.7 - 2.2 * share**3, 0.35, Uncertain(0.04, 0.0, 0.02, 0.06), 10.5)
    source = Source("block", Uncertain(7.0, 0.05), curve, exponent=exponent_of("lead-acid", beside_sag=True), rate=0.35)
    looked = look(Kit((source,), (Load("load", Uncertain(60.0)),)))
    assert looked.high_s - looked.low_s > 0.15 * looked.runtime_s
    assert looked.high_s < 3600 * 7 * 12.7 / 60
