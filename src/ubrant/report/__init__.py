"""Findings as a document to print or send: HTML and PDF, and the figures in it. Nothing is worked out here."""
