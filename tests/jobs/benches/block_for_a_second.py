"""A gate's block, three minutes: does it sag?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Gate block", "12 V 45 Ah lead-acid", "battery"),
    "How much does it sag under load?",
    "short-load",
    ((0, "12.71 V 0.00 A"), (0.25, "12.58 V 8.0 A"), (0.6, "12.39 V 20.0 A")),
    "0.32 V lower under 20.0 A",
    {"resistance": 0.0159},  # 0.32 V at 20 A, and 0.13 V at 8: the line through all three
    fields={"amps": "20 A", "lowest": "11 V"},
)
