"""A station filled from the wall and emptied into a heater, a plug meter on each side."""

from tests.jobs.job import PLUG, Job, Thing

JOB = Job(
    Thing("Hall station", "500 Wh", "station"),
    "What do I get back of what I put in?",
    "round-trip",
    (
        (0, "input 0.0 Wh station 5 %"),
        (180, "input 566.0 Wh station full"),
        (240, "output 0.0 Wh station full"),
        (540, "output 402.0 Wh station 5 %"),
    ),
    "71.0 ±",
    {"back": 100 * 402 / 566, "lost": 164.0},
    {"": PLUG},
)
