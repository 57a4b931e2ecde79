"""What a logbook keeps of runs, worked out and named for whoever shows it."""
