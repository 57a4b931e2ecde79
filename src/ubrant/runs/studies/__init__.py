"""Several runs held against each other."""
