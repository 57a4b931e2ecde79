"""One source emptied into several things: shares, charges and Wh of each, checked by sums on paper and by made displays whose truth is known."""

from __future__ import annotations

import numpy as np
import pytest

from tests.command_line import said, ubrant
from tests.making import METER, prepared
from tests.trials import trial
from tests.window import begin, close, prepare, say_line, typed_row
from ubrant.core.battery.label_doubt import held_by_label, measured
from ubrant.core.battery.shared_out import Fill, Shown, shared_out
from ubrant.core.equipment.unit import Unit
from ubrant.core.quantities.quantity import QuantityError
from ubrant.methods.emptying.method import read_devices
from ubrant.methods.method import LoadRating
from ubrant.methods.registry import method_of

HEAD = "method: emptying\nunit: Pocket bank\nkind: bank\nlabel: 20000 mAh 3.7 V\nwatts: 1 % + 0.01 W\namps: 1 % + 5 mA\nvolts: 0.5 % + 10 mV\nplan devices: tablet 7.6 Ah 3.85 V; phone 11 Wh; lamp\n\n"
BANK = Unit("Pocket bank", "bank", "20000 mAh 3.7 V")
DEVICES = "tablet 7.6 Ah 3.85 V; phone 11 Wh; lamp"
COUNTED = (
    "source 100 % device empty output 0.00 Wh tablet",
    "source 47 % device full output 36.20 Wh tablet",
    "source 47 % device 20 % output 36.20 Wh phone",
    "source 33 % device full output 46.10 Wh phone",
    "source 33 % lamp",
    "source 12 % lamp",
)


@pytest.fixture
def told(tmp_path):
    def tell(*lines, head=HEAD):
        path = tmp_path / "bank.jot"
        path.write_text(head + "\n".join(f"@{10 + k}:00 {line}" for k, line in enumerate(lines)) + "\n", "utf-8")
        return said(str(path))

    return tell


def test_by_a_counter_and_by_what_it_says_a_point_is_worth(told):
    """36.2 and 9.9 Wh were counted over 53 and 14 points: 0.688 Wh a point, so that 21 more were 14.4 Wh; 29.26 of 36.2 Wh and 8.8 of 9.9 arrived."""
    found = told(*COUNTED)["findings"]
    assert found["took_1"]["value"] == pytest.approx(36.2)
    assert found["took_2"]["value"] == pytest.approx(9.9)
    assert found["took_3"]["value"] == pytest.approx(21 * 46.1 / 67)
    assert "Wh a point, as the counter said of the others" in found["took_3"]["working"]
    assert found["given"]["value"] == pytest.approx(46.1 + 21 * 46.1 / 67)
    assert found["share_1"]["value"] == pytest.approx(100 * 36.2 / found["given"]["value"])
    assert found["charges_2"]["value"] == pytest.approx(0.8)
    assert found["from_full_2"]["value"] == pytest.approx(80 / 14)
    assert found["arrived_1"]["value"] == pytest.approx(7.6 * 3.85)
    assert found["left"]["value"] == 12


def test_by_percents_alone_the_shares_are_surer_than_the_label(told):
    out = told(
        *(line.partition(" output")[0] + " " + line.rsplit(" ", 1)[1] for line in COUNTED[:4]), "source 33 % lamp", "source 12 % lamp"
    )
    assert out["sentence"].startswith("Gave 65 Wh (42 to 69); tablet 60.2 ± 4.9 % of it; phone 15.9 ± 5.7 % of it;")
    assert out["findings"]["share_1"]["value"] == pytest.approx(100 * 53 / 88)
    assert any("65 to 100 % of its label may come out" in w for w in out["warnings"])
    two = told(
        "source 100 % device empty tablet",
        "source 47 % device full tablet",
        "source 47 % device 20 % phone",
        "source 33 % device full phone",
    )
    assert two["findings"]["arrives"]["high"] <= 100.0 + 1e-6, "no more arrives than was given"


def test_shares_that_meet_at_one_reading_share_its_error():
    """100 → 50 → 0 with the ends known: the reading between may be off by 0.5 and 3 (÷ √3), the whole is exactly 100 points."""
    middle = Shown(50.0, 0.5, 1.0)
    fills = [Fill("a", (Shown(100.0, 0.0, 0.0), middle), None), Fill("b", (middle, Shown(0.0, 0.0, 2.0)), None)]
    found, _ = shared_out(fills, measured(60.0, 0.0), Shown(0.0, 0.0, 2.0))
    assert found["given"].value == pytest.approx(60.0)
    assert found["given"].standard_uncertainty == pytest.approx(0.0, abs=1e-9)
    assert found["share_1"].standard_uncertainty == pytest.approx(((0.5**2 + 3**2) / 3) ** 0.5)


def test_the_same_one_three_times_is_three_and_one_of_its_kind_is_another(told):
    """Tablet from empty, then a second tablet from 10 %, under one name: it falls back, so another was plugged in. 190 points for 88 of the source."""
    out = told(
        "source 100 % device empty tablet",
        "source 52 % device full tablet",
        "source 52 % device 10 % tablet",
        "source 12 % device full tablet",
    )
    assert out["findings"]["charges_1"]["value"] == pytest.approx(1.9)
    assert "190 points in 2 charges" in out["findings"]["charges_1"]["working"]
    assert out["findings"]["from_full_1"]["value"] == pytest.approx(190 / 88)


