"""Load steps on the command line."""

from __future__ import annotations

import pytest

from tests.command_line import said, ubrant
from tests.methods.making import write

STEPS = "time / s,source voltage / V,input voltage / V,input current / A,ac voltage / V,ac power / W,ac frequency / Hz\n"


def steps_rows(lead_ohm: float, ends_off: bool = True, source_ohm: float = 0.015) -> list[tuple[float, ...]]:
    """A 200 W inverter on a battery of 12.7 V and 15 mΩ, ten readings a step; what is over 10.5 V at its terminals keeps it on."""
    rows, time = [], 0.0
    for watts in (0.0, 20.0, 60.0, 120.0, 190.0):
        need = 6.0 + 1.06 * watts + 0.0004 * watts**2
        amps = need / 12.0
        for _ in range(40):
            amps = need / (12.7 - amps * (source_ohm + lead_ohm))
        source = 12.7 - source_ohm * amps
        for _ in range(10):
            rows.append((time, source, source - lead_ohm * amps, amps, 230.0 - 0.02 * watts, watts, 50.0))
            time += 2.0
    if ends_off:
        for rest in (12.6, 12.65, 12.68):
            rows.append((time, rest, rest, 0.0, 0.0, 0.0, 0.0))
            time += 30.0
    return rows


@pytest.mark.parametrize(
    "lead_ohm, source_ohm, battery, ended_by, says",
    [
        (0.08, 0.015, "12 V 45 Ah lead-acid", "leads", "shorter or thicker ones keep it running longer"),
        (0.005, 0.07, "12 V 45 Ah lead-acid", "inverter", "its own low-voltage cut-off, on the loaded voltage"),
        (0.005, 0.07, "", "inverter", "its own low-voltage cut-off"),
        (0.005, 0.015, "12 V 45 Ah lead-acid", "not known", "that is no low voltage"),
    ],
)
def test_what_ended_load_steps(tmp_path, lead_ohm, source_ohm, battery, ended_by, says):
    log = write(tmp_path, steps_rows(lead_ohm, source_ohm=source_ohm), STEPS)
    made = said(log, "--method", "steps", "--rated", "200 W", "--tolerance", "230 V 10%", *(("--battery", battery) if battery else ()))
    assert made["ended_by"] == ended_by
    assert says in made["sentence"]
    found = {key: f["value"] for key, f in made["findings"].items()}
    assert found["lead_resistance"] == pytest.approx(lead_ohm, rel=0.02)
    assert found["idle_power"] == pytest.approx(6.0, rel=0.01)
    assert found["output_sag"] == pytest.approx(3.8, abs=0.05)
    assert found["frequency"] == pytest.approx(50.0)
    assert found["recovered"] == pytest.approx(12.68)


def test_load_steps_that_all_were_carried(tmp_path):
    made = said(write(tmp_path, steps_rows(0.01, ends_off=False), STEPS), "--method", "steps", "--rated", "200 W")
    assert made["ended_by"] == "end of log"
    assert "It carried every step." in made["sentence"]


def test_a_battery_that_is_not_understood(tmp_path):
    done = ubrant("analyse", write(tmp_path, steps_rows(0.01), STEPS), "--method", "steps", "--battery", "big")
    assert done.returncode != 0
    assert done.stderr.startswith("--battery:") or "--battery:" in done.stderr
    assert "Traceback" not in done.stderr


def test_columns_can_be_named(tmp_path):
    rows = steps_rows(0.01, ends_off=False)
    own = said(write(tmp_path, rows, STEPS), "--method", "steps", "--rated", "200 W")
    columns = "time=t,source voltage=s,input voltage=u,input current=i,ac voltage=o,ac power=p,ac frequency=f"
    assert (
        said(write(tmp_path, rows, "t,s,u,i,o,p,f\n"), "--method", "steps", "--rated", "200 W", "--columns", columns)["findings"]
        == own["findings"]
    )
