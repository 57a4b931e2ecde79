"""Puts a plan, a bench and a logbook together: begins runs, brings logs in, works out what was kept.

The window, the command line and the demo all go through here, so that a run is the same thing wherever it came from.
No sums of its own (those are core's) and nothing that is shown.
"""
