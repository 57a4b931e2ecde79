"""A breaker at half as much again and at twice its rating, cold each time."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Van breaker", "30 A breaker", "lead"),
    "When does it open?",
    "trip",
    ((0, "31 A"), (61, "held"), (80, "60 A"), (80.5, "tripped")),
    "Opens at 60.0 A (2 ×) after 30 s",
    {"opens_2": 30.0, "trip_current": (31 + 60) / 2},
    fields={"amps": "31, 60 A"},
)
