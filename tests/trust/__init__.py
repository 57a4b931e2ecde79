"""What must never be answered wrongly: records as people really have them, and what a person reads about them."""
