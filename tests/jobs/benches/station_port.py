"""Which battery tops up a station?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Hall station", "500 Wh 25.6 V, input 11-60 V 13 A 300 W", "station"),
    "What may I feed its input with?",
    "port",
    ((0, "input 12.4 V 8.90 A pack"), (6, "input 28.8 V 7.00 A pair")),
    "Took 201.6 ± 2.7 W at best",
    {},
    fields={"candidates": "pack 11-14.6 V; pair 22-29.2 V"},
)
