"""`dogana policy`: documents checked and compared without an installation."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from dogana.cli.asking import AsJson, Baseline
from dogana.cli.files import policy_of
from dogana.core.decisions import Decisions
from dogana.core.document import schema_of
from dogana.core.facts import Facts
from dogana.core.policy.comparison import compared
from dogana.core.policy.difference import differences
from dogana.core.policy.document import policy_schema
from dogana.core.strictness import Order
from dogana_client.refusal import refuse

app = typer.Typer(help="Policy documents.", no_args_is_help=True)


@app.command("schema")
def schema(
    of: Annotated[str, typer.Option(help="policy, facts or decisions.")] = "policy",
) -> None:
    """Print the JSON Schema of policies, or of the facts and decisions they are held against."""
    made: dict[str, Callable[[], dict[str, object]]] = {
        "policy": policy_schema,
        "facts": lambda: schema_of(Facts),
        "decisions": lambda: schema_of(Decisions),
    }
    if of not in made:
        refuse(f"There are schemas of {', '.join(made)}.")
    typer.echo(json.dumps(made[of](), indent=2, ensure_ascii=False))


@app.command("check")
def check(path: Path, baseline: Baseline = None) -> None:
    """Check a policy document; exits 64 with the place and the reason of every fault."""
    policy = policy_of(path, baseline)
    typer.echo(f"{policy.title}: {len(policy.rules)} rules, {policy.digest}")


@app.command("diff")
def diff(before: Path, after: Path) -> None:
    """Say in words what changed from one policy to another; exits 0 when nothing did, 1 otherwise."""
    said = differences(policy_of(before), policy_of(after))
    typer.echo("\n".join(said) or "They mean the same.")
    raise typer.Exit(1 if said else 0)


@app.command("compare")
def compare(live: Path, rehearsal: Path, baseline: Baseline = None, *, as_json: AsJson = False) -> None:
    """Say how strict the first policy is beside the second, rule by rule.

    Exits 0 when it is at least as strict, 1 when it is laxer, 2 when they cannot be compared.
    """
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
