"""Puts a method, a bench and a logbook together: begins runs, goes on with them, brings files in, works out what was kept.

The window, the command line and the demo all go through here, so that a run is the same thing wherever it came from. Methods are known by
their interface only; no sums of its own and nothing that is shown.
"""
