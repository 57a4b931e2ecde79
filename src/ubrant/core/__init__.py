"""The sums: arrays and dataclasses in, findings out.

Here live the energy and charge sums, uncertainty, verdicts, the label grammar and the physical models.
No Qt, no files, no real clock and no threads: everything here can be called from a test with plain values.
"""

FINDINGS_VERSION = 18
"""Raised whenever a finding would come out differently for the same readings, or others are kept; cached findings carry it."""
