"""The demo: a touring star dome's batteries and loads, tested on the simulated bench. Every number comes from a run, none is typed in."""
