"""What comes from elsewhere: logs, packages, jot texts, other logbooks."""
