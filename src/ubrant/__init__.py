"""Ubrant: a bench log for batteries, banks, converters and inverters."""

__version__ = "0.1.0"
