"""What stands on the bench: units, meters, leads."""
