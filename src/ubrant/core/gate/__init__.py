"""The gate: what a record has to pass before an account of it is believed. Tables of checks that can be read, each with its reason."""
