"""The command line, and the way into the window."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import typer

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # sums are made in blocks that one thread does quickest, and NumPy starts sooner

from ubrant import __version__
from ubrant.core.wording import visible

app = typer.Typer(add_completion=False, no_args_is_help=False, rich_markup_mode=None, pretty_exceptions_enable=False)


@app.callback(invoke_without_command=True)
def window(
    context: typer.Context,
    logbook: Path | None = typer.Option(None, help="A logbook to open instead of the last one."),
    version: bool = typer.Option(False, "--version", help="Say which Ubrant this is."),
) -> None:
    """Ubrant: a bench log that does the sums and says how sure it is. Without a command it opens the last logbook."""
    if version:
        print(f"Ubrant {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        from ubrant.ui.window.application import open_window  # Qt is loaded for a window only

        raise typer.Exit(open_window(logbook))


@app.command()
def demo() -> None:
    """Open the demo logbook: a touring star dome's batteries, tested on the simulated bench."""
    from ubrant.ui.window.application import open_demo

    raise typer.Exit(open_demo())


def main() -> None:
    """The ``ubrant`` command. A logbook named on its own is opened, as a file manager asks for it."""
    if len(sys.argv) == 2 and sys.argv[1].endswith(".ubrant"):
        sys.argv[1:] = ["--logbook", sys.argv[1]]
    from ubrant.logbook.file import LogbookError

    try:
        app()
    except LogbookError as error:  # damage that only showed in the middle of something: it says so itself
        print(visible(str(error)), file=sys.stderr)
        sys.exit(2)
