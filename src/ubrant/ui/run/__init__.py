"""The Run stage: what is going on, live."""
