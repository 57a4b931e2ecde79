"""A scope and a meter of AC power over lines that answer well and badly; their profiles."""

from __future__ import annotations

import numpy as np
import pytest

from ubrant.bench.bench import channels_of
from ubrant.bench.instruments import DcMeter, InstrumentError, Scope
from ubrant.bench.profile import ProfileError, profiles, read_profile, shipped
from ubrant.bench.standins.converter_world import ConverterScenario, ConverterWorld, converter_from_json
from ubrant.bench.standins.faults import Fault
from ubrant.bench.standins.scpi import converter_devices
from ubrant.core.conversion.waveform import analyse_wave
from ubrant.core.models.cell import pack_from_label
from ubrant.core.models.converter import ConverterParameters
from ubrant.core.models.shown import Imperfection
from ubrant.core.quantities.label import parse_label

INVERTER = ConverterParameters(230.0, 4.0, 0.05, 0.0002, hertz=50.0, wave="stepped", shutoff_v=10.5, restart_v=12.4, economy_w=0.5)


class Line:
    """A connection that answers what it is told to."""

    def __init__(self, answers) -> None:
        self.answers = answers

    def ask(self, command: str, *, long: bool = False) -> str:
        return self.answers[command]

    def tell(self, command: str) -> None:
        """Nothing."""


def test_a_trace_is_read():
    scope = Scope("Scope", Line({"SENS:SWE:TINT?": "0.001", "TRAC:DATA?": "0.0,1.5,-1.5"}))
    time, volts = scope.record()
    assert time.tolist() == pytest.approx([0.0, 0.001, 0.002])
    assert volts.tolist() == [0.0, 1.5, -1.5]


@pytest.mark.parametrize(
    ("step", "trace", "says"), [("0.001", "#42048…", "is no trace"), ("soon", "0.0", "is not a reading"), ("0.001", "", "is no trace")]
)
def test_an_answer_that_is_no_trace_is_one_sentence(step, trace, says):
    with pytest.raises(InstrumentError, match=says):
        Scope("Scope", Line({"SENS:SWE:TINT?": step, "TRAC:DATA?": trace})).record()


def test_a_meter_of_ac_power_has_four_channels():
    answers = {"MEAS:VOLT?": "230.1", "MEAS:CURR?": "0.31", "MEAS:POW?": "65.2", "MEAS:FREQ?": "50.01"}
    meter = DcMeter("Plug", Line(answers), shipped("plug"))
    channels = channels_of(meter, "output", quantities="VAWF")
    assert [(c.quantity, c.read()) for c in channels] == [("V", 230.1), ("A", 0.31), ("W", 65.2), ("Hz", 50.01)]


def test_profiles_of_a_scope_and_an_ac_meter_are_shipped_and_checked():
    known, troubles = profiles()
    assert {"Generic oscilloscope", "Generic AC power meter"} <= set(known)
    assert troubles == []
    with pytest.raises(ProfileError, match="a scope also needs wave, wave_step"):
        read_profile('name = "S"\nkind = "scope"\n[commands]\nidentify = "*IDN?"\n', "s.toml")


@pytest.fixture
def world():
    return ConverterWorld(ConverterScenario(INVERTER, 0.01, pack_from_label(parse_label("12.8 V 50 Ah LiFePO4"))))


def ask(devices, name, command):
    return devices[name].answer(command)


def test_the_stand_ins_answer_as_one_bench(world):
    devices = converter_devices(world)
    assert ask(devices, "clock", "OPER on") == "on"
    ask(devices, "load", "SOUR:FUNC POW")
    ask(devices, "load", "SOUR:POW 100")
    assert ask(devices, "load", "SOUR:POW?") == "100.000000"
    ask(devices, "load", "INP ON")
    ask(devices, "clock", "ADV 20")
    volts, amps, watts = (float(ask(devices, "plug", f"MEAS:{q}?")) for q in ("VOLT", "CURR", "POW"))
    assert watts == pytest.approx(100, rel=0.01)
    assert volts * amps == pytest.approx(watts, rel=0.01)
    assert float(ask(devices, "plug", "MEAS:FREQ?")) == pytest.approx(50, abs=0.1)
    assert float(ask(devices, "plug", "MEAS:ENER?")) == pytest.approx(100 * 20 / 3600, abs=0.1)
    into = float(ask(devices, "meter", "MEAS:VOLT?")) * float(ask(devices, "meter", "MEAS:CURR?"))
    assert into == pytest.approx(100 + 4 + 5 + 2, rel=0.01)
    assert float(ask(devices, "meter3", "MEAS:VOLT?")) > float(ask(devices, "meter", "MEAS:VOLT?"))
    trace = np.array([float(v) for v in ask(devices, "scope", "TRAC:DATA?").split(",")])
    step = float(ask(devices, "scope", "SENS:SWE:TINT?"))
    assert analyse_wave(np.arange(len(trace)) * step, trace).kind == "stepped"
    assert ask(devices, "load", "NONSENSE 1") is None
    assert "Undefined header" in ask(devices, "load", "SYST:ERR?")
    assert ask(devices, "load", "SOUR:POW loud") is None
    assert "Data type error" in ask(devices, "load", "SYST:ERR?")


def test_the_operator_switches_it_over_and_off(world):
    devices = converter_devices(world)
    draws = {}
    for action in ("on", "economy", "normal", "off"):
        ask(devices, "clock", f"OPER {action}")
        ask(devices, "clock", f"ADV {world.time_s + 10}")
        draws[action] = world.input_v * world.input_a
    assert draws["on"] == pytest.approx(4.0, rel=0.01)
    assert draws["economy"] == pytest.approx(0.5, rel=0.02)
    assert draws["normal"] == pytest.approx(4.0, rel=0.01)
    assert draws["off"] == pytest.approx(0.0, abs=1e-6)


def test_the_loads_own_cut_off_works_with_nobody_there(world):
    """The output goes when the battery sags to the inverter's cut-off: the load goes off by itself, and stays off."""
    world.pack = type(world.pack)(pack_from_label(parse_label("12.8 V 5 Ah LiFePO4")), 0.02)
    world.operator("on")
    world.mode, world.set_a, world.own_cutoff_v = "power", 150.0, 115.0
    world.switch(True)
    world.advance_to(1800.0)
    assert not world.load_is_on
    assert world.tripped
    world.advance_to(2400.0)
    assert not world.load_is_on


def test_a_scenario_reads_back_to_the_same():
    made = ConverterScenario(
        INVERTER,
        0.01,
        pack_from_label(parse_label("12.8 V 50 Ah LiFePO4")),
        input_v=Imperfection(0.001, 0.002, 1e-4, 0.001),
        faults=(Fault("meter", "silent", 3.0),),
    )
    import json

    assert converter_from_json(json.loads(made.to_json())) == made
