"""A kit walked through time: ends, what goes first, where the watt-hours go, hand-overs, what buys time, size."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ubrant.core.outlook.answers import cause_text, idle_wh, jobs, look, size, what_buys_time
from ubrant.core.outlook.draws import draws
from ubrant.core.outlook.duty import DAY_S, Duty, parse_duty
from ubrant.core.outlook.kit import CURRENT, RESISTANCE, SUN, DischargeCurve, Input, Kit, Load, Source, Way, curve_at_rest, with_volts
from ubrant.core.outlook.spread import Uncertain
from ubrant.core.outlook.walk import walk_kit
from ubrant.core.quantities.quantity import QuantityError

PACK = Source("Pack", Uncertain(640.0))
LOAD = Load("load", Uncertain(60.0), way="way")
FLAT = DischargeCurve(np.array([0.0, 1.0]), np.array([12.0, 12.0]), 0.0, Uncertain(0.0))


def kit(*loads: Load, source: Source = PACK, way: Way | None = None, inputs=(), starts_s: float = 0.0) -> Kit:
    return Kit((source,), loads or (LOAD,), (way or Way("way"),), tuple(inputs), starts_s)


def falling(ohm: float = 0.02, cutoff: float = 0.0) -> Source:
    """13.2 V falling to 11 V, 50 Ah."""
    return Source(
        "Pack", Uncertain(50.0), DischargeCurve(np.array([0.0, 0.9, 1.0]), np.array([13.2, 12.4, 11.0]), 0.0, Uncertain(ohm), cutoff)
    )


def hours(of: Kit) -> float:
    found = look(of, 0).runtime_s
    assert found is not None
    return found / 3600


def test_energy_over_what_is_drawn():
    """640 Wh ÷ (60 W ÷ 0.8 + 5 W) = 8 h; with a tenth kept back 7.2 h; with 80 Wh kept back 7 h; with 40 W coming in 16 h."""
    way = Way("way", Uncertain(0.8), Uncertain(5.0))
    assert hours(kit(way=way)) == pytest.approx(8.0)
    assert hours(kit(way=way, source=replace(PACK, usable=0.9))) == pytest.approx(7.2)
    assert hours(kit(way=way, source=replace(PACK, kept_wh=80.0))) == pytest.approx(7.0)
    assert hours(kit(way=way, source=replace(PACK, full=Uncertain(0.5)))) == pytest.approx(4.0)
    assert hours(kit(way=way, inputs=[Input("in", Uncertain(40.0))])) == pytest.approx(16.0)


def test_as_much_in_as_out_is_without_end_and_a_little_less_is_not():
    assert look(kit(inputs=[Input("in", Uncertain(60.0))])).runtime_s is None
    assert look(kit(inputs=[Input("in", Uncertain(60.001))])).runtime_s is None
    assert hours(kit(inputs=[Input("in", Uncertain(59.0))])) == pytest.approx(640.0)


def test_a_day_that_closes_is_without_end_and_one_that_does_not_ends():
    day = Input("panel", Uncertain(100.0), parse_duty("08:00 to 16:00"))
    evening = Load("lamp", Uncertain(100.0), parse_duty("18:00 to 22:00"))
    assert look(kit(evening, inputs=[day])).runtime_s is None
    longer = replace(evening, duty=parse_duty("17:00 to 07:00"))
    assert hours(kit(longer, inputs=[day], starts_s=12 * 3600)) == pytest.approx(5 + 6.4)
    assert look(kit(replace(evening, drawn=Uncertain(150.0)), inputs=[day])).runtime_s is None


def test_what_cannot_be_is_said():
    for made, says in (
        (kit(way=Way("way", Uncertain(1.2))), "up to 100 %"),
        (kit(way=Way("way", Uncertain(0.0))), "above 0"),
        (kit(replace(LOAD, drawn=Uncertain(-1.0))), "cannot be negative"),
        (kit(replace(LOAD, drawn=Uncertain(0.0))), "Nothing is drawn"),
        (kit(replace(LOAD, way="nowhere")), "none of the ways: way"),
        (kit(source=replace(PACK, usable=0.0)), "keep less back"),
        (kit(source=Source("Pack", Uncertain(0.0))), "holds nothing"),
        (kit(inputs=[Input("in", Uncertain(-5.0))]), "cannot be negative"),
        (Kit((), (LOAD,)), "nothing to run from"),
    ):
        with pytest.raises(QuantityError, match=says):
            look(made)


@settings(deadline=None)
@given(st.floats(5, 500), st.floats(0.3, 1.0), st.floats(0, 20), st.floats(0, 0.5), st.floats(0.05, 1.0))
def test_what_goes_in_and_what_is_lost_is_what_the_source_gave(load, efficiency, idle, kept, share):
    made = kit(
        replace(LOAD, drawn=Uncertain(load), duty=Duty((), Uncertain(share))),
        way=Way("way", Uncertain(efficiency), Uncertain(idle)),
        source=replace(PACK, usable=1 - kept),
    )
    looked = look(made, 0)
    assert looked.energy_wh + looked.lost_wh == pytest.approx(640 * (1 - kept), rel=1e-9)
    assert idle_wh(looked) == pytest.approx(idle * looked.runtime_s / 3600)


def test_windows_standby_and_a_way_that_is_off_between():
    """From noon: 100 W from 13 to 15 h, 4 W between, 10 W idle."""
    made = kit(
        Load("projector", Uncertain(100.0), parse_duty("13:00 to 15:00"), standby=Uncertain(4.0), way="way"),
        way=Way("way", Uncertain(1.0), Uncertain(10.0)),
        source=Source("Pack", Uncertain(14 + 2 * 110 + 14)),
        starts_s=12 * 3600,
    )
    assert hours(made) == pytest.approx(4.0)
    off_between = replace(made, loads=(replace(made.loads[0], standby=Uncertain(0.0)),), ways=(replace(made.ways[0], switched=True),))
    first_day = 2 * 110
    assert hours(off_between) == pytest.approx(24 + 1 + (248 - first_day) / 110)


def test_sagging_volts_take_the_inverter_off_before_the_battery_is_empty():
    """At 480 W through 20 mΩ and 20 mΩ of leads the inverter sees about 1.6 V less: it goes off, and thicker leads let it run on."""
    way = Way("inverter", cutoff_v=11.0, lead_ohm=0.02)
    heavy = Load("kettle", Uncertain(480.0), way="inverter")
    looked = look(kit(heavy, source=falling(), way=way), 0)
    assert cause_text(looked.first, looked.middle.kit) == "inverter goes off on sagging volts"
    volts = looked.middle.volts[np.searchsorted(looked.middle.time_s, looked.runtime_s) - 1, 0]
    assert volts - 480 / volts * 0.02 == pytest.approx(11.0, abs=0.05)
    thick = kit(heavy, source=falling(), way=replace(way, lead_ohm=0.008))
    assert hours(thick) > looked.runtime_s / 3600
    assert any("section to inverter" in name for name, _ in what_buys_time(kit(heavy, source=falling(), way=way)))


def test_a_start_takes_it_down_where_the_run_would_not():
    way = Way("inverter", cutoff_v=11.0)
    calm = Load("pump", Uncertain(60.0), parse_duty("00:00 to 01:00, 06:00 to 07:00, 11:00 to 12:00"), way="inverter")
    started = replace(calm, start_w=900.0)
    quiet, rough = (look(kit(one, source=falling(0.03), way=way), 0) for one in (calm, started))
    assert quiet.first.kind == "sags"
    assert rough.runtime_s < quiet.runtime_s
    clock = [s % DAY_S / 3600 for s in (rough.runtime_s,)]
    assert min(abs(clock[0] - at) for at in (0, 6, 11, 24)) < 0.01


def test_a_load_over_a_rating_does_not_run():
    looked = look(kit(way=Way("way", max_w=50.0)))
    assert (looked.runtime_s, looked.first.kind, looked.first.name) == (0.0, "too much", "way")
    assert look(kit(replace(LOAD, start_w=400.0), way=Way("way", max_w=80.0, surge_w=300.0)), 0).runtime_s == 0.0
    assert look(kit(replace(LOAD, start_w=200.0), way=Way("way", max_w=80.0, surge_w=300.0)), 0).runtime_s > 0
    assert look(kit(source=replace(PACK, max_w=50.0)), 0).first.kind == "too much"


def test_a_battery_cuts_off_on_its_own_volts_and_a_load_gives_up():
    own = look(kit(replace(LOAD, way=""), source=falling(0.02, 12.0)), 0)
    assert (own.first.kind, own.first.name) == ("cut-off", "Pack")
    router = look(kit(Load("router", Uncertain(60.0), gives_up_v=12.0), source=falling()), 0)
    assert (router.first.kind, router.first.name) == ("gives up", "router")
    assert router.runtime_s == pytest.approx(own.runtime_s, rel=1e-3)


def test_resistive_loads_follow_the_volts_and_supplies_do_not():
    """At 6 V a 12 V lamp of 60 W draws 15 W, one of 5 A 30 W, and a supply 60 W."""
    half = DischargeCurve(np.array([0.0, 1.0]), np.array([6.0, 6.0]), 0.0, Uncertain(0.0))
    source = Source("Pack", Uncertain(10.0), half)
    found = [
        hours(kit(one, source=source))
        for one in (
            Load("lamp", Uncertain(60.0), kind=RESISTANCE, at_v=12.0),
            Load("fan", Uncertain(5.0), kind=CURRENT),
            Load("radio", Uncertain(60.0)),
        )
    ]
    assert found == pytest.approx([4.0, 2.0, 1.0])


def test_sources_hand_over_in_their_order_and_a_swap_takes_time():
    spare = Source("Spare", Uncertain(300.0), swap_s=600.0)
    two = Kit((PACK, spare), (Load("load", Uncertain(60.0)),))
    looked = look(two, 0)
    assert looked.runtime_s / 3600 == pytest.approx((640 + 300) / 60 + 600 / 3600)
    assert looked.middle.down_s[0] == pytest.approx(600.0)
    ((at, name),) = looked.middle.hand_overs
    assert name == "Spare"
    assert at / 3600 == pytest.approx(640 / 60)
    assert looked.first.name == "Spare"


def test_the_gentler_and_the_harder_than_measured():
    """Peukert about the rate it was measured at: at twice the rate 2^(1−k) of it comes out; far gentler, no more than at a fifth."""
    source = Source("Pack", Uncertain(10.0), FLAT, exponent=Uncertain(1.2), rate=1.0)
    assert hours(kit(Load("x", Uncertain(24.0)), source=source)) == pytest.approx(5 / 2**0.2)
    a_fifth, far_gentler = (hours(kit(Load("x", Uncertain(12.0 * f)), source=source)) * f for f in (0.2, 0.02))
    assert a_fifth == pytest.approx(far_gentler)
    assert a_fifth == pytest.approx(10 * 5**0.2)
    wide = replace(source, exponent=Uncertain(1.2, 0.0, 1.1, 1.3))
    looked = look(kit(Load("x", Uncertain(60.0)), source=wide))
    assert looked.low_s / 3600 == pytest.approx(2 / 5**0.3, rel=0.02)
    assert looked.high_s / 3600 == pytest.approx(2 / 5**0.1, rel=0.02)


def test_charging_is_stored_at_a_share_and_tapers_near_full():
    day = Input("in", Uncertain(100.0), parse_duty("00:00 to 02:00"))
    tiny = Load("x", Uncertain(1e-9))
    stored = walk_kit(kit(tiny, source=replace(PACK, full=Uncertain(0.1), stored=0.8), inputs=[day]), step_s=60, horizon_s=7200)
    assert 640 * (stored.left[-1, 0] - 0.1) == pytest.approx(0.8 * 200)
    tapering = walk_kit(kit(tiny, source=replace(PACK, full=Uncertain(0.8), taper_from=0.8), inputs=[day]), step_s=60, horizon_s=7200)
    assert 640 * (tapering.left[-1, 0] - 0.8) == pytest.approx(128 * (1 - math.exp(-200 / 128)), rel=0.02)


def test_what_comes_in_is_held_to_its_circuit():
    assert hours(kit(inputs=[Input("charger", Uncertain(500.0), limit_w=30.0)])) == pytest.approx(640 / 30)


def test_what_buys_time_is_sorted_and_true():
    """Straight from it 9.6 h in place of 7.2; nothing kept back 8 h; a tenth less of a load 0.9 × 60 W."""
    made = kit(way=Way("way", Uncertain(0.8), Uncertain(5.0)), source=replace(PACK, usable=0.9))
    gains = what_buys_time(made, most=9)
    assert [g for _, g in gains] == sorted((g for _, g in gains), reverse=True)
    by_name = {name: gained / 3600 for name, gained in gains}
    assert by_name["load straight from the source"] == pytest.approx(9.6 - 7.2)
    assert by_name["nothing kept back"] == pytest.approx(0.8)
    assert by_name["load 10 % smaller"] == pytest.approx(576 / (54 / 0.8 + 5) - 7.2)
    assert by_name["20 W more coming in"] == pytest.approx(576 / 60 - 7.2)
    assert len(what_buys_time(made)) == 3
    assert not any("guess" in name for name, _ in what_buys_time(kit(replace(LOAD, name="guess", guessed=True)), most=9))
    assert what_buys_time(kit(inputs=[Input("in", Uncertain(60.0))])) == []


def test_size_is_the_runtime_turned_round():
    made = kit(way=Way("way", Uncertain(0.8), Uncertain(5.0)), source=replace(PACK, usable=0.9))
    assert size(made, 7.2 * 3600).needed_wh == pytest.approx(640.0, rel=1e-9)
    doubted = replace(made, sources=(replace(PACK, usable=0.9, capacity=Uncertain(640.0, 0.0, 416.0, 640.0)),))
    found = size(doubted, 7.2 * 3600, 0.9)
    assert found.needed_wh == pytest.approx(640.0, rel=1e-9)
    assert found.confident_wh == pytest.approx(640 / (0.65 + 0.35 * 0.1), rel=0.02)
    assert size(kit(inputs=[Input("in", Uncertain(60.0))]), 3600).needed_wh == 0
    assert "more is asked of way" in size(kit(way=Way("way", max_w=50.0)), 3600).why_not
    with pytest.raises(QuantityError, match="for how long"):
        size(made, 0.0)


def test_jobs_of_a_charge():
    """512 usable Wh through 88 % at 45 Wh each."""
    value, low, high = jobs(kit(source=replace(PACK, usable=0.8)), Uncertain(45.0), Way("w", Uncertain(0.88)))
    assert value == low == high == pytest.approx(512 * 0.88 / 45)
    assert jobs(kit(source=replace(PACK, kept_wh=100.0)), Uncertain(45.0))[0] == pytest.approx(12.0)


def test_a_band_holds_what_is_in_doubt_and_only_that():
    assert look(kit()).drawn_s.size == 0
    looked = look(kit(source=replace(PACK, capacity=Uncertain(640.0, 0.0, 416.0, 640.0))), 2000)
    assert looked.runtime_s / 3600 == pytest.approx(640 / 60)
    assert looked.low_s / 3600 == pytest.approx((416 + 0.05 * 224) / 60, rel=0.01)
    assert looked.high_s == looked.runtime_s
    assert looked.chance(8 * 3600) == pytest.approx((640 - 480) / 224, abs=0.04)
    cycling = look(kit(replace(LOAD, duty=parse_duty("10 of 60 min"))), 2000)
    assert cycling.high_s - cycling.runtime_s == pytest.approx(2 * 25 * 60 * 0.68, rel=0.15)


def test_draws_are_the_same_for_the_same_seed_and_never_below_nothing():
    made = kit(replace(LOAD, drawn=Uncertain(1.0, 2.0)), source=replace(PACK, capacity=Uncertain(640.0, 20.0)))
    first, second = draws(made, 500), draws(made, 500)
    assert (first.load == second.load).all()
    assert first.load.min() >= 0


def test_a_label_gets_the_volts_of_its_kind_and_keeps_its_watt_hours():
    source = replace(PACK, nominal_v=12.8, chemistry="lifepo4", series=4)
    found = with_volts(source)
    assert found.energy_wh == pytest.approx(640.0)
    assert 12.8 < found.mean_v < 13.2
    assert with_volts(PACK) is None
    assert curve_at_rest("nimh", 10, Uncertain(0.1)) is None


def test_a_sun_that_sets_over_midnight_and_a_recorded_day():
    night = Input("x", Uncertain(10.0), parse_duty("22:00 to 02:00"))
    assert night.at(np.array([23 * 3600.0, 3600.0, 3 * 3600.0])).tolist() == [1.0, 1.0, 0.0]
    sun = Input("x", Uncertain(10.0), parse_duty("06:00 to 18:00"), SUN)
    assert sun.at(np.array([12 * 3600.0, 9 * 3600.0])) == pytest.approx([1.0, math.sqrt(0.5)])
    day = Input("x", Uncertain(40.0), shape="recorded", record=(np.array([0.0, 3600.0]), np.array([0.0, 40.0])))
    assert day.at(np.array([1800.0])) == pytest.approx([0.5])


def test_a_fuse_opens_on_what_lasts_and_lets_a_start_pass():
    """300 W at about 12.5 V is 24 A: a fuse of 20 A opens at once, one of 30 A holds, also over a start of 600 W."""
    heavy = Load("kettle", Uncertain(300.0), way="inverter")
    for amps, kind in ((20.0, "opens"), (30.0, "empty")):
        looked = look(kit(heavy, source=falling(), way=Way("inverter", fuse_a=amps)), 0)
        assert looked.first.kind == kind
    assert look(kit(replace(heavy, start_w=600.0), source=falling(), way=Way("inverter", fuse_a=30.0)), 0).first.kind == "empty"
    assert cause_text(look(kit(heavy, source=falling(), way=Way("inverter", fuse_a=20.0)), 0).first, kit()) == "the fuse of inverter opens"


def test_what_comes_and_goes_loses_more_inside_the_battery_than_its_mean():
    """48 W for half of the time from 12 V and 0.2 Ω draws 4.31 A while on, 2.155 A on average; 24 W all the time only 2.071 A: algebra."""
    flat = DischargeCurve(np.array([0.0, 1.0]), np.array([12.0, 12.0]), 0.0, Uncertain(0.2))
    looked = look(kit(Load("x", Uncertain(48.0), parse_duty("50 %")), source=Source("Pack", Uncertain(20.0), flat)), 0)
    on_a = (12 - math.sqrt(144 - 4 * 0.2 * 48)) / 0.4
    assert looked.runtime_s / 3600 == pytest.approx(20 / (on_a / 2), rel=0.01)


def test_a_larger_battery_sags_less_by_as_much():
    """Twice the cells side by side: half the resistance, so at twice the watts it ends at the same hour, and the size says so."""
    way = Way("inverter", cutoff_v=11.5)
    one = look(kit(Load("x", Uncertain(150.0), way="inverter"), source=falling(0.08), way=way), 0)
    both = kit(Load("x", Uncertain(300.0), way="inverter"), source=falling(0.08), way=way)
    assert one.first.kind == "sags"
    found = size(both, one.runtime_s)
    assert found.needed_wh == pytest.approx(2 * falling().energy_wh, rel=5e-3)


def test_an_engine_always_at_the_alarm_or_never():
    """60 W from 640 Wh; an engine of 200 W: never, 10.7 h; from the start or from 30 % left on, without end; one of 40 W from 30 % left on only puts it off."""
    engine = Input("engine", Uncertain(200.0))
    assert hours(kit()) == pytest.approx(640 / 60)
    assert look(kit(inputs=[engine])).runtime_s is None
    assert look(kit(inputs=[replace(engine, starts_at=0.3)]), 0).runtime_s is None
    weak = kit(inputs=[Input("engine", Uncertain(40.0), starts_at=0.3)])
    assert hours(weak) == pytest.approx(0.7 * 640 / 60 + 0.3 * 640 / 20, rel=0.02)
    shortly = walk_kit(kit(inputs=[Input("engine", Uncertain(200.0), starts_at=0.3, until=0.5)]), step_s=60.0, horizon_s=86400.0)
    after = shortly.left[np.argmax(shortly.left[:, 0] < 0.3) :, 0]
    assert 0.49 < float(after.max()) < 0.52


def test_a_curve_that_was_measured_under_load_stands_for_that_load():
    """12 V at 5 A by its discharge; 60 W draw 5 A at 12 V, whatever its resistance."""
    measured = DischargeCurve(np.array([0.0, 1.0]), np.array([12.0, 12.0]), 5.0, Uncertain(0.05))
    straight = kit(Load("load", Uncertain(60.0)), source=Source("Pack", Uncertain(50.0), measured))
    assert walk_kit(straight).volts[1:4, 0] == pytest.approx(12.0, abs=1e-3)