def test_it_ends_where_the_device_was_full_and_not_at_a_later_look(told):
    out = told("source 100 % device empty tablet", "source 47 % device full tablet", "source 45 % device full tablet")
    assert out["findings"]["from_full_1"]["value"] == pytest.approx(100 / 53)


def test_ampere_hours_with_volts_beside_them_are_watt_hours(told):
    out = told("source 100 % device empty output 0 Ah 5.10 V tablet", "source 47 % device full output 7.20 Ah 5.06 V tablet")
    assert out["findings"]["took_1"]["value"] == pytest.approx(7.2 * 5.08)
    assert out["findings"]["given_charge"]["value"] == pytest.approx(7.2)
    assert any("mAh at the output are not the mAh of the cells" in w for w in out["warnings"])
    unread = told("source 100 % device empty output 0 Ah tablet", "source 47 % device full output 7.20 Ah tablet")
    assert unread["findings"]["took_1"]["value"] == pytest.approx(36.0)
    assert unread["findings"]["took_1"]["expanded_uncertainty"] > 2 * out["findings"]["took_1"]["expanded_uncertainty"]


def test_emptied_to_the_end_it_is_held_against_its_label(told):
    out = told(
        "source full device empty output 0.00 Wh tablet",
        "source 40 % device full output 35.10 Wh tablet",
        "source 40 % output 35.10 Wh lamp",
        "output 57.20 Wh lamp",
        "empty",
    )
    assert out["findings"]["label_share"]["value"] == pytest.approx(100 * 57.2 / 74)
    assert out["sentence"].endswith("nothing left.")


@pytest.mark.parametrize(
    ("lines", "asks"),
    [
        (("source 100 % device empty output 0 Wh tablet", "source 47 % device full output 3.62 Wh tablet"), "is the counter in Wh"),
        (("source 100 % device empty output 0 Wh tablet", "source 47 % device full output 362 Wh tablet"), "is the counter in Wh"),
        (
            (
                "source 100 % device empty tablet",
                "source 60 % device full tablet",
                "source 45 % device empty phone",
                "source 25 % device full phone",
            ),
            "Between tablet and phone the source went from 60 to 45 %",
        ),
        (
            (
                "source 100 % device empty tablet",
                "source 47 % device full tablet",
                "source 47 % device empty tablet",
                "source 32 % device full tablet",
            ),
            "far from that",
        ),
        (("source 100 % device empty output 0 Wh phone", "source 90 % device full output 5.9 Wh phone"), "would be stored"),
    ],
)
def test_what_does_not_fit_is_asked_before_it_is_an_answer(told, lines, asks):
    out = told(*lines)
    assert out["sentence"].startswith("Cannot tell yet")
    assert asks in out["sentence"]


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        (("source 47 % device empty tablet", "source 100 % device full tablet"), "Was it charged meanwhile"),
        (("source 100 % device empty tablet",), "was read once only"),
        (("source 100 % device 120 % tablet", "source 60 % device 130 % tablet"), "outside 0 to 100"),
        (("device empty tablet", "device full tablet"), "one charge"),
    ],
)
def test_what_says_nothing_says_why(tmp_path, lines, says):
    path = tmp_path / "bank.jot"
    path.write_text(HEAD + "\n".join(lines) + "\n", "utf-8")
    done = ubrant("analyse", str(path))
    assert says in done.stdout + done.stderr


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("tablet 7.6 Ah 3.85 V; phone 11 Wh; lamp", ["tablet", "phone", "lamp"]),
        ("tablet 7.6 Ah 3.85 V, phone 2: 11 Wh, lamp", ["tablet", "phone 2", "lamp"]),
        ("head torch 2 1200 mAh 3.7 V", ["head torch 2"]),
        ("tablet 7,6 Ah 3,85 V, phone 11 Wh", ["tablet", "phone"]),
    ],
)
def test_devices_as_they_are_written(text, names):
    assert [one.name for one in read_devices(text)] == names


def test_devices_that_cannot_be_read_are_refused():
    with pytest.raises(QuantityError, match="stands twice"):
        read_devices("phone 11 Wh; phone 12 Wh")
    problems = method_of("emptying").problems(prepared("emptying", BANK, (METER,), devices=" "), LoadRating())
    assert problems[0].refused
    assert "Name what it is emptied into" in problems[0].text


