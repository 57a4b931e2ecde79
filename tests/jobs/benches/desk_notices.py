"""A sound desk on mains, pack and its own battery: does it notice when one goes?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Desk", "12 V, 30 W", "load"),
    "Does the load notice when its source changes?",
    "handover",
    ((0, "12.1 V runs"), (1, "11.6 V falters"), (2, "12.2 V runs"), (3, "12.4 V runs")),
    "3 of 4 changes held, the output never below 11.600 ± 0.091 V",
    {},
    fields={"sources": "mains, pack, its own", "least_v": "10.8 V"},
)
