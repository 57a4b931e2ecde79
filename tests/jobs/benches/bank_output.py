"""A bank's label at its 5 V output, by an in-line USB meter, until it switches itself off."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Ticket bank", "24000 mAh 3.7 V", "bank"),
    "Does it give what it claims?",
    "output",
    (
        (0, "load on output 5.06 V 1.00 A bank 100 %"),
        (180, "output 5.06 V 1.00 A bank 76 %"),
        (420, "output 5.06 V 1.00 A bank 45 %"),
        (780, "output 5.06 V 1.00 A bank 3 %"),
        (780, "empty"),
    ),
    "Gives 65.8",
    {"energy_out": 13 * 5.06, "label_share": 100 * 13 * 5.06 / 88.8},
    fields={"volts": "5 V", "amps": "1 A", "full": "yes"},
)
