"""A station run down at a heater: does its display tell the truth?"""

from tests.jobs.job import PLUG, Job, Thing

JOB = Job(
    Thing("Hall station", "500 Wh", "station"),
    "Does its display tell the truth?",
    "output",
    (
        (0, "load on output 200 W station 100 % 2.0 h left"),
        (30, "output 200 W station 75 % 1.5 h left"),
        (60, "output 200 W station 45 % 0.9 h left"),
        (85, "output 200 W station 12 %"),
        (90, "empty"),
    ),
    "Gives 300",
    {"energy_out": 300.0, "hours_come": 100 * (1.5 / 2.0 + 1.0 / 1.5 + 0.5 / 0.9) / 3},
    {"": PLUG},
    {"volts": "230 V", "amps": "0.87 A", "full": "yes"},
    warns=("It said 2.00 h left, and 1.50 h came",),
)
