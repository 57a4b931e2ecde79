"""The bench: the engine that carries a method out, clocks, instruments, and the simulated bench in ``standins``.

Knows nothing of logbooks or windows: it is handed a Recorder and a Clock. Instrument code cannot tell stand-ins from hardware.
"""
