"""`dogana estate` and `dogana where`: what runs where, what changed, and where something is."""

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any

import typer

from dogana.cli.asking import AsJson, Token, Url
from dogana.core.errors import InvalidError
from dogana.core.estate import Landing, estate_at, landing_of
from dogana.core.record import export
from dogana.core.record.verify import Leaf
from dogana_client.commands import HERE, connected
from dogana_client.refusal import refuse

app = typer.Typer(help="What runs where.", invoke_without_command=True, pretty_exceptions_enable=False)
Moment = Annotated[str, typer.Argument(help="An instant, ISO 8601 with its offset.")]


@app.callback()
def estate(
    context: typer.Context,
    at: Annotated[str | None, typer.Option(help="As it was at an instant, ISO 8601 with its offset.")] = None,
    service: Annotated[str | None, typer.Option(help="Of one service.")] = None,
    record: Annotated[
        Path | None, typer.Option(help="From an export of the ledger alone, without asking anybody.")
    ] = None,
    *,
    as_json: AsJson = False,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Services by environments: the version that runs in each, and since when."""
    if context.invoked_subcommand is not None:
        return
    if record is not None:
        _on_record(record, at, service, as_json=as_json)
        return
    with connected(url, token) as dogana:
        found = dogana.estate(at=at, service=service)
    if as_json:
        typer.echo(json.dumps(found, ensure_ascii=False))
        return
    if not any(row["cells"] for row in found["rows"]):
        began = found["begins"]
        typer.echo(f"Nothing is known of before {began}." if began else "Nothing has landed yet.")
        return
    _table(found)


@app.command("diff")
def diff(
    since: Moment,
    until: Annotated[str | None, typer.Argument(help="Until when; now if left out.")] = None,
    *,
    as_json: AsJson = False,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """What runs otherwise than it did, and what happened between two instants."""
    with connected(url, token) as dogana:
        found = dogana.estate_changes(since, until)
    if as_json:
        typer.echo(json.dumps(found, ensure_ascii=False))
        return
    typer.echo(found["says"])
    for one in found["replaced"]:
        back = ", going back" if one["back"] else ""
        was = one["before"] or "nothing"
        place = f"{one['service']['name']} in {one['environment']['name']}"
        typer.echo(f"  {place}: {was} -> {one['after']}{back}")


def where(
    what: Annotated[
        str, typer.Argument(help="A ticket, commit, digest, release, or component (`name < version`).")
    ],
    *,
    as_json: AsJson = False,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Where something is: in which releases, and how far each has come.

    Exits 0 where it is found, 1 where it is not, 2 where it is not known whether that is all.
    """
    with connected(url, token) as dogana:
        found = dogana.where(what)
    if as_json:
        typer.echo(json.dumps(found, ensure_ascii=False))
    else:
        _found(found)
    raise typer.Exit(2 if found["unknown"] else 0 if found["tracks"] else 1)


def _found(found: dict[str, Any]) -> None:
    typer.echo(f"{found['asked']}: {found['kind'] or 'found in nothing'}")
    for track in found["tracks"]:
        holds = f" ({', '.join(track['holds'])})" if track["holds"] else ""
        typer.echo(f"{track['service']['name']}{holds} {track['says']}.")
        for stop in track["stops"]:
            since = f" since {stop['at']}" if stop["at"] else ""
            says = f": {stop['says']}" if stop["says"] else ""
            typer.echo(f"  {stop['environment']['name']}: {stop['version']} {stop['state']}{since}{says}")
    for why in found["unknown"]:
        typer.echo(f"not known: {why}", err=True)


def _table(found: dict[str, Any]) -> None:
    columns = found["columns"]
    rows = [["", *(one["name"] for one in columns)]]
    for row in found["rows"]:
        cells = {one["environment"]: one for one in row["cells"]}
        rows.append([row["service"]["name"], *(_cell(cells.get(one["id"])) for one in columns)])
    widths = [max(len(row[n]) for row in rows) for n in range(len(columns) + 1)]
    for row in rows:
        padded = (text.ljust(width) for text, width in zip(row, widths, strict=True))
        typer.echo("  ".join(padded).rstrip())


def _cell(cell: dict[str, Any] | None) -> str:
    if cell is None or cell["version"] is None:
        return "-"
    notes = ["drift"] if cell["drift"] else []
    notes += [f"{cell['incidents']} wrong"] if cell["incidents"] else []
    notes += [f"{cell['behind']} behind"] if cell["behind"] else []
    return f"{cell['version']} ({', '.join(notes)})" if notes else str(cell["version"])


def _on_record(file: Path, at: str | None, service: str | None, *, as_json: bool) -> None:
    """What ran where, from the entries of an export alone."""
    try:
        moment = datetime.fromisoformat(at) if at else None
        with file.open() as lines, file.open() as again:
            bodies = (one.body.decode() for one in export.read(lines, again) if isinstance(one, Leaf))
            landings = [one for body in bodies if (one := landing_of(body)) is not None]
    except (OSError, ValueError, KeyError, InvalidError) as exc:
        refuse(f"{file}: {exc}")
    if moment is not None and moment.tzinfo is None:
        refuse("The instant needs its offset, as in 2026-11-24T08:00+01:00.")
    ran = estate_at(landings, moment or datetime.max.replace(tzinfo=UTC))
    shown = sorted((one for one in ran.values() if service in (None, one.service)), key=_by_place)
    for one in shown:
        if as_json:
            said = {"service": one.service, "environment": one.environment, "version": one.version}
            typer.echo(json.dumps(said | {"since": one.at.isoformat(), "promotion": one.promotion}))
        else:
            typer.echo(f"{one.service} in {one.environment}: {one.version} since {one.at.isoformat()}")


def _by_place(one: Landing) -> tuple[str, str]:
    return one.place
