"""A run held against itself: what is known and how, what does not fit and what slip it was, what would tell."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest

from tests.core.network.benches import DIGITS, SETUPS, bench, whole
from ubrant.core.network.graph import BATTERY, CHARGER, INPUT, LOAD, OUTPUT, graph_of
from ubrant.core.network.moment import How, Read
from ubrant.core.network.whole import Whole
from ubrant.core.quantities.accuracy import Accuracy

FINE = {"V": Accuracy(0.002, 0.005, "V"), "A": Accuracy(0.005, 0.01, "A"), "W": Accuracy(0.01, 0.2, "W")}


def read(graph, *moments):
    """Each moment as {(place, quantity): shown}."""
    readings = tuple(Read(m, key, value, DIGITS[key[1]], FINE[key[1]]) for m, one in enumerate(moments) for key, value in one.items())
    return Whole(graph, readings, tuple(f"row {m + 1}" for m in range(len(moments))))


NODE = graph_of({CHARGER, BATTERY, LOAD})
INVERTER = graph_of({BATTERY, OUTPUT}, {OUTPUT}, rating_w=300.0)


@pytest.mark.parametrize(
    ("slip", "said"),
    [
        ({LOAD: 10.0}, "is load 10 A ten times what was there?"),
        ({LOAD: 1000.0}, "a thousand times what was there?"),
        ({LOAD: 0.1}, "is load 0.1 A a tenth what was there?"),
        ({BATTERY: -1.0}, "does battery 1 A flow the other way round?"),
        ({LOAD: 41.3}, "were two digits of load 41.3 A turned round: 14.3 A?"),
    ],
)
def test_a_slip_is_named_where_it_is_the_only_one_that_explains_it(slip, said):
    shown = {CHARGER: 2.0, BATTERY: -1.0, LOAD: 1.0} if slip != {LOAD: 41.3} else {CHARGER: 15.3, BATTERY: -1.0, LOAD: 1.0}
    found = read(NODE, {(p, "A"): v * slip.get(p, 1.0) for p, v in shown.items()})
    (misfit,) = found.misfits
    assert misfit.sentence.endswith(said), misfit.sentence
    assert "do not add up" in misfit.sentence
    assert "A are left over" in misfit.sentence


def test_where_two_slips_would_do_it_is_asked_and_not_guessed():
    """100 W of 12.5 V × 0.8 A: ten times in the watts, a tenth in the amperes or the volts."""
    (misfit,) = read(graph_of({BATTERY}), {(BATTERY, "V"): 12.5, (BATTERY, "A"): 0.8, (BATTERY, "W"): 100.0}).misfits
    assert not misfit.slip
    assert misfit.sentence.startswith(
        "Row 1: battery 12.5 V, battery 0.8 A and battery 100 W do not go together: volts times amperes are 10.00 ±"
    )
    assert misfit.sentence.endswith("is one of them a slip, or of another moment?")


def test_one_reading_is_named_with_what_the_rest_says():
    made = {(BATTERY, "V"): 12.5, (BATTERY, "A"): 8.0, (BATTERY, "W"): 100.0, (LOAD, "V"): 12.4, (LOAD, "A"): 6.0, (LOAD, "W"): 99.2}
    (misfit,) = read(graph_of({BATTERY, LOAD}), made).misfits
    assert misfit.sentence.startswith("Row 1: load 6 A, and the rest says 8.0")
    assert misfit.readings == ((LOAD, "A"),)


def test_which_of_several_is_named_where_it_can_be_known():
    """Volts, amperes and watts at both ends of one current: the one amperes that are off are told from the others."""
    made = bench(np.random.default_rng(3), {BATTERY, LOAD})
    keys = [(p, q) for p in (BATTERY, LOAD) for q in "VAW"]
    (misfit,) = Whole(made.graph, tuple(made.read(keys, slips={(LOAD, "A"): 1.5})), ("",)).misfits
    assert misfit.readings == ((LOAD, "A"),)


def test_what_contradicts_itself_is_not_averaged():
    """The battery's watts are what each of the three makes of it, and all between."""
    found = read(NODE, {(CHARGER, "A"): 2.0, (BATTERY, "A"): 1.0, (LOAD, "A"): 1.0, (LOAD, "V"): 13.0, (CHARGER, "V"): 13.2})
    assert found.misfits
    assert found.known(0)[CHARGER, "A"].value.value == 2.0, "metered stays as it was read"
    watts = found.known(0)[LOAD, "W"]
    assert watts.how is How.BOUNDED
    assert watts.value is None
    assert watts.between[0] < 13.2 < watts.between[1]


def test_more_out_than_in():
    over = {(BATTERY, "V"): 12.5, (BATTERY, "A"): 8.0, (INPUT, "V"): 12.4, (OUTPUT, "W"): 120.0}
    (misfit,) = read(INVERTER, over).misfits
    assert misfit.sentence.startswith("Row 1: more comes out than goes in: 120.0 ± ")
    assert "at the output, and 99" in misfit.sentence
    assert read(INVERTER, {**over, (OUTPUT, "W"): 98.9}).misfits == (), "as much as goes in, within what the meters may be off"


def test_far_more_out_than_the_battery_gives_without_the_input_s_volts():
    (misfit,) = read(INVERTER, {(BATTERY, "V"): 12.5, (BATTERY, "A"): 8.0, (OUTPUT, "W"): 850.0}).misfits
    assert "would have to be at least" in misfit.sentence
    assert "at most" in misfit.sentence


