"""`awl completion`: commands and options completed in a shell."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class

from awl.core.errors import AwlError

SHELLS = ("bash", "zsh", "fish")


@click.command()
@click.argument("shell", type=click.Choice(SHELLS))
def command(shell: str) -> None:
    """Print the script that completes commands and options in a shell.

    Example: awl completion bash > ~/.local/share/bash-completion/completions/awl
    """
    completion_class = get_completion_class(shell)
    if completion_class is None:
        raise AwlError(f"There is no completion for {shell}", remedy=f"Choose {', '.join(SHELLS)}")
    from awl.cli import main

    click.echo(completion_class(main, {}, "awl", "_AWL_COMPLETE").source())
