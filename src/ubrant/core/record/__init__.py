"""Everything known of a run, whatever road it came in by: one record, its typed events, and the questions that are put to it.

Raw readings are interpreted here and nowhere else. No sums over a whole test (those are the methods'), no files.
"""
