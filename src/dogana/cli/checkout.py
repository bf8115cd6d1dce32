"""Commands for whoever has the source: the demo, a tour of it, every check, the interface described."""

import asyncio
import json
from pathlib import Path
from typing import Annotated

import typer

from dogana.settings import Settings


def demo(
    port: Annotated[int | None, typer.Option(help="Port of the web process.")] = None,
    *,
    fresh: Annotated[bool, typer.Option("--fresh", help="Start over with new data.")] = False,
    bad: Annotated[
        str | None, typer.Option(help="A service whose newcomer is bad; see it taken back.")
    ] = None,
) -> None:
    """Run the demo: database, scenario, web, worker and stand-ins; Ctrl-C stops them all."""
    from dogana.demo.run import run_demo

    raise typer.Exit(run_demo(Path.cwd(), port=port, fresh=fresh, bad=bad))


def tour() -> None:
    """Take one promotion through, from request to verified ledger, against the demo or a private instance."""
    from dogana.demo.tour import run_tour

    raise typer.Exit(run_tour(Path.cwd()))


def run_tests(
    only: Annotated[
        str | None, typer.Option(help="Run one step, by name; `nightly` runs by name alone.")
    ] = None,
) -> None:
    """Run every check: style, types, layers, front end, tests."""
    from dogana.cli.checks import run_checks

    raise typer.Exit(run_checks(Path.cwd(), only))


def openapi() -> None:
    """Print the OpenAPI document of the web interface."""
    from dogana.web.app import make_app
    from dogana.wiring import backend_for

    async def main() -> dict[str, object]:
        settings = Settings(database_url="postgresql+psycopg://nobody@127.0.0.1/none")
        async with backend_for(settings) as backend:
            return make_app(settings, backend).openapi()

    typer.echo(json.dumps(asyncio.run(main()), indent=1, ensure_ascii=False, sort_keys=True))
