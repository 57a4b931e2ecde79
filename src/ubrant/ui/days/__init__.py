"""Days at the bench: visits first, bars second; what is next; what comes of being late."""
