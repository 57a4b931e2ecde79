"""The fit against examples and sums from outside."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import minimize

from ubrant.core.network.fit import EdgeReading, fit
from ubrant.core.network.graph import BATTERY, CHARGER, LOAD, Graph, GraphError, Joint, Stage, graph_of
from ubrant.core.network.laws import CurrentLaw, PowerLaw, exact_laws, limits
from ubrant.core.network.moment import Read
from ubrant.core.quantities.accuracy import Accuracy
from ubrant.core.uncertainty.sources import ErrorKind, ErrorSource
from ubrant.core.uncertainty.value import Value


def reading(moment, key, shown, half, accuracy):
    return Read(moment, key, shown, half, accuracy).reading()


def alone(edge: str, quantity: str, value: float, u: float = 1.0, moment: int = 0) -> EdgeReading:
    """A reading with one error of its own."""
    source = ErrorSource(ErrorKind.NOISE, f"{edge} {quantity} {moment}")
    return EdgeReading(moment, (edge, quantity), Value(value, {source: u}), lambda at: {source: u}, lambda at: {source: u})


def test_a_textbook_s_splitter_and_bypass():
    """Narasimhan & Jordache, *Data Reconciliation and Gross Error Detection* (2000), the heat exchanger with a bypass of chapter 1; from memory."""
    graph = Graph(
        ("f1", "f2", "f3", "f4", "f5", "f6"),
        (Joint(("f1",), ("f2", "f3")), Joint(("f2",), ("f4",)), Joint(("f3",), ("f5",)), Joint(("f4", "f5"), ("f6",))),
    )
    read = {"f1": 101.91, "f2": 64.45, "f3": 34.65, "f4": 64.20, "f5": 36.44, "f6": 98.88}
    found = fit(graph, [alone(edge, "A", value) for edge, value in read.items()])
    fitted = {one.reading.key[0]: one.fitted.value for one in found.against}
    assert fitted == pytest.approx({"f1": 100.22, "f2": 64.50, "f3": 35.72, "f4": 64.50, "f5": 35.72, "f6": 100.22}, abs=0.006)
    assert found.conditions == 4


def test_three_currents_at_a_joint_by_hand():
    """2 + (−1) against 1.3 A, ± 0.1 each: each takes a third of what is over, and the rest of one is the sum of the others."""
    found = fit(
        graph_of({CHARGER, BATTERY, LOAD}), [alone(CHARGER, "A", 2.0, 0.1), alone(BATTERY, "A", -1.0, 0.1), alone(LOAD, "A", 1.3, 0.1)]
    )
    by_edge = {one.reading.key[0]: one for one in found.against}
    assert by_edge[LOAD].fitted.value == pytest.approx(1.2)
    assert by_edge[LOAD].fitted.u == pytest.approx(0.1 * math.sqrt(2 / 3))
    assert by_edge[LOAD].rest.value == pytest.approx(1.0)
    assert by_edge[LOAD].rest.u == pytest.approx(0.1 * math.sqrt(2))
    assert by_edge[LOAD].z == pytest.approx(0.3 / (0.1 * math.sqrt(3)))
    assert found.chi2 == pytest.approx(3.0)
    assert {round(abs(one.z), 9) for one in found.against} == {round(math.sqrt(3), 9)}, "nobody can know which of three it is"
    assert all(abs(one.z) < 3 for one in found.against)


def test_what_was_not_read_follows():
    found = fit(
        graph_of({CHARGER, BATTERY, LOAD}), [alone(CHARGER, "A", 2.0, 0.1), alone(LOAD, "A", 1.3, 0.2), alone(BATTERY, "V", 13.0, 0.05)]
    )
    amps = found.worked_out((BATTERY, "A"))
    watts = found.worked_out((BATTERY, "W"))
    assert (amps.value, amps.u) == pytest.approx((-0.7, math.hypot(0.1, 0.2)))
    assert (watts.value, watts.u) == pytest.approx((-9.1, math.hypot(13.0 * math.hypot(0.1, 0.2), 0.7 * 0.05)))
    assert found.worked_out((LOAD, "V")) is None, "nothing determines it"
    assert not found.against


def test_power_of_products_against_a_minimiser():
    """The same least squares, with the products, by SciPy's SLSQP."""
    graph = graph_of({BATTERY, LOAD})
    read = {
        (BATTERY, "V"): (12.52, 0.05),
        (BATTERY, "A"): (8.1, 0.08),
        (BATTERY, "W"): (103.0, 1.0),
        (LOAD, "A"): (8.0, 0.05),
        (LOAD, "W"): (97.0, 1.5),
    }
    found = fit(graph, [alone(edge, q, value, u) for (edge, q), (value, u) in read.items()])
    fitted = [one.fitted.value for one in found.against]

    def miss(x):  # V, A at the battery and V at the load, of one current
        made = (x[0], x[1], x[0] * x[1], x[1], x[2] * x[1])
        return sum(((m - value) / u) ** 2 for m, (value, u) in zip(made, read.values(), strict=True))

    best = minimize(miss, (12.5, 8.0, 12.1), method="Nelder-Mead", options={"xatol": 1e-10, "fatol": 1e-12, "maxiter": 20_000})
    reference = (best.x[0], best.x[1], best.x[0] * best.x[1], best.x[1])
    assert fitted[:4] == pytest.approx(reference, rel=2e-4)
    assert found.chi2 == pytest.approx(best.fun, rel=0.03)
    assert found.worked_out((LOAD, "V")).value == pytest.approx(best.x[2], rel=2e-4)


