"""A fuse holder that gets warm."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Fuse holder", "30 A fuse", "lead"),
    "How much does it lose, and does it get warm?",
    "joint",
    ((0, "1.4 mV 1.00 A"), (2, "6.1 mV 5.02 A"), (4, "12.3 mV 10.1 A"), (6, "25.2 mV 20.4 A warm")),
    "1.230 ± 0.042 mΩ across it",
    {"resistance": 1.23e-3},
    {"": ("0.5 % + 0.1 mV", "1 % + 10 mA", "")},
    {"currents": "1, 5, 10, 20 A"},
)
