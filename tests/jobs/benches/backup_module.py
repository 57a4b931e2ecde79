"""A small backup module: charged and loaded at once, what can it carry for ever?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Pack", "20 Ah 12.8 V LiFePO4", "battery"),
    "What can it carry without running down while it is fed?",
    "balance",
    (
        (0, "charger 13.9 V 2.00 A load 13.6 V 0 A battery 13.7 V -2.00 A"),
        (10, "charger 13.8 V 2.00 A load 13.4 V 1.00 A battery 13.5 V -1.00 A"),
        (20, "charger 13.5 V 2.00 A load 12.9 V 3.00 A battery 13.1 V 1.00 A"),
    ),
    "It carries 26.05 ± 0.56 W without running down",
    {},
    fields={"loads": "0, 1, 3 A"},
)
