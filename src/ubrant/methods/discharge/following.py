"""While a discharge goes on: where it is heading by what was expected of it, and whether it leaves that."""

from __future__ import annotations

import numpy as np

from ubrant.methods.discharge.deviation import leaves_expected
from ubrant.methods.discharge.forecast import Forecast, forecast, running_charge, thinned
from ubrant.methods.discharge.sums import Discharge, DischargeRecord
from ubrant.methods.rehearsal import Rehearsal


def forecast_of(data: DischargeRecord, expected: Rehearsal | None) -> Forecast | None:
    """Where it is heading; None while too little has flowed."""
    if expected is None or expected.load_on_s is None or not expected.until_s or not len(data.readings):
        return None
    part, model = thinned(data.readings), expected.readings
    so_far, foreseen = running_charge(part), running_charge(model)
    usual = float(np.median(part.current_a[part.current_a > 0])) if (part.current_a > 0).any() else 0.0
    under_load = part.current_a > 0.5 * usual
    in_model = (model.time_s >= expected.load_on_s) & (model.time_s <= expected.load_on_s + expected.until_s[0])
    return forecast(so_far[under_load], part.voltage_v[under_load], foreseen[in_model], model.voltage_v[in_model], usual)


def deviation_of(data: DischargeRecord, discharge: Discharge, expected: Rehearsal | None) -> str:
    """A sentence where it leaves its expected curve; empty while it does not."""
    if expected is None or expected.load_on_s is None or not expected.until_s or data.widths is not None or not len(data.readings):
        return ""
    part, model = thinned(data.readings, 4000), expected.readings
    under_load = part.time_s >= discharge.load_on_s
    in_model = (model.time_s >= expected.load_on_s) & (model.time_s <= expected.load_on_s + expected.until_s[0])
    if under_load.sum() < 10 or in_model.sum() < 5:
        return ""
    first, expected_first = int(np.argmax(under_load)), int(np.argmax(in_model))
    so_far, foreseen = running_charge(part), running_charge(model)
    return leaves_expected(
        so_far[under_load] - so_far[first],
        part.voltage_v[under_load],
        foreseen[in_model] - foreseen[expected_first],
        model.voltage_v[in_model],
    )
