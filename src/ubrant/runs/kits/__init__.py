"""Outlooks: the pieces of a kit as people write them, and what was measured of them."""
