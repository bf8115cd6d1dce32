"""How every command says that it cannot use what it was given."""

from typing import NoReturn

import typer

UNUSABLE = 64


def refuse(message: str) -> NoReturn:
    """Say why the input cannot be used, and end with 64."""
    typer.echo(message, err=True)
    raise typer.Exit(UNUSABLE)
