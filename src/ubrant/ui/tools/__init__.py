"""For developers: pictures for the documentation, and what is to be translated."""
