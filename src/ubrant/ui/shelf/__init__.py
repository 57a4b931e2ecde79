"""The Shelf stage: units as cards, meters, runs, search; adding and editing a unit from its label."""
