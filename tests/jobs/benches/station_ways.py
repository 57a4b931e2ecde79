"""A dock from the mains socket or the 12 V socket: which way?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Hall station", "500 Wh 25.6 V", "station"),
    "Which way feeds a thing longest?",
    "ways",
    ((0, "source 31 W load 19 W"), (5, "source 23 W")),
    "Mains socket: 31.00 W (no ±), from full 16.13 h (no ±)",
    {"source_power_1": 31.0, "source_power_2": 23.0},
    fields={"ways": "mains socket, 12 V socket"},
    device=Thing("Dock", "12 V, 20 W", "load"),
)
