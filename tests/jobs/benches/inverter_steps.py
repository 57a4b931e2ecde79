"""An inverter loaded more and more from its own battery: does it hold, what does it lose?"""

from tests.jobs.job import GOOD, PLUG, Job, Thing

JOB = Job(
    Thing("Hut", "12 V to 230 V sine, 300 W", "inverter"),
    "Will it run this, and does its voltage hold up?",
    "steps",
    (
        (0, "input 12.6 V 0.36 A output 231 V 0 W 50 Hz"),
        (3, "input 12.3 V 5.8 A output 230 V 65 W 50 Hz"),
        (6, "input 12.0 V 13.8 A output 229 V 150 W 50 Hz"),
        (9, "input 11.6 V 29.3 A output 227 V 300 W 50 Hz"),
        (12, "load off"),
    ),
    "Idle draw 4.54 ± 0.31 W",
    {},
    {"input": GOOD, "output": PLUG, "": GOOD},
    {"loads": "0, 65, 150, 300 W", "hold": ""},
    Thing("Pack", "12.8 V 50 Ah LiFePO4", "battery"),
)
