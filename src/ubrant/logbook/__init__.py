"""The logbook file (SQLite) and what goes into it from outside: logs in open formats.

Nothing is computed here but what storing needs; nothing here knows of windows or instruments.
"""
