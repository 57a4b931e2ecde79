"""Models of packs, circuits and converters, for rehearsal and the simulated bench."""
