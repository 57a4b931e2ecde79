"""Compare: runs laid over each other, what differs, the difference with its own ±, ageing."""
