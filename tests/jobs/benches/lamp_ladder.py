"""A lamp on a bench supply that is turned down: where does it dim, where does it stop, where does it start again?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Torch", "3.7 V, 2 W", "load"),
    "At what volts does it start, falter and stop?",
    "ladder",
    (
        (0, "4.10 V 0.402 A runs"),
        (1, "3.60 V 0.421 A runs"),
        (2, "3.20 V 0.433 A dims"),
        (3, "2.90 V 0 A off"),
        (4, "3.20 V 0 A does not start"),
        (5, "3.60 V 0.421 A starts"),
    ),
    "Starts at 3.40 ± 0.23 V",
    {"falters_at": (3.60 + 3.20) / 2, "off_at": (3.20 + 2.90) / 2, "starts_at": (3.60 + 3.20) / 2},
    fields={"volts": "4.1, 3.6, 3.2, 2.9 V"},
)
