"""What becomes known of a run after it was made, and what follows."""
