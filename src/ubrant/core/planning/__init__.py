"""Tests laid into hours, tools and visits: what may run at once, what may run alone, when the person has to be there."""
