"""What a test would be worth before it is made: how much of an answer's doubt it would take, and whether it might change a decision."""
