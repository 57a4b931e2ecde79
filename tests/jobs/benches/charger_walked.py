"""A charger into a load that plays a battery, from empty to full."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Pack charger", "230 V to 14.6 V, 5 A", "charger"),
    "How does it charge, and where does it stop?",
    "charger",
    tuple(
        (2 * k, line)
        for k, line in enumerate(
            ("11.0 V 0.50 A", "11.5 V 0.50 A", "12.5 V 5.01 A", "13.5 V 5.02 A", "14.3 V 5.00 A", "14.59 V 2.60 A", "14.60 V 1.10 A")
        )
    ),
    "5.010 ± 0.063 A until 14.59 ± 0.10 V",
    {},
    fields={"low": "11 V", "high": "14.7 V"},
    device=Thing("Pack A", "12.8 V 20 Ah LiFePO4", "battery"),
)
