"""What a sweep looks like: its grid, the loss curve with its parts stacked, the efficiency map, the ladder of thresholds; its form."""
