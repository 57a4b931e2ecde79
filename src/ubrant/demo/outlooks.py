"""What the touring dome asks before an evening: will it last, on which pack, and what if."""

from __future__ import annotations

from ubrant.core.outlook.answers import look
from ubrant.logbook.logbook import Logbook
from ubrant.logbook.records import StoredOutlook
from ubrant.runs.kits.kit_file import kit_of
from ubrant.runs.kits.kit_rows import INPUT, LOAD, SOURCE, WAY, kit_part_of
from ubrant.runs.kits.measured import measured_in
from ubrant.runs.kits.outlooks import sentence
from ubrant.runs.kits.past_outlooks import inputs_of

SHOWINGS = "Three showings in the village hall"
_SHOWS = "18:30 to 19:15, 19:35 to 20:20, 20:40 to 21:25"
_KIT = (
    (WAY, "Hall 1000, leads 1.5 m 4 mm²"),
    (LOAD, "Blower 57 W 15:30 to 22:30, start 96 W"),
    (LOAD, f"Projector, mode full, {_SHOWS}"),
    (LOAD, f"Sound 12 W {_SHOWS}, standby 3 W"),
    (INPUT, "Roof panel 24 W sun 07:00 to 19:20"),
)
_PACK_A, _PACK_B = (SOURCE, "Dome pack A, usable 90 %"), (SOURCE, "Dome pack B, usable 90 %")
_DC = (LOAD, "Blower 38 W 15:30 to 22:30, straight")
OUTLOOKS = (
    (
        SHOWINGS,
        "2026-10-24T09:00:00+00:00",
        "15:30",
        [_PACK_A, *_KIT],
        [
            ("on pack B", [_PACK_B, *_KIT], "15:30"),
            ("blower by 12 V", [_PACK_A, _KIT[0], _DC, *_KIT[2:]], "15:30"),
            ("pack B after pack A", [_PACK_A, (SOURCE, "Dome pack B, usable 90 %, swap 3 min"), *_KIT], "15:30"),
        ],
    ),
    (
        "The hall's fridge on the station",
        "2026-11-10T10:00:00+00:00",
        "",
        [(SOURCE, "Hall station, usable 95 %"), (WAY, "its mains output 88 %, idle 9 W"), (LOAD, "Hall fridge 71 W 36 %")],
        [
            (
                "started warm, does not cycle",
                [(SOURCE, "Hall station, usable 95 %"), (WAY, "its mains output 88 %, idle 9 W"), (LOAD, "Hall fridge 71 W")],
                "",
            )
        ],
    ),
)


def keep_outlooks(logbook: Logbook) -> None:
    """Each as it was kept, with its what-ifs."""
    measured = measured_in(logbook)
    for name, made, starts, rows, variants in OUTLOOKS:
        part = kit_part_of(rows, starts, name)
        looked = look(kit_of(part, measured))
        runtime = "" if looked.runtime_s is None else f"{looked.runtime_s:.0f}"
        logbook.keep_outlook(StoredOutlook(name, None, made, {**inputs_of(part, variants, None), "runtime_s": runtime}, sentence(looked)))