def test_what_each_took_lies_inside_its_uncertainty(share):
    """Displays that are off by a curve of their own, and rounded; a counter inside its accuracy."""

    def draw(rng):
        wh, bends = rng.uniform(30, 90), rng.uniform(-3, 3, 4)
        cuts = np.sort(rng.uniform(5, 95, 2))[::-1]
        levels = [100.0, *cuts, rng.uniform(0, cuts[-1])]
        shown = [
            Shown(100.0, 0.0, 0.0),
            *(Shown(float(np.clip(round(v + b), 1, 99)), 0.5, k + 1.0) for k, (v, b) in enumerate(zip(levels[1:], bends, strict=False))),
        ]
        fills = [Fill(name, (a, b), None) for name, a, b in zip("xyz", shown, shown[1:], strict=False)]
        found, _ = shared_out(fills, measured(wh, 0.0), shown[-1])
        return {
            f"took {k}": ((found[f"took_{k}"].value or 0.0) - wh * (levels[k - 1] - levels[k]) / 100, found[f"took_{k}"])
            for k in (1, 2, 3)
            if f"took_{k}" in found and not found[f"took_{k}"].bound
        }

    trial("emptied into several", draw, share)


def test_typed_through_the_window_from_an_empty_shelf_it_is_the_same(bench_window, qtbot, told):
    window = bench_window
    prepare(window, BANK, "emptying", devices=DEVICES)
    begin(window, qtbot)
    for line in COUNTED:
        say_line(window, qtbot, line, 3600.0)
    account = close(window, qtbot)
    same = told(*COUNTED)["findings"]
    assert {key: account.findings[key].value for key in ("took_1", "took_2", "took_3", "given")} == pytest.approx(
        {key: same[key]["value"] for key in ("took_1", "took_2", "took_3", "given")}
    )
    assert account.short == "tablet 60 %, phone 16 %, lamp 24 %"


def test_in_the_table_a_row_is_of_the_device_whose_turn_it_is(bench_window, qtbot):
    """Numbers alone, two rows a device."""
    window = bench_window
    prepare(window, BANK, "emptying", devices="tablet 7.6 Ah 3.85 V; phone 11 Wh")
    begin(window, qtbot)
    for row in ("100 0", "47 100", "47 20", "33 100"):
        typed_row(qtbot, window, row)
        window.clock.time_s += 3600
    account = close(window, qtbot)
    assert account.findings["share_1"].value == pytest.approx(100 * 53 / 67)
    assert account.findings["charges_2"].value == pytest.approx(0.8)


def test_a_label_that_says_less_than_was_given_is_in_no_share():
    """Of a label 65 to 100 % may come out: that doubt is in the Wh, and cancels in shares."""
    a, b, c = Shown(100.0, 0.0, 0.0), Shown(60.0, 0.5, 1.0), Shown(20.0, 0.5, 2.0)
    found, _ = shared_out([Fill("x", (a, b), None), Fill("y", (b, c), None)], held_by_label(50.0), c)
    assert found["took_1"].sides[0] == pytest.approx(0.35 * 20.0)
    assert found["share_1"].sides == (0.0, 0.0)


def test_full_and_empty_are_typed_like_numbers(bench_window, qtbot):
    """As the guide has it: ``100 empty``, ``47 full``."""
    window = bench_window
    prepare(window, BANK, "emptying", devices="tablet 7.6 Ah 3.85 V; phone 11 Wh")
    begin(window, qtbot)
    for row in ("full empty", "47 full", "47 20", "33 Full"):
        typed_row(qtbot, window, row)
        window.clock.time_s += 3600
    account = close(window, qtbot)
    assert account.findings["charges_1"].value == pytest.approx(1.0)
    assert account.findings["charges_1"].standard_uncertainty == pytest.approx(0.0, abs=1e-9), "both ends are known"
    assert account.findings["charges_2"].value == pytest.approx(0.8)


def test_a_counter_has_its_column():
    for counter, columns in (("none", 2), ("counts Wh", 3), ("counts Ah, shows volts", 4)):
        made = prepared("emptying", BANK, (METER,), devices=DEVICES, counter=counter)
        assert len(method_of("emptying").by_hand(made).columns) == columns


def test_a_device_that_takes_hardly_a_point_is_one_like_the_others(told):
    out = told(
        "source 100 % device empty tablet",
        "source 47 % device full tablet",
        "source 47 % device 90 % phone",
        "source 46 % device full phone",
    )
    assert out["findings"]["took_2"]["value"] == pytest.approx(0.74, abs=6), "about a point, or at most some"
    assert out["findings"]["charges_2"]["value"] == pytest.approx(0.1)


def test_a_counter_that_runs_on_from_device_to_device_is_read_once_between_them(told):
    """36.2 Wh when the tablet came off, 46.1 when the phone did: the phone's row before was read without it."""
    out = told(
        "source 100 % device empty output 0.00 Wh tablet",
        "source 47 % device full output 36.20 Wh tablet",
        "source 47 % device 20 % phone",
        "source 33 % device full output 46.10 Wh phone",
    )
    assert out["findings"]["took_2"]["value"] == pytest.approx(9.9)
    alone = told("source 100 % device empty tablet", "source 47 % device full output 36.20 Wh tablet")
    assert any("the counter was read once only" in w for w in alone["warnings"])
    assert "by the counter" not in alone["findings"]["took_1"]["working"]
    early = told(
        "source 100 % device empty output 0.00 Wh tablet",
        "source 47 % device full output 36.20 Wh tablet",
        "source 47 % device 20 % phone",
        "source 33 % device full phone",
    )
    assert "Wh a point, as the counter said of the others" in early["findings"]["took_2"]["working"]
