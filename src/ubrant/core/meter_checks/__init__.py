"""Sums of checking a meter: against another, against its own past, against what else reads the same."""
