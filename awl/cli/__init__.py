"""The command `awl`. Errors are one line on standard error that says what is wrong and what to do; exit status 2.

A command is a module of its own, imported when it is run: help and errors of the command line come at once.
"""

from __future__ import annotations

import importlib
import sqlite3
import sys
from typing import Any, NoReturn

import click

from awl import __version__
from awl.core.errors import AwlError, nearest

COMMANDS: dict[str, str] = {
    "demo": "Serve the shipped demo study of Ferrow.",
    "serve": "Serve the studies in a folder with the browser interface and the web API.",
    "build": "Build a study with a street graph from map extracts, a line layer or a ready graph.",
    "add": "Add a layer or a raster to a study.",
    "info": "Print what is in a study.",
    "layer": "List, describe and remove layers.",
    "mode": "List, show, change and import modes.",
    "check": "Look for faults of the streets of a study.",
    "edit": "Change the streets of a study, undo and redo.",
    "what-if": "List, make, copy, merge and drop what-ifs.",
    "connect": "Join zone centroids to their nearest streets.",
    "ask": "Run one question; print the results or write a file.",
    "compare": "Set answers of a kind against each other.",
    "sheet": "List, copy, export, import, check and drop sheets.",
    "run": "Run every question of a saved sheet.",
    "report": "Write a sheet as one page that opens offline.",
    "export": "Write the street graph, a layer or an answer in an open format.",
    "completion": "Print the script that completes commands in a shell.",
}
"""Every command and what it does, in the order of a first job."""


class Commands(click.Group):
    """Imports a command when it is run, and turns `AwlError` into one line and exit status 2."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """The names of all commands."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, name: str) -> click.Command | None:
        """A command by its name."""
        if name not in COMMANDS:
            return None
        command: click.Command = importlib.import_module(f"awl.cli.{name.replace('-', '_')}").command
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """The command named first among the arguments."""
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            fail(f"There is no command '{args[0][:40]}'.{nearest(args[0], COMMANDS)} See awl --help.")
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The list of commands, without importing them."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))

    def invoke(self, ctx: click.Context) -> Any:
        """Run a command."""
        try:
            return super().invoke(ctx)
        except AwlError as error:
            fail(error.detail)
        except BrokenPipeError:
            sys.exit(1)
        except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
            fail(f"The study is damaged or cannot be written ({error}). Restore a copy, and check space and rights.")
        except OSError as error:
            fail(f"{error.filename or 'A file'}: {error.strerror or error}. Check space and rights.")


def fail(text: str) -> NoReturn:
    """End the command with a line on standard error and exit status 2."""
    click.echo(f"awl: {text}", err=True)
    sys.exit(2)


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="awl")
def main() -> None:
    """Accessibility questions on street networks.

    A first job: awl build town.osm.pbf --study town.gpkg, awl add zones.gpkg --study town.gpkg, awl serve town.gpkg
    """
