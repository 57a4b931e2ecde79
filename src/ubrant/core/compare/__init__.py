"""Runs held against each other: differences with their own ±, and how a unit ages."""
