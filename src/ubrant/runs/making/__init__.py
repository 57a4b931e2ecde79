"""A run is begun, made, gone on with, on whichever bench."""
