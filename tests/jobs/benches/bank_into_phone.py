"""A pocket bank and one phone: how often?"""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Pocket bank", "20000 mAh 3.7 V", "bank"),
    "How often will it fill my device?",
    "recharge",
    ((0, "source 97 % device empty"), (65, "source 80 % device 41 %"), (150, "source 55 % device full")),
    "One recharge takes 31.1 Wh (20 to 35) of Pocket bank",
    {"charges_from_full": 100 / 42, "recharge_energy": 0.42 * 74},  # 42 points for one, from full
    device=Thing("Reader", "5 Ah 3.85 V", "load"),
)
