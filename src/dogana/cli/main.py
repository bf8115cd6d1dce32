"""`dogana`: every command."""

import asyncio
import json
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from dogana import __version__
from dogana.cli import bench, estate, keys, ledger, offline, people, processes, setup, watch
from dogana.cli.files import policy_of
from dogana.cli.offline import AsJson, Baseline
from dogana.cli.starting import keep_quiet
from dogana.settings import Settings
from dogana_client.commands import app as pipeline
from dogana_client.refusal import refuse

app = typer.Typer(
    help="Dogana: may this release enter?",
    epilog=f"For pipelines: {', '.join(pipeline.commands)}. Each says with --help what it takes.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
)
app.add_typer(ledger.app, name="ledger")
app.command()(offline.inspect)
app.command()(offline.forecast)
app.command()(watch.watch)
app.add_typer(estate.app, name="estate")
app.command()(estate.where)
for command in (processes.serve, processes.work, processes.migrate, processes.check):
    app.command()(command)
app.add_typer(people.app, name="person")
app.add_typer(setup.app, name="setup")
app.add_typer(keys.key_commands, name="key")
app.add_typer(keys.seal_commands, name="seal")
policy_commands = typer.Typer(help="Policy documents.", no_args_is_help=True)
app.add_typer(policy_commands, name="policy")
app.add_typer(bench.app, name="bench")


def _version(asked: bool) -> None:
    if asked:
        typer.echo(f"dogana {__version__}")
        raise typer.Exit


@app.callback()
def root(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """Dogana: may this release enter?"""
    del version
    keep_quiet()


@app.command()
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


@app.command()
def tour() -> None:
    """Take one promotion through, from request to verified ledger, against the demo or a private instance."""
    from dogana.demo.tour import run_tour

    raise typer.Exit(run_tour(Path.cwd()))


@app.command("test")
def run_tests(
    only: Annotated[
        str | None, typer.Option(help="Run one step, by name; `nightly` runs by name alone.")
    ] = None,
) -> None:
    """Run every check: style, types, layers, front end, tests."""
    from dogana.cli.checks import run_checks

    raise typer.Exit(run_checks(Path.cwd(), only))


@app.command()
def openapi() -> None:
    """Print the OpenAPI document of the web interface."""
    from dogana.web.app import make_app
    from dogana.wiring import backend_for

    async def main() -> dict[str, object]:
        settings = Settings(database_url="postgresql+psycopg://nobody@127.0.0.1/none")
        async with backend_for(settings) as backend:
            return make_app(settings, backend).openapi()

    typer.echo(json.dumps(asyncio.run(main()), indent=1, ensure_ascii=False, sort_keys=True))


@policy_commands.command("schema")
def schema(
    of: Annotated[str, typer.Option(help="policy, facts or decisions.")] = "policy",
) -> None:
    """Print the JSON Schema of policies, or of the facts and decisions they are held against."""
    from dogana.core.decisions import Decisions
    from dogana.core.document import schema_of
    from dogana.core.facts import Facts
    from dogana.core.policy.document import policy_schema

    made: dict[str, Callable[[], dict[str, object]]] = {
        "policy": policy_schema,
        "facts": lambda: schema_of(Facts),
        "decisions": lambda: schema_of(Decisions),
    }
    if of not in made:
        refuse(f"There are schemas of {', '.join(made)}.")
    typer.echo(json.dumps(made[of](), indent=2, ensure_ascii=False))


@policy_commands.command("check")
def check(path: Path, baseline: Baseline = None) -> None:
    """Check a policy document; exits 64 with the place and the reason of every fault."""
    policy = policy_of(path, baseline)
    typer.echo(f"{policy.title}: {len(policy.rules)} rules, {policy.digest}")


@policy_commands.command("diff")
def diff(before: Path, after: Path) -> None:
    """Say in words what changed from one policy to another; exits 0 when nothing did, 1 otherwise."""
    from dogana.core.policy.difference import differences

    said = differences(policy_of(before), policy_of(after))
    typer.echo("\n".join(said) or "They mean the same.")
    raise typer.Exit(1 if said else 0)


@policy_commands.command("compare")
def compare(live: Path, rehearsal: Path, baseline: Baseline = None, *, as_json: AsJson = False) -> None:
    """Say how strict the first policy is beside the second, rule by rule.

    Exits 0 when it is at least as strict, 1 when it is laxer, 2 when they cannot be compared.
    """
    from dogana.core.policy.comparison import compared
    from dogana.core.strictness import Order

    first, second = (
        policy_of(path, baseline if policy_of(path).inherits else None, whole=True)
        for path in (live, rehearsal)
    )
    found = compared(second, first)
    if as_json:
        typer.echo(json.dumps(found.plain(), indent=2, ensure_ascii=False))
    else:
        for line in found.rules:
            typer.echo(f"{line.order:>12}  {line.title} ({line.kind}): {line.says}")
        words = {Order.EQUAL: "as strict as", Order.INCOMPARABLE: "neither stricter nor laxer than"}
        typer.echo(f"\n{first.title} is {words.get(found.order, f'{found.order} than')} {second.title}.")
    raise typer.Exit({Order.LAXER: 1, Order.INCOMPARABLE: 2}.get(found.order, 0))


if __name__ == "__main__":
    app()
