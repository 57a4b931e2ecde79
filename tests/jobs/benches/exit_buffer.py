"""A capacitor into a steady ampere: is it the size it says? I·t/V = 60 C / 1.20 V."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Exit buffer", "100 F 5.4 V", "source"),
    "Is it the size it says?",
    "capacitor",
    ((0, "5.40 V 0 A"), (2, "5.35 V 1.00 A"), (4, "4.15 V 1.00 A"), (6, "2.95 V 1.00 A"), (8, "1.75 V 1.00 A"), (10, "1.80 V 0 A")),
    "100.0 ± 2.7 F from 5.35 to 1.75 V, 50.0 ± 8.3 mΩ inside",
    {"capacitance": 120 / 1.20},
)
