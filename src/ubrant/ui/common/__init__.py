"""What several stages work with: the workbench, settings, photos."""
