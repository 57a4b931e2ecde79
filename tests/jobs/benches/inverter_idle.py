"""What a hut's inverter burns with nothing attached."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Hut", "12 V to 230 V sine, 300 W", "inverter"),
    "What does it burn just being on?",
    "idle",
    ((0, "input 12.8 V 0.00 A"), (2, "input 12.8 V 0.35 A"), (4, "input 12.8 V 0.04 A economy")),
    "Idle draw 4.4",
    {"idle_power": 12.8 * 0.35},
)