def test_sensitivities_are_those_of_draws():
    """JCGM 101: each error drawn, the fit made again; its scatter is what its parts say."""
    rng = np.random.default_rng(4)
    graph, shared = graph_of({CHARGER, BATTERY, LOAD}), Accuracy(0.01, 0.02, "A", meter="clamp")
    shown = {CHARGER: 5.0, BATTERY: -2.0, LOAD: 3.1}

    def made(gain, zeros, digits):
        return fit(
            graph,
            [reading(0, (p, "A"), v * (1 + gain) + zeros[k] + digits[k], 0.05, shared) for k, (p, v) in enumerate(shown.items())]
            + [reading(0, (BATTERY, "V"), 13.0, 0.0, Accuracy(0.0, 0.0, "V"))],
        )

    base = made(0.0, [0.0] * 3, [0.0] * 3)
    drawn = []
    for _ in range(400):
        one = made(rng.uniform(-0.01, 0.01), rng.uniform(-0.02, 0.02, 3), rng.uniform(-0.05, 0.05, 3))
        drawn.append([one.worked_out((BATTERY, "W")).value, one.against[2].fitted.value, one.against[2].rest.value])
    stated = [base.worked_out((BATTERY, "W")).u, base.against[2].fitted.u, base.against[2].rest.u]
    assert np.std(drawn, axis=0, ddof=1) == pytest.approx(stated, rel=0.1)


def test_squares_of_the_parts_are_the_variance_of_the_fit():
    """Where it is weighed by the same errors: H·Σ·Hᵀ by hand and by the parts."""
    us = np.array([0.1, 0.2, 0.15])
    readings = [alone(p, "A", v, float(u)) for p, v, u in zip((CHARGER, BATTERY, LOAD), (2.0, -1.0, 1.1), us, strict=True)]
    condition = np.array([[1.0, 1.0, -1.0]])
    cover = np.diag(us**2)
    left = cover - cover @ condition.T @ np.linalg.inv(condition @ cover @ condition.T) @ condition @ cover
    found = fit(graph_of({CHARGER, BATTERY, LOAD}), readings)
    assert [one.fitted.u**2 for one in found.against] == pytest.approx(np.diag(left), rel=1e-9)


def test_a_gain_that_all_share_is_no_reason_for_a_misfit_and_none_to_be_surer():
    """One clamp at three places: its gain cancels in the sum, and stays whole in each."""
    shared = Accuracy(0.03, 0.001, "A", meter="clamp")
    readings = [reading(0, (p, "A"), v, 0.0005, shared) for p, v in ((CHARGER, 5.0), (BATTERY, -2.0), (LOAD, 3.0))]
    found = fit(graph_of({CHARGER, BATTERY, LOAD}), readings)
    assert all(abs(one.z) < 3 for one in found.against)
    assert found.against[0].fitted.u == pytest.approx(0.03 * 5 / math.sqrt(3), rel=0.02)


def test_a_slip_is_seen_and_a_thousandth_is_not_hidden_by_its_own_doubt():
    accuracy = Accuracy(0.01, 0.01, "A")
    for slip in (10.0, 0.1, 1000.0, 0.001, -1.0):
        readings = [reading(0, (p, "A"), v, 0.005, accuracy) for p, v in ((CHARGER, 5.0), (BATTERY, -2.0 * slip), (LOAD, 3.0))]
        assert max(abs(one.z) for one in fit(graph_of({CHARGER, BATTERY, LOAD}), readings).against) > 5, slip


def test_moments_share_their_meters():
    """A zero of one clamp that is the same in twelve moments is no twelve errors: the mean is no surer than it."""
    accuracy = Accuracy(0.0, 0.1, "A", meter="clamp")
    one, other = (
        fit(graph_of({BATTERY, LOAD}), [reading(m, (BATTERY, "A"), 5.0 + m, 0.0, accuracy)]).worked_out((LOAD, "A")) for m in (0, 11)
    )
    assert (other - one).u == pytest.approx(0.0, abs=1e-9)


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: Graph(("a", "a")), "twice"),
        (lambda: Graph(("a", "b")), "Nothing joins b"),
        (lambda: Graph(("a", "b"), (Joint(("a",), ("b",)),), (), frozenset({"a"})), "AC and DC are joined"),
        (lambda: Graph(("a", "b"), (), (Stage("one", "a", "b"), Stage("other", "b", "a"))), "circle"),
    ],
)
def test_what_is_no_bench_is_refused_in_a_sentence(make, said):
    with pytest.raises(GraphError, match=said):
        make()


def test_the_bench_is_drawn_from_where_was_read():
    assert graph_of({"battery", "output"}, {"output"}).edges == ("battery", "input", "output")
    assert graph_of({"source", "battery", "load"}).stages == (Stage("charger", "source", "charger"),)
    fed = graph_of({"source", "input", "output"})
    assert fed.joints == (Joint(("source",), ("input",)),)
    assert graph_of({"input", "output", "load"}, load_behind=True).joints == (Joint(("output",), ("load",)),)
    assert graph_of({"battery"}).joints == ()


def test_laws_and_their_slopes():
    """Each slope against a small step."""
    graph = graph_of({"charger", "battery", "load", "output"})
    at = {key: 1.0 + 0.1 * k for k, key in enumerate(graph.every_key())}
    for law in exact_laws(graph):
        for key, slope in zip(law.keys, law.slopes(at), strict=True):
            moved = {**at, key: at[key] + 1e-6}
            assert (law.residual(moved) - law.residual(at)) / 1e-6 == pytest.approx(slope, abs=1e-4), (law, key)
    assert PowerLaw("battery") in exact_laws(graph)
    assert isinstance(exact_laws(graph)[-1], CurrentLaw)
    assert [limit.smaller for limit in limits(graph)] == [(("output", "W"),)]
