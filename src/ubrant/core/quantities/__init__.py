"""What people write: quantities and their units, accuracies, tolerances, labels, chemistries, jots."""
