"""A lamp on a bank with no meter at all."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Night bank", "12000 mAh 3.7 V", "bank"),
    "How long does it run a thing?",
    "endurance",
    ((0, "load on"), (59, "still on"), (119, "alarm"), (132, "empty")),
    "It ran for 2 h 12 min ± 49 s, so it drew 13 to 20 W",
    {},
    fields={"settings": "dim"},
)
