"""Cells of one's own making, loaded more and more: where do they give most?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Odd cells", "6 V odd cells", "source"),
    "What does it really give?",
    "source",
    tuple(
        (k, line)
        for k, line in enumerate(
            ("6.31 V 0 A", "6.02 V 0.10 A", "5.71 V 0.20 A", "5.10 V 0.40 A", "3.90 V 0.80 A", "3.00 V 1.10 A", "2.10 V 1.40 A")
        )
    ),
    "6.310 ± 0.045 V with nothing attached, 3.011 ± 0.042 Ω inside",
    {},
)
