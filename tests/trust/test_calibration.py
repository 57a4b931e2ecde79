"""Is the truth inside what is stated? Families and seeds were fixed before the results were seen; meters are wrong uniformly within their limits."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.trials import CASES, meters, shown, trial
from tests.trust.making import FULL_OCV
from ubrant.core.battery.resistance import resistance_findings
from ubrant.core.battery.verdict import BELOW, SPENT
from ubrant.core.conversion.idle import idle_findings
from ubrant.core.conversion.sweep import analyse_sweep
from ubrant.core.conversion.waveform import analyse_wave
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.quantities.label import parse_label
from ubrant.core.quantities.readings import Readings, Series
from ubrant.core.record.counters import counted, counted_finding
from ubrant.core.record.cutoff import Cutoff
from ubrant.core.record.head import LOG, Conditions, Criteria, Origin, RunHeader, Setup
from ubrant.core.record.points import SweepMeters, points_of
from ubrant.core.record.record import record_of
from ubrant.core.sources.capacitor import Discharged, analyse_capacitor
from ubrant.core.uncertainty.decision import COMMON_SHARE
from ubrant.core.uncertainty.value import wrong_by
from ubrant.methods.discharge.sums import DischargeRecord, analyse
from ubrant.methods.registry import method_of

LABEL = parse_label("50 Ah 12.8 V LiFePO4")


def pack(rng, ah, amps, every, *, start=1.0, pulses=0.0, rest_s=600.0, celsius=20.0):
    """True (s, V, A) of a discharge by the second, thinned to what a meter reads; true Ah and s to 11 V."""
    ohm = rng.uniform(0.01, 0.03)
    capacity = ah * (1 + 0.003 * (min(celsius, 25) - 25 if celsius > 25 else 0.0))
    span = int(1.6 * capacity / amps * 3600 / (1 - pulses) + rest_s)
    time = np.arange(0.0, span, 1.0)
    period = every * rng.uniform(12, 40)
    on = (time >= rest_s) & ((time - rest_s) % period < (1 - pulses) * period)
    current = np.where(on, amps, 0.0)
    soc = start - np.cumsum(current) / 3600 / capacity
    volts = np.interp(soc, *FULL_OCV) - ohm * current
    at = int(np.argmax((volts <= 11.0) & on))
    true_ah, true_s = float(current[:at].sum()) / 3600, float(np.count_nonzero(on[:at]))
    keep = slice(int(rng.integers(0, every)), min(at + 200, span), every)
    return time[keep], volts[keep], current[keep], true_ah, true_s


def discharged(rng, **more):
    amps = rng.uniform(4, 20)
    every = int(rng.choice([10, 20, 30, 60]))
    time, volts, current, ah, on_s = pack(rng, rng.uniform(35, 60), amps, every, **more)
    voltage, of_current = meters(rng)
    record = DischargeRecord(
        Readings(time, shown(rng, volts, voltage, 0.001), shown(rng, current, of_current, 0.002)),
        voltage,
        of_current,
        LABEL,
        Cutoff(11.0, 0.0),
        20.0,
        checked=("share", "still", "held", "rate"),
    )
    return analyse(record), ah, on_s


def test_steady_discharges(share):
    def draw(rng):
        found, ah, on_s = discharged(rng)
        said = found.findings
        return {"charge": (said["charge"].value - ah, said["charge"]), "duration": (said["duration"].value - on_s, said["duration"])}

    trial("steady", draw, share)


def test_pulsed_discharges(share):
    def draw(rng):
        found, ah, on_s = discharged(rng, pulses=rng.uniform(0.25, 0.5))
        said = found.findings
        return {"charge": (said["charge"].value - ah, said["charge"]), "duration": (said["duration"].value - on_s, said["duration"])}

    trial("pulsed", draw, share)


def test_logs_that_start_late_are_bounds(share):
    """What is called *at least* is less than the truth, but for the ±."""
    rng = np.random.default_rng(11)
    broken = 0
    cases = max(int(CASES * share), 60)
    for _ in range(cases):
        time, volts, current, ah, _ = pack(rng, rng.uniform(35, 60), rng.uniform(4, 20), 30)
        late = time > rng.uniform(700, 8000)
        voltage, of_current = meters(rng)
        readings = Readings(time[late], shown(rng, volts[late], voltage, 0.001), shown(rng, current[late], of_current, 0.002))
        found = analyse(DischargeRecord(readings, voltage, of_current, LABEL, Cutoff(11.0, 0.0), 20.0, checked=("share",)))
        charge = found.findings["charge"]
        broken += charge.value - charge.expanded_uncertainty > ah
        assert found.verdict.word not in {BELOW, SPENT}
    assert broken / cases < 0.05


def test_resistance_at_steps(share):
    """ΔV ÷ ΔI of a pure resistance, by meters that are wrong; many steps."""

    def draw(rng):
        ohm = rng.uniform(0.01, 0.2)
        amps = np.tile(np.repeat([2.0, 8.0], 40), 12)
        time = np.arange(len(amps), dtype=float)
        voltage, current = meters(rng)
        volts = 13.0 - 2e-5 * time - ohm * amps
        readings = Readings(time, shown(rng, volts, voltage, 5e-4), shown(rng, amps, current, 2e-3))
        found = {f.key: f for f in resistance_findings(readings, 0.0, voltage, current)}
        return {key: (f.value - ohm, f) for key, f in found.items() if f.unit == "Ω"}

    trial("steps", draw, share)


def test_bursty_idle_draws(share):
    def draw(rng):
        period, base, high = rng.uniform(60, 300), rng.uniform(0.1, 0.5), rng.uniform(2, 6)
        on = rng.uniform(0.1, 0.5)
        time = np.arange(0, 12 * period, 2.0)
        amps = np.where((time + rng.uniform(0, period)) % period < on * period, high, base)
        voltage, current = meters(rng)
        true_w = 12.8 * (base + on * (high - base))
        found, _ = idle_findings(
            shown(rng, np.full(len(time), 12.8), voltage, 0.002), shown(rng, amps, current, 0.003), voltage, current, time_s=time
        )
        return {"idle": (found["idle_power"].value - true_w, found["idle_power"])}

    trial("bursty", draw, share, low=0.7)


@pytest.mark.parametrize("locked", [True, False])
@pytest.mark.parametrize("periods", [3.5, 6.0, 12.0])
def test_bursts_of_a_reading_or_three(share, periods, locked):
    """Where a period is so many readings, each burst falls alike between them, and no scatter shows that."""
    every = 2.0

    def draw(rng):
        period = (int(rng.integers(10, 40)) if locked else rng.uniform(10, 40)) * every
        base, high, on = rng.uniform(0.1, 0.5), rng.uniform(2, 6), rng.uniform(1.0, 3.5) * every / period
        time = np.arange(0, periods * period, every)
        amps = np.where((time + rng.uniform(0, period)) % period < on * period, high, base)
        voltage, current = meters(rng)
        volts = shown(rng, np.full(len(time), 12.8), voltage, 0.002)
        found, _ = idle_findings(volts, shown(rng, amps, current, 0.003), voltage, current, time_s=time)
        return {"idle": (found["idle_power"].value - 12.8 * (base + on * (high - base)), found["idle_power"])}

    trial(f"short bursts {periods} {locked}", draw, share, low=0.6)


@pytest.mark.parametrize("cuts", [True, False])
def test_counters_that_begin_at_nothing(share, cuts):
    """One that cuts its digits off shows half a digit too little, and nothing at its start takes that away."""

    def draw(rng):
        digit, gain = float(rng.choice([0.001, 0.01, 0.1])), rng.uniform(0.0, 0.01)
        true = rng.uniform(20, 80) * digit
        ends = np.array([0.0, 0.5, 1.0]) * true * (1 + rng.uniform(-1, 1) * gain)
        kept = np.floor(ends / digit) if cuts else np.round(ends / digit)
        count = counted(Series(np.array([0.0, 1.0, 2.0]), kept * digit), np.full(3, digit / 2))
        found = counted_finding(count, "Ah", wrong_by(Accuracy(gain, 0.0, "A"), true, 0.0))
        return {"counter": (found.value - true, found)}

    trial(f"counters from nothing {cuts}", draw, share, low=0.5)


@pytest.mark.parametrize(("readings", "by_hand"), [(6, True), (12, True), (30, True), (10, False), (60, False)])
def test_farads_on_a_resistor(share, readings, by_hand):
    """Its current falls off exponentially from one reading to the next: few of them are no reason for a wide ±."""

    def draw(rng):
        farads, ohm = rng.uniform(1, 50), rng.uniform(5, 20)
        inner_ohm = rng.uniform(0.001, 0.01) * ohm
        tau = farads * (ohm + inner_ohm)
        time = np.linspace(0, 1.2 * tau, readings)
        amps = 5.0 * np.exp(-time / tau) / (ohm + inner_ohm)
        voltage, current = Accuracy(0.003, 0.002, "V"), Accuracy(0.008, 0.002, "A")
        volts = np.round(shown(rng, np.concatenate(([5.0], amps * ohm)), voltage, 0.0), 2)
        amps = np.round(shown(rng, np.concatenate(([0.0], amps)), current, 0.0), 3)
        written = np.round(time + rng.uniform(-0.5, 0.5, readings)) if by_hand else time
        half = {"V": np.full(readings + 1, 0.005), "A": np.full(readings + 1, 0.0005)}
        made = Discharged(np.concatenate(([-5.0], written)), volts, amps, voltage, current, half, None, by_hand)
        found = analyse_capacitor(made)["capacitance"]
        return {"farads": (found.value - farads, found)}

    trial(f"farads {readings} {by_hand}", draw, share, low=0.8)


def test_counters_that_cut_digits_off(share):
    def draw(rng):
        digit = float(rng.choice([0.001, 0.01, 0.1]))
        true = rng.uniform(20, 80) * digit
        start = rng.uniform(0, 100) * digit
        gain = rng.uniform(0.0, 0.01)
        factor = 1 + rng.uniform(-1, 1) * gain
        ends = np.array([start, start + true * factor / 2, start + true * factor])
        series = Series(np.array([0.0, 1.0, 2.0]), np.floor(ends / digit) * digit)
        found = counted_finding(counted(series, np.full(3, digit / 2)), "Ah", wrong_by(Accuracy(gain, 0.0, "A"), true, 0.0))
        return {"counter": (found.value - true, found)}

    trial("counters", draw, share)


@pytest.mark.parametrize(("bits", "most_noise"), [(None, 0.01), (8, 0.01), (8, 0.001), (7, 0.001)])
def test_waves(share, bits, most_noise):
    """A scope of eight bits rounds to 3 V of 325; where there is less noise than that, each cycle is rounded alike and a mean of them is no better."""

    def draw(rng):
        hertz, cycles, n = rng.uniform(49, 51), rng.uniform(3.2, 9.5), 2000
        noise = rng.uniform(0.1, 1.0) * most_noise
        size = {1: 325.0} | {k: 325 * rng.uniform(0.005, 0.03) for k in (2, 3, 5, 7, 9, 11)}
        phase = {k: rng.uniform(0, 2 * math.pi) for k in size}

        def wave(time):
            return sum(a * np.sin(2 * math.pi * k * hertz * time + phase[k]) for k, a in size.items())

        time = np.linspace(0, cycles / hertz, n)
        volts = wave(time) + rng.normal(0, 325 * noise, n)
        step = 800 / 2**bits if bits else 1e-9
        found = analyse_wave(time, np.round(volts / step) * step, Accuracy(0.01, 0.0, "V")).findings
        one = wave(np.linspace(0, 1 / hertz, 20_000, endpoint=False))
        thd = 100 * math.sqrt(sum(a**2 for k, a in size.items() if k > 1)) / 325
        crest = float(np.abs(one).max()) / math.sqrt(float((one**2).mean()))
        truth = {"thd": thd, "thd_40": thd, "crest_factor": crest, "frequency": hertz}
        return {key: (found[key].value - true, found[key]) for key, true in truth.items()}

    trial("waves" if bits is None else f"waves {bits} {most_noise}", draw, share, low=0.85 if bits is None else 0.5)


@pytest.mark.parametrize(("loads", "one_meter"), [(5, False), (8, False), (5, True), (8, True)])
def test_sweeps_by_hand(share, loads, one_meter):
    """Losses that are no quadratic either; one meter that is moved keeps its gains but for a little, which is different in each place."""

    def draw(rng):
        rated = rng.uniform(10, 200)
        out_v, in_v = float(rng.choice([5.0, 12.0, 19.0])), 12.8
        fixed, slope, bent, odd = (
            rated * rng.uniform(0.005, 0.03),
            rng.uniform(0.03, 0.1),
            rng.uniform(0.02, 0.1) / rated,
            rng.uniform(-0.01, 0.01),
        )
        watts = rated * np.concatenate(([0.0], np.linspace(0.1, 1.0, loads - 1)))
        into = watts + fixed + slope * watts + bent * watts**2 + odd * watts * (watts / rated) ** 0.5
        gains = {
            k: Accuracy(rng.uniform(0.001, 0.008), 0.0005 * full, u, meter="one")
            for k, full, u in (("v", in_v, "V"), ("a", rated / in_v, "A"))
        }
        others = (
            gains
            if one_meter
            else {k: Accuracy(rng.uniform(0.001, 0.008), 0.0005 * full, u) for k, full, u in (("v", out_v, "V"), ("a", rated / out_v, "A"))}
        )

        def wrong(accuracy, values, gain):
            return values * (1 + gain) + rng.uniform(-1, 1) * accuracy.zero + rng.normal(0, 1e-4 * values.max(), len(values))

        gain = {k: rng.uniform(-1, 1) * gains[k].gain for k in "va"}
        moved = {k: gain[k] + 0.25 * rng.uniform(-1, 1) * gains[k].gain if one_meter else rng.uniform(-1, 1) * others[k].gain for k in "va"}
        points = points_of(
            wrong(gains["v"], np.full(loads, in_v), gain["v"]),
            wrong(gains["a"], into / in_v, gain["a"]),
            wrong(others["v"], np.full(loads, out_v), moved["v"]),
            wrong(others["a"], watts / out_v, moved["a"]),
        )
        out = [gains[k].moved_to("output") for k in "va"] if one_meter else [others[k] for k in "va"]
        found = analyse_sweep(points, SweepMeters(gains["v"], gains["a"], *out)).findings
        at = loads // 2
        pairs = {f"efficiency {at}": (found[f"efficiency_{at}"].value - 100 * watts[at] / into[at], found[f"efficiency_{at}"])}
        pairs["idle"] = (found["idle_power"].value - fixed, found["idle_power"])
        return pairs

    trial(f"sweep of {loads}{' by one meter' if one_meter else ''}", draw, share)


@pytest.mark.parametrize("meters_used", [1, 2])
def test_peukert_by_one_meter_and_by_two(share, meters_used):
    """Two or three runs of a block that follows the law, its voltage a curve of its own; the gain of one meter for all of them is one."""
    method = method_of("discharge")
    block = Unit("Block", "battery", "12 V 45 Ah lead-acid, 20 h rate, to 10.5 V")

    def draw(rng):
        k, capacity = rng.uniform(1.05, 1.3), rng.uniform(36, 48)
        accuracies = [(Accuracy(rng.uniform(0.0005, 0.003), 0.005, "V"), Accuracy(rng.uniform(0.003, 0.015), 0.01, "A")) for _ in "ab"]
        gains = [[(rng.uniform(-1, 1) * a.gain, rng.uniform(-1, 1) * a.zero) for a in pair] for pair in accuracies]
        records = []
        for number, amps in enumerate(rng.uniform(2.5, 4.0) * np.array([1.0, 2.2, 5.0])[: rng.integers(2, 4)]):
            which = number % meters_used
            (voltage, current), ((gain_v, zero_v), (gain_a, zero_a)) = accuracies[which], gains[which]
            linear = 0.25 * rng.uniform(-1, 1) * current.gain
            end = 3600 * 20 * (capacity / (amps * 20)) ** k * (1 + COMMON_SHARE * rng.standard_normal())
            time = np.linspace(0, 1.04 * end, 900)
            spent = time / end
            volts = 12.6 - 0.7 * spent - 1.4 * spent**10 - 0.01 * amps
            volts += 10.5 - (12.6 - 0.7 - 1.4 - 0.01 * amps)
            meter = Meter(
                f"Meter {which}",
                f"{100 * voltage.gain:.9f} % + {voltage.zero} V",
                f"{100 * current.gain:.9f} % + {current.zero} A",
                id=which + 1,
            )
            at = time + 600
            shown_v = np.concatenate(([13.1, 13.1], volts)) * (1 + gain_v) + zero_v
            shown_a = np.concatenate(([0.0, 0.0], np.full(len(time), amps))) * (1 + gain_a + linear) + zero_a
            at = np.concatenate(([0.0, 599.0], at))
            noise = rng.normal(0, 1e-3, (2, len(at)))
            head = RunHeader(
                "discharge", Setup(block, {"battery": meter}), {}, Criteria(Cutoff(10.5, 0.0)), Conditions(20.0, full=True), Origin(LOG)
            )
            records.append(
                record_of(head, {("battery", "V"): Series(at, shown_v + noise[0]), ("battery", "A"): Series(at, shown_a + noise[1])})
            )
        mine, *others = [(record, method.account(record)) for record in records]
        found = method.study(mine[1], mine[0], lambda: others).findings
        return {
            "k": (found["peukert"].value - k, found["peukert"]),
            "rated": (found["rated_capacity"].value - capacity, found["rated_capacity"]),
        }

    trial(f"peukert by {meters_used}", draw, share)
