"""Write a small logbook in today's format, to be kept for all time: ``python -m tests.logbook.make_golden`` once for each format."""

from __future__ import annotations

from pathlib import Path

from tests.making import falling
from ubrant.core.equipment.meter import Meter
from ubrant.core.equipment.unit import Unit
from ubrant.logbook.file import FORMAT
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.logs.log_file import LogFile
from ubrant.runs.coming_in.bringing_in import LogOptions, from_log, keep, under_options

GOLDEN = Path(__file__).parent / "golden"


def main() -> None:
    path = GOLDEN / f"format{FORMAT}.ubrant"
    path.unlink(missing_ok=True)
    logbook = Logbook(path)
    unit = logbook.keep_unit(Unit("Pack", "battery", "50 Ah 12.8 V LiFePO4", note="kept for all time"))
    logbook.keep_meter(Meter("Meter", "0.1 % + 3 mV", "0.5 % + 5 mA", max_a=20))
    body = falling(every_s=60.0)
    log = LogFile("pack.csv", body.time_s, body.voltage_v, body.current_a)
    told = LogOptions(said={"cutoff": "11 V"}, accuracies=("0.1 % + 3 mV", "0.5 % + 5 mA", "", ""), unit=unit, temperature_c=20.0)
    run = keep(logbook, under_options(from_log(log), told), unit)
    logbook.note(run.id, 600.0, "case warm")
    logbook.close()


if __name__ == "__main__":
    main()
