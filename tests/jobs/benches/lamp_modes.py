"""A lamp off a plug meter, standing by and on."""

from tests.jobs.job import PLUG, Job, Thing

JOB = Job(
    Thing("Lamp", "230 V, 52 W", "load"),
    "What does it draw?",
    "appliance",
    ((0, "231 V 0.01 A 0.5 W standby"), (3, "231 V 0.39 A 51 W on")),
    "Draws 51.00 ± 0.89 W at its most (on)",
    {},
    {"": PLUG},
    {"modes": "standby, on"},
)
