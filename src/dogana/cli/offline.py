"""`dogana inspect` and `dogana forecast`: the core on files alone; no database, no network."""

import json
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated, Any, NoReturn, TypeVar

import typer
from pydantic import TypeAdapter, ValidationError

from dogana.cli.asking import AsJson, Baseline
from dogana.cli.files import policy_of, text_of
from dogana.core.decisions import Decisions
from dogana.core.document import Document, Instant
from dogana.core.facts import Facts
from dogana.core.faults import reason
from dogana.core.inspect.engine import inspect as run_inspection
from dogana.core.inspect.engine import look_ahead
from dogana.core.inspect.sheet import Verdict
from dogana.core.policy.document import Policy
from dogana.core.policy.document import policy_of as stored
from dogana.core.policy.text import UnreadableTextError, refuse_double
from dogana.core.time.forecast import Forecast
from dogana.core.words import listed, when
from dogana_client.refusal import refuse

D = TypeVar("D", bound=Document)
EXITS = {Verdict.CLEARED: 0, Verdict.HELD: 1, Verdict.BARRED: 2}

PolicyFile = Annotated[Path, typer.Option("--policy", help="Policy, YAML or JSON.")]
FactsFile = Annotated[
    Path, typer.Option("--facts", help="Facts, JSON; see `dogana policy schema --of facts`.")
]
DecisionsFile = Annotated[Path | None, typer.Option("--decisions", help="Decisions, JSON.")]
At = Annotated[str | None, typer.Option("--at", help="Instant with its offset; now when left out.")]


def inspect(
    policy: PolicyFile,
    facts: FactsFile,
    decisions: DecisionsFile = None,
    at: At = None,
    baseline: Baseline = None,
    *,
    as_json: AsJson = False,
) -> None:
    """Inspect one promotion from files; exits 0 cleared, 1 held, 2 barred, 64 unusable."""
    sheet = run_inspection(*_read(policy, baseline, facts, decisions, at))
    if as_json:
        typer.echo(json.dumps(sheet.plain(), indent=2, ensure_ascii=False))
    else:
        for finding in sheet.findings:
            typer.echo(f"{finding.outcome:>14}  {finding.title}: {finding.because}")
        typer.echo(f"\n{sheet.verdict.capitalize()}. {sheet.sentence}")
    raise typer.Exit(EXITS[sheet.verdict])


def forecast(
    policy: PolicyFile,
    facts: FactsFile,
    decisions: DecisionsFile = None,
    at: At = None,
    horizon: Annotated[int, typer.Option(min=1, max=3660, help="How many days to look ahead.")] = 14,
    slot: Annotated[int, typer.Option(min=0, max=100_000, help="Minutes that must lie open ahead.")] = 0,
    start: Annotated[str | None, typer.Option(help="A proposed start: say what would hold it then.")] = None,
    baseline: Baseline = None,
    *,
    as_json: AsJson = False,
) -> None:
    """Say when one promotion could go, from files; exits 0 now, 1 later, 2 none in sight, 64 unusable."""
    read, known, spoken, asked = _read(policy, baseline, facts, decisions, at)
    span, room = timedelta(days=horizon), timedelta(minutes=slot)
    ahead = look_ahead(read, known, spoken, asked, horizon=span, slot=room)
    zone = read.zone
    if as_json:
        typer.echo(json.dumps(ahead.plain(), indent=2, ensure_ascii=False))
    else:
        for stretch in ahead.stretches():
            said = f"closed by {listed(stretch.closed_by)}" if stretch.closed_by else "open"
            typer.echo(f"{when(stretch.start, zone)} to {when(stretch.end, zone)}: {said}")
        first = ahead.first_start
        typer.echo(f"First start: {when(first, zone) if first else 'none in sight'}.")
    if start is not None:
        _proposed(ahead, _instant("--start", start), room, zone)
    if ahead.first_start is None:
        raise typer.Exit(2)
    raise typer.Exit(0 if ahead.first_start == ahead.start else 1)


def _proposed(ahead: Forecast, start: datetime, slot: timedelta, zone: str) -> NoReturn:
    """Say what would hold a proposed start, and end: 0 when nothing would."""
    if not ahead.start <= start < ahead.end:
        refuse(f"--start: {when(start, zone)} is outside the horizon.")
    held = dict.fromkeys(
        closing.name
        for closing in ahead.closings
        if closing.start <= start < closing.end or start < closing.start < start + slot
    )
    why = f"held by {listed(list(held))}" if held else "time allows it"
    typer.echo(f"A start at {when(start, zone)}: {why}.")
    raise typer.Exit(1 if held else 0)


def _read(
    policy: Path, baseline: Path | None, facts: Path, decisions: Path | None, at: str | None
) -> tuple[Policy, Facts, Decisions, datetime]:
    read = policy_of(policy, baseline, whole=True)
    known = document(facts, Facts)
    spoken = document(decisions, Decisions) if decisions else Decisions()
    for n, one in enumerate(known.next_policies or ()):
        _readable(f"{facts}/next_policies/{n}/document", one.document)
    for name, text in spoken.earlier.items():
        _readable(f"{decisions}/earlier/{name}", text)
    return read, known, spoken, _instant("--at", at)


def _readable(where: str, text: str) -> None:
    """Refuse a policy within another document that is none, or whose baseline is not in it."""
    try:
        if stored(text).inherits is None:
            return
        refuse(f"{where}: it inherits from another, whose rules are not in it")
    except ValidationError as exc:
        refuse("\n".join(f"{where}{_pointer(e['loc'])}: {reason(e)}" for e in exc.errors()))


def _instant(option: str, at: str | None) -> datetime:
    if at is None:
        return datetime.now(UTC)
    try:
        return TypeAdapter[datetime](Instant).validate_python(at)
    except ValidationError as exc:
        refuse(f"{option}: {exc.errors()[0]['msg'].removeprefix('Value error, ')}")


def document(path: Path, kind: type[D]) -> D:
    """One document of a kind from a file, or the end with what is wrong in it."""
    text = text_of(path)
    try:
        refuse_double(text)
        return kind.model_validate_json(text)
    except UnreadableTextError as exc:
        refuse(f"{path}: {exc}")
    except ValidationError as exc:
        refuse("\n".join(f"{path}{_pointer(e['loc'])}: {reason(e)}" for e in exc.errors()))


def _pointer(loc: Any) -> str:
    return "".join(f"/{step}" for step in loc)
