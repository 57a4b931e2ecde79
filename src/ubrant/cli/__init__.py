"""The command line: :mod:`app` is the way in, the other modules hold its commands."""

from ubrant.cli import ahead, kept, logs
from ubrant.cli.app import app, main

__all__ = ["ahead", "app", "kept", "logs", "main"]
