"""A pack at half an hour's rate, by a meter that cannot talk."""

from tests.jobs.job import GOOD, Job, Thing

JOB = Job(
    Thing("Small pack", "0.5 Ah 12.8 V LiFePO4", "battery"),
    "Does it have the capacity it claims?",
    "discharge",
    (
        (0, "13.34 V"),
        (1, "load on 13.10 V 0.50 A"),
        (16, "13.02 V 0.50 A"),
        (31, "12.98 V 0.50 A"),
        (46, "12.60 V 0.50 A"),
        (54, "11.90 V 0.50 A"),
        (57, "10.90 V 0.50 A load off"),
        (65, "12.30 V"),
    ),
    "Not like for like: it ran at 1 C, and the label means 0.2 C",
    {"charge": 0.5 * (54 + 3 * 0.9 - 1) / 60},  # 11 V lie nine tenths of the way from 11.90 to 10.90
    {"": GOOD},
    {"load": "0.5 A", "cutoff": "11 V", "temperature_c": "20 °C"},
)
