"""A camper van before the winter: a clamp on the battery lead, one load after the other; volts at rest first."""

from tests.jobs.job import CLAMP, Job, Thing

JOB = Job(
    Thing("Van battery", "12 V 95 Ah lead-acid", "battery"),
    "What draws on it, and how long does that last?",
    "audit",
    ((0, "12.63 V"), (1, "0.42 A"), (2, "2.10 A lights"), (3, "4.42 A pump"), (4, "6.10 A all on")),
    "All of it draws 6.10 ± 0.15 A, 0.420 ± 0.059 A of that with all off",
    {"base_current": 0.42, "current_1": 1.68, "current_2": 4.00, "left_over": 0.0},
    {"": CLAMP},
    {"loads": "lights, pump"},
)
