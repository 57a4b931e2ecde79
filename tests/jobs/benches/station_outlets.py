"""What a station burns by itself, outlet by outlet, over three days."""

from tests.jobs.job import Job, Thing

JOB = Job(
    Thing("Hall station", "500 Wh", "station"),
    "What does it burn just being on?",
    "standing",
    ((0, "station full"), (720, "station 64 %"), (2160, "station 48 %"), (10800, "station 47 %")),
    "AC on: 15.0 W",
    {"self_power_1": 0.36 * 500 / 12, "self_power_2": 0.16 * 500 / 24},
    fields={"on": "AC; 12 V; all off"},
)
