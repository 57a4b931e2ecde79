"""A careless hour with banks, recharges, nodes, sources and capacitors: what drew a false word or a false figure, and what is said now."""

from __future__ import annotations

import pytest

from tests.command_line import ubrant

RECHARGE = "unit bank: {bank}\nunit tablet: {tablet}\nmethod recharge: bank -> tablet\n\n@09:40 bank 97 %\n@09:40 tablet empty\n@{source_at} bank {left} %\n@{at} tablet {state}\n"
USUAL = {"bank": "24000 mAh 3.7 V", "tablet": "7.6 Ah 3.85 V", "at": "12:25", "source_at": "12:25", "left": "54", "state": "full"}
BANK = "method: output\nunit: B\nkind: bank\nlabel: 24000 mAh 3.7 V, rated output 14000 mAh at 5 V\nvolts: 1 %\namps: 1 %\nfull: yes\n\n"
METERS = "volts: 1 %\namps: 1 %\n\n"
NODE = "method: balance\nunit: P\nkind: battery\namps charger: 1 % + 10 mA\namps load: 1 % + 10 mA\namps battery: 1 % + 10 mA\n\n"


def told(folder, text: str) -> str:
    path = folder / "notes.jot"
    path.write_text(text, "utf-8")
    done = ubrant("analyse", str(path))
    return " ".join((done.stdout + done.stderr).split())


@pytest.mark.parametrize(
    ("change", "says", "never"),
    [
        ({"bank": "24 mAh 3.7 V"}, "More would arrive (29.3 Wh) than was taken", "of it arrives"),
        ({"tablet": "76 Ah 3.85 V"}, "look at the labels' units", "One recharge takes"),
        ({"source_at": "11:00", "left": "75"}, "at most 5.57 charges from full", "150 %"),
        ({"state": "103 %"}, "a percentage outside 0 to 100", "charges from full"),
        ({"left": "94"}, "at least", "3333"),
    ],
)
def test_recharges(tmp_path, change, says, never):
    text = told(tmp_path, RECHARGE.format(**(USUAL | change)))
    assert says in text
    assert never not in text


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"left": "5.4"}, "did a digit of the percents slip?"),
        ({"at": "09:41", "source_at": "09:41"}, "It was charged in 1 min: did an hour slip?"),
    ],
)
def test_a_slip_that_may_be_true_is_asked_about(tmp_path, change, says):
    assert says in told(tmp_path, RECHARGE.format(**(USUAL | change)))
    assert says not in told(tmp_path, RECHARGE.format(**USUAL))


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        ("@10:00 load on output 5.06 V 1000 A\n@12:00 output 5.06 V 1000 A\n@23:00 empty\n", "more than the 88.80 Wh on its label"),
        ("@10:00 load on output 1.00 V 5.06 A\n@12:00 output 1.00 V 5.06 A\n@23:00 empty\n", "volts and amperes the wrong way round"),
        ("@10:00 load on output 5.06 V 3.00 A\n@23:00 output 5.06 V 3.00 A\n@23:30 empty\n", "more than the 88.80 Wh"),
        ("@10:00 load on output 5.06 V 1.00 A\n@10:30 empty\n", "One reading only"),
        (
            "@10:00 load on output 5.06 V 1 A\n@12:10 load off\n@14:00 load on output 5.06 V 1 A\n@23:00 output 5.06 V 1 A\n@23:30 empty\n",
            "Lasted 11 h 40 min",
        ),
    ],
)
def test_banks(tmp_path, lines, says):
    text = told(tmp_path, BANK + lines)
    assert says in text
    assert "Meets" not in text


@pytest.mark.parametrize(
    ("lines", "says", "never"),
    [
        (
            "+1min charger 2.00 A load 13.4 V 1.00 A battery 1.00 A\n+2min charger 2.00 A load 12.9 V 3.00 A battery 1.00 A\n",
            "written without a sign",
            "Every load drained",
        ),
        (
            "+1min charger 2000 A load 13.4 V 1.00 A battery -1.00 A\n+2min charger 2.00 A load 12.9 V 3.00 A battery 1.00 A\n",
            "times 0.00100 would close them all",
            "without running down",
        ),
    ],
)
def test_nodes(tmp_path, lines, says, never):
    text = told(tmp_path, NODE + lines)
    assert says in text
    assert never not in text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (
            "method: ways\nunit: S\nkind: station\nlabel: 500 Wh\nplan ways: mains, dc\n\n@09:00 source 58 kW\n@09:10 source 44 W\n",
            "a slip of unit, or its settings changed",
        ),
        (
            "method: ways\nunit: S\nkind: station\nlabel: 500 Wh\nplan ways: mains\n\n@09:00 source 97 % mains\n@09:05 source 96 % mains\n",
            "from full at least 1.4 h",
        ),
        (
            "method: source\nunit: S\nkind: source\n"
            + METERS
            + "+1min 0 V 6.31 A\n+2min 0.2 V 5.71 A\n+3min 0.6 V 4.5 A\n+4min 1 V 3.3 A\n",
            "are volts and amperes swapped?",
        ),
        (
            "method: capacitor\nunit: S\nkind: source\nlabel: 100 F 5.4 V\n"
            + METERS
            + "+0s 5.40 V 0 A\n+10s 5.35 V 1000 A\n+130s 4.15 V 1000 A\n+250s 2.95 V 1000 A\n",
            "amperes for milliamperes?",
        ),
        (
            "method: capacitor\nunit: S\nkind: source\nlabel: 100 F 5.4 V\n"
            + METERS
            + "+0min 5.40 V 0 A\n+10min 5.35 V 1 A\n+130min 4.15 V 1 A\n+250min 2.95 V 1 A\n",
            "seconds for minutes?",
        ),
        (
            "method: charger\nunit: C\nkind: charger\n"
            + METERS
            + "+1min 13 V 5 A\n+2min 14.4 V 5 A\n+3min 146 V 2 A\n+4min 14.6 V 0.4 A\n",
            "did a digit slip?",
        ),
        (
            "method: port\nunit: S\nkind: station\nlabel: 500 Wh, input 11-60 V 13 A 300 W\n"
            + METERS
            + "@10:00 input 12.4 V 8900 A\n@10:20 input 14.2 V 8.92 A\n",
            "8900 A cannot be at this port",
        ),
        (
            "method: brick\nunit: B\nkind: charger\nlabel: 230 V to 19 V, 65 W\n"
            + METERS
            + "+1min 19.2 V 0 A\n+2min 19.0 V 300 A\n+3min 18.9 V 3.4 A\n",
            "300 A output at 2 min are far over the 3.421 A that its label lets expect",
        ),
        (
            "method: brick\nunit: B\nkind: charger\nlabel: 230 V to 19 V, 65 W\n" + METERS + "+1min 19.2 V 0 A\n+2min 19.0 V -3 A\n",
            "the clamp is on backwards",
        ),
    ],
)
def test_what_looks_like_a_slip_is_refused_or_a_bound(tmp_path, text, says):
    assert says in told(tmp_path, text)
