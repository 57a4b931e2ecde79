"""A bank emptied into a tablet and a phone, a counter between."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Bench bank", "20000 mAh 3.7 V", "bank"),
    "Emptied into several things: how much did each get?",
    "emptying",
    (
        (0, "source 100 % device empty output 0.00 Wh"),
        (150, "source 47 % device full output 36.2 Wh"),
        (151, "source 47 % device 20 % output 36.2 Wh"),
        (235, "source 33 % device full output 46.1 Wh"),
    ),
    "Gave 46.10 ± 0.60 Wh",
    {"took_1": 36.2, "took_2": 9.9, "given": 46.1},
    fields={"devices": "tablet 7.6 Ah 3.85 V; phone 11 Wh", "counter": "counts Wh"},
)
