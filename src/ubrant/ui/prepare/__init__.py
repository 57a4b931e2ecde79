"""The Prepare stage: unit, method, path and meters; what to expect, what to watch for, what speaks against it."""
