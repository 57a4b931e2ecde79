"""Days at the bench: tests of things on the shelf laid into hours, tools and visits, kept, lived and told."""
