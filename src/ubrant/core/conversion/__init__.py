"""Sums of converters, inverters and what they feed."""
