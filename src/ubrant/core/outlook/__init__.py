"""How long a kit runs, what goes first and what it takes: sources, ways, loads and inputs walked through time, with a band."""
