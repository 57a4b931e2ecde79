"""Sums of batteries, shared by methods, report and outlook."""
