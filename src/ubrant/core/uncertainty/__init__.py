"""Findings and what their uncertainty is made of."""