def test_a_converter_that_loses_less_at_a_heavier_load():
    graph = graph_of({INPUT, OUTPUT})

    def point(into_a, out_a):
        return {(INPUT, "V"): 12.0, (INPUT, "A"): into_a, (OUTPUT, "V"): 5.0, (OUTPUT, "A"): out_a}

    fine = read(graph, point(0.95, 2.0), point(1.9, 4.0), point(2.9, 6.0))
    assert fine.misfits == ()
    (misfit,) = read(graph, point(0.95, 2.0), point(1.9, 4.0), point(2.55, 6.0)).misfits
    assert misfit.sentence.startswith("At 30.0 W it loses 0.60 ±")


def test_what_would_tell():
    found = read(INVERTER, {(BATTERY, "V"): 12.5, (OUTPUT, "W"): 85.0})
    assert found.known(0)[BATTERY, "W"].how is How.BOUNDED
    assert found.would_tell(0, (BATTERY, "W")) == ((BATTERY, "A"),)
    assert found.would_tell(0, (INPUT, "W")) == ((INPUT, "A"), (INPUT, "V"))
    node = read(NODE, {(CHARGER, "A"): 2.0, (LOAD, "V"): 13.0})
    assert node.would_tell(0, (BATTERY, "A")) == ((LOAD, "A"),)
    assert read(graph_of({BATTERY}), {(BATTERY, "V"): 13.0}).would_tell(0, (BATTERY, "W")) == ((BATTERY, "A"),)


def test_how_each_is_known():
    known = read(INVERTER, {(BATTERY, "V"): 12.5, (BATTERY, "A"): 8.0, (OUTPUT, "V"): 230.0}).known(0)
    assert {key: one.how for key, one in known.items()} == {
        (BATTERY, "V"): How.METERED,
        (BATTERY, "A"): How.METERED,
        (BATTERY, "W"): How.WORKED_OUT,
        (INPUT, "V"): How.BOUNDED,
        (INPUT, "A"): How.WORKED_OUT,
        (INPUT, "W"): How.BOUNDED,
        (OUTPUT, "V"): How.METERED,
        (OUTPUT, "A"): How.NOT_KNOWN,
        (OUTPUT, "W"): How.BOUNDED,
    }


def test_without_an_accuracy_there_is_no_doubt_stated_and_it_is_still_asked():
    found = Whole(NODE, tuple(Read(0, (p, "A"), v, 0.005, None) for p, v in ((CHARGER, 2.0), (BATTERY, -1.0), (LOAD, 3.0))), ("",))
    assert found.misfits
    fine = Whole(NODE, tuple(Read(0, (p, "A"), v, 0.005, None) for p, v in ((CHARGER, 2.0), (BATTERY, -1.0))), ("",))
    assert fine.known(0)[LOAD, "A"].value.parts is None


@pytest.mark.parametrize("number", range(len(SETUPS)))
def test_every_subset_of_what_could_be_read(number, share):
    """Never an exception; what is not determined is bounded or not known; one reading more makes nothing less sure that follows from the same."""
    places, mains = SETUPS[number]
    rng = np.random.default_rng(100 + number)
    made = bench(rng, places, mains=mains)
    keys = [key for key in made.truth if key[1] != "W" or key[0] == OUTPUT]
    picked = [tuple(k) for k in rng.permutation(np.array(keys, dtype=object))[:6]]
    subsets = [list(one) for count in range(1, len(picked) + 1) for one in combinations(picked, count)]
    if share < 1:
        subsets = subsets[:: max(len(subsets) // 12, 1)]
    told = {}
    for subset in subsets:
        found = whole(made, subset)
        known = found.known(0)
        told[frozenset(subset)] = {key: one.value.u for key, one in known.items() if one.value is not None and one.how is How.WORKED_OUT}
        for key, one in known.items():
            assert (one.value is None) == (one.how in {How.BOUNDED, How.NOT_KNOWN}), key
            if one.value is None:
                assert found.would_tell(0, key)
        assert found.misfits == (), (subset, found.misfits[0].sentence)
    for subset, worked in told.items():
        for more, others in told.items():
            if subset < more:
                for key in worked.keys() & others.keys():
                    assert others[key] <= worked[key] * 1.02 + 1e-9, (subset, more, key)


def test_a_slip_that_is_only_just_seen_names_all_that_it_may_be():
    """Two amperes and the watts of one: 4 u apart either pair may be right; ten times as far only one is left."""
    graph = graph_of({BATTERY, LOAD})
    near = {(BATTERY, "V"): 12.5, (BATTERY, "A"): 8.0, (BATTERY, "W"): 100.0, (LOAD, "A"): 8.17}
    (few,) = read(graph, near).misfits
    assert len(few.readings) > 1
    (one,) = read(graph, {**near, (LOAD, "A"): 12.0}).misfits
    assert one.readings == ((LOAD, "A"),)


def test_a_load_that_wanders_a_little_while_one_walks_is_no_slip():
    """0.4 % between the readings of one moment, meters ten times as good."""
    fine = Accuracy(0.0004, 0.0005, "A")
    shown = {CHARGER: 20.0, BATTERY: -8.0, LOAD: 12.05}
    found = Whole(NODE, tuple(Read(0, (p, "A"), v, 0.0005, fine) for p, v in shown.items()), ("",))
    assert found.misfits == ()
