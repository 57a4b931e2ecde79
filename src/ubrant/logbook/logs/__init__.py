"""Logs that other programs and people wrote, read into columns: text in any dialect, sheets, jot text, packages.

``read.py`` is the way in. Nothing here writes, and nothing here knows of units, meters or verdicts.
"""
