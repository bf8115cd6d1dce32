"""`dogana bench`: what parts cost beside their floors; exits 1 when a limit is not kept."""

import asyncio
import json
from dataclasses import asdict
from importlib.util import find_spec
from pathlib import Path
from typing import Annotated, Any, ClassVar, Protocol

import typer

from dogana.cli.asking import AsJson
from dogana_client.refusal import refuse

app = typer.Typer(help="What parts cost beside their floors.", no_args_is_help=True)


class _Measured(Protocol):
    """A dataclass of figures, which says itself in words."""

    __dataclass_fields__: ClassVar[dict[str, Any]]

    @property
    def kept(self) -> bool:
        """Whether every limit is kept."""

    def in_words(self) -> str:
        """The figures with their limits."""


def _tell(measured: _Measured, *, as_json: bool) -> None:
    typer.echo(json.dumps(asdict(measured), indent=2) if as_json else measured.in_words())
    raise typer.Exit(0 if measured.kept else 1)


@app.command("core")
def core(
    *,
    as_json: AsJson = False,
    memory: Annotated[int, typer.Option(min=0, help="Inspections to watch the memory over.")] = 0,
) -> None:
    """Measure the core beside its floors in the same run."""
    if find_spec("scipy") is None:
        refuse("Its matching is measured beside SciPy's, which is not installed: pip install scipy.")
    from dogana.bench.core import memory as grown_over
    from dogana.bench.core import run

    measured = list(run())
    grown = grown_over(memory) if memory else None
    if as_json:
        found = {"measured": [one.plain() for one in measured], "memory": grown}
        typer.echo(json.dumps(found, indent=2))
    else:
        for one in measured:
            limit = f"at most {one.limit:g}" if one.limit else "no limit"
            typer.echo(f"{one.name}: {one.ours_ms:.3f} ms, {one.ratio:.2f} times ({limit}) {one.baseline}")
        if grown:
            typer.echo(f"memory over {memory} inspections: {grown}")
    raise typer.Exit(0 if all(one.kept for one in measured) else 1)


@app.command("intake")
def intake(
    *,
    as_json: AsJson = False,
    seconds: Annotated[float, typer.Option(min=1, help="How long each is measured.")] = 10.0,
) -> None:
    """Measure how fast promotions are taken in beside a bare insert."""
    from dogana.bench.intake import run

    _tell(run(seconds), as_json=as_json)


@app.command("health")
def health(*, as_json: AsJson = False) -> None:
    """Measure how honest and how fast monitors are, in simulated courses, beside two usual methods."""
    from dogana.bench.health import run

    _tell(run(lambda name: typer.echo(name, err=True)), as_json=as_json)


@app.command("rehearsal")
def rehearsal(
    *,
    as_json: AsJson = False,
    promotions: Annotated[int, typer.Option(min=1, help="How many past promotions.")] = 100_000,
) -> None:
    """Measure a rehearsal beside reading the same facts."""
    from dogana.bench.rehearsal import run

    _tell(run(promotions), as_json=as_json)


@app.command("desk")
def desk(*, as_json: AsJson = False) -> None:
    """Measure the Desk in a browser beside a bare page."""
    from dogana.bench.desk import run

    _tell(run(), as_json=as_json)


@app.command("views")
def views(*, as_json: AsJson = False) -> None:
    """Measure how soon each view shows its content on the demo's data."""
    from dogana.bench.views import run

    _tell(run(), as_json=as_json)


@app.command("estate")
def estate(*, as_json: AsJson = False) -> None:
    """Measure the estate at two hundred services by twelve environments beside the same rows by bare SQL."""
    from dogana.bench.estate import run

    _tell(run(), as_json=as_json)


@app.command("growth")
def growth(
    *,
    as_json: AsJson = False,
    entries: Annotated[
        list[int] | None, typer.Option(min=1000, help="How long a past; several, smallest first.")
    ] = None,
) -> None:
    """Measure what a long past costs: the same with ten thousand entries and with a million."""
    from dogana.bench.growth import SIZES, run

    _tell(run(tuple(entries) if entries else SIZES), as_json=as_json)


@app.command("dictionary")
def dictionary(
    path: Annotated[Path, typer.Argument(help="File to write.")],
) -> None:
    """Train anew what documents are packed with, from the live database; see `store/packing.py` before."""
    from dogana.bench.dictionary import train
    from dogana.cli.live import live_settings

    made, said = asyncio.run(train(live_settings()))
    path.write_bytes(made)
    typer.echo(f"{said}; a dictionary of {len(made)} bytes is in {path}.")
