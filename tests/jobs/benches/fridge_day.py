"""A fridge over a day by its plug meter."""

from tests.jobs.job import PLUG, Job, Thing

JOB = Job(
    Thing("Fridge", "230 V, 90 W", "load"),
    "What does it use in a day?",
    "plug-day",
    ((0, "1.1 W"), (1, "84 W"), (2, "0 Wh"), (2 + 24.3 * 60, "0.874 kWh")),
    "35.97 ± 0.42 W on average, 863 ± 150 Wh a day",
    {"energy_day": 1000 * 0.874 * 24 / 24.3},
    {"": PLUG},
)
