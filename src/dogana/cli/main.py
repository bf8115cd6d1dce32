"""`dogana`: every command."""

from collections.abc import Iterable
from importlib import import_module
from typing import Annotated

import typer

from dogana import __version__
from dogana.cli.starting import keep_quiet
from dogana_client.commands import app as pipeline

COMMANDS = {
    "ledger": "ledger:app",
    "inspect": "offline:inspect",
    "forecast": "offline:forecast",
    "watch": "watch:watch",
    "estate": "estate:app",
    "where": "estate:where",
    "serve": "processes:serve",
    "work": "processes:work",
    "migrate": "processes:migrate",
    "check": "processes:check",
    "person": "people:app",
    "setup": "setup:app",
    "key": "keys:key_commands",
    "seal": "keys:seal_commands",
    "policy": "policy:app",
    "bench": "bench:app",
    "demo": "checkout:demo",
    "tour": "checkout:tour",
    "test": "checkout:run_tests",
    "openapi": "checkout:openapi",
}
"""Where each stands: its module in this package, and its name there."""


def _version(asked: bool) -> None:
    if asked:
        typer.echo(f"dogana {__version__}")
        raise typer.Exit


def _root(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """Dogana: may this release enter?"""
    del version
    keep_quiet()


def app_of(names: Iterable[str]) -> typer.Typer:
    """The command line with some of its commands: all of them, with what they use, take long to load."""
    app = typer.Typer(
        help="Dogana: may this release enter?",
        epilog=f"For pipelines: {', '.join(pipeline.commands)}. Each says with --help what it takes.",
        no_args_is_help=True,
        pretty_exceptions_enable=False,
    )
    app.callback()(_root)
    for name in names:
        module, _, part = COMMANDS[name].partition(":")
        found = getattr(import_module(f"dogana.cli.{module}"), part)
        if isinstance(found, typer.Typer):
            app.add_typer(found, name=name)
        else:
            app.command(name)(found)
    return app
