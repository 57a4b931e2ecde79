"""Bench procedures as generators of steps, and what can be said of them before anything is switched on.

A method yields plain dataclasses; it never touches an instrument. The same generator is run, rehearsed, summarised and printed.
"""
