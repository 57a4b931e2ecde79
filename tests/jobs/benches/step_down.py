"""A step-down at three loads and two inputs: what is lost in it?"""

from tests.jobs.job import GOOD, Job, Thing

JOB = Job(
    Thing("Step-down", "12 V to 5 V, 2 A", "converter"),
    "How much is lost in it?",
    "sweep",
    tuple(
        (2.0 * k, f"input {v} V {0.02 + p * 1.08 / v:.3f} A output 5.00 V {p / 5:.3f} A")
        for k, (v, p) in enumerate((v, p) for v in (12.0, 9.0) for p in (0, 2, 5, 10))
    ),
    "Best 90.8 ± 2.4 % at 10.00 W",
    {},
    {"": GOOD},
    {"hand_inputs": "12, 9 V", "hand_loads": "0, 0.4, 1, 2 A"},
)
