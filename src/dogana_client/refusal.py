"""How every command says that it cannot use what it was given."""

import sys
from typing import NoReturn

import click

UNUSABLE = 64


def refuse(message: str, code: int = UNUSABLE) -> NoReturn:
    """Say in a sentence why it cannot be done, and end: with 64 where the input cannot be used."""
    click.echo(message, err=True)
    sys.exit(code)
