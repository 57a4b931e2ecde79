"""What a person types: taken down, changed, taken back, shown as a table; a run made by hand."""
