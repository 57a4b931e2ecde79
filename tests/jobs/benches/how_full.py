"""A camper's battery that has rested: how full?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Van battery", "12 V 82 Ah lead-acid", "battery"),
    "How full is it now?",
    "fullness",
    ((0, "12.37 V"),),
    "About 70 % full",
    {},
    fields={"rested_s": "5 h"},
)
