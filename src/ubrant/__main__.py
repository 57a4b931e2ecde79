"""``python -m ubrant``."""

from ubrant.cli import main

main()
