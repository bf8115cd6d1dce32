"""`dogana ledger`: verify it live or from an export, and export it."""

import asyncio
import sys
from collections.abc import Iterator
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path
from typing import Annotated, TextIO

import typer

from dogana.cli.live import live_settings
from dogana.cli.starting import UNAVAILABLE, innermost
from dogana.core.errors import AwayError, InvalidError, MisconfiguredError
from dogana.core.record import export as export_format
from dogana.core.record.checkpoint import CheckpointError, notes_in, public_key_from
from dogana.core.record.verify import Verification, Verifier, verified
from dogana_client.refusal import refuse

_SHORT, _NAMED = 19, 20
app = typer.Typer(help="The append-only record.", no_args_is_help=True)


@app.command("verify")
def verify_command(
    export: Annotated[Path | None, typer.Argument(help="An export; without one, the live database.")] = None,
    key: Annotated[
        str | None, typer.Option(help="Public key in base64, or a file with it; needed for an export.")
    ] = None,
    held: Annotated[
        list[Path] | None,
        typer.Option("--from", help="A file with checkpoints that you kept: nothing before them may differ."),
    ] = None,
    name: Annotated[
        str | None, typer.Option(help="What the ledger must be called; the setting, for the live one.")
    ] = None,
    documents: Annotated[
        bool, typer.Option("--documents", help="Also what decisions were made on (live database only).")
    ] = False,
) -> None:
    """Check every entry and every checkpoint; names what does not fit.

    Exits 0, 1 where something does not fit, 64 for what it cannot use, 69 where it could not look.
    """
    try:
        notes = [note for path in held or () for note in notes_in(path.read_text())]
        if export:
            result, more = _of_export(export, key, notes, name, documents=documents), ""
        else:
            result, more = asyncio.run(_of_database(key, notes, name, documents=documents))
    except (OSError, AwayError) as exc:
        refuse(f"Nothing was verified: {_why(exc)}", UNAVAILABLE)
    except (InvalidError, MisconfiguredError, CheckpointError, ValueError) as exc:
        refuse(str(exc))
    for fault in result.faults:
        typer.echo(fault.what, err=True)
    if result.more:
        typer.echo(f"and {result.more} more", err=True)
    if not result.verified:
        raise typer.Exit(1)
    typer.echo(
        f"Verified: {result.entries} entries under {result.checkpoints} checkpoints, of which "
        f"{result.signatures} signatures were checked; tree head {result.root.hex()}.{more}"
    )


@app.command("export")
def export_command(
    path: Annotated[Path | None, typer.Argument(help="File to write; without one, standard output.")] = None,
) -> None:
    """Write the ledger with its checkpoints as JSON Lines."""
    from dogana.service.ledger import audit
    from dogana.wiring import backend_for

    async def main() -> None:
        with path.open("w") if path else _standard_output() as file:
            async with backend_for(live_settings()) as backend:
                async for line in audit.export(backend):
                    file.write(line + "\n")

    try:
        asyncio.run(main())
    except (OSError, InvalidError) as exc:
        refuse(str(exc))


@app.command("replay")
def replay_command() -> None:
    """Work out the sheet behind every decision and every move again; exits 1 and names what differs."""
    from dogana.core.health import on_record
    from dogana.core.record.replay import replayed
    from dogana.service.ledger import audit
    from dogana.wiring import backend_for

    async def main() -> tuple[int, int, list[str]]:
        count, moves, faults = 0, 0, []
        async with backend_for(live_settings()) as backend:
            async for place, behind in audit.sheets(backend):
                count += 1
                if (why := replayed(behind)) is not None:
                    faults.append(f"Entry {place}, sheet {behind.sheet[:_SHORT]}: {why}.")
            async for place, digest, text in audit.moves(backend):
                moves += 1
                if (why := on_record.replayed(digest, text)) is not None:
                    faults.append(f"Entry {place}, move {digest[:_SHORT]}: {why}.")
        return count, moves, faults

    try:
        count, moves, faults = asyncio.run(main())
    except (OSError, InvalidError) as exc:
        refuse(str(exc))
    for fault in faults[:_NAMED]:
        typer.echo(fault, err=True)
    if faults:
        typer.echo(f"{len(faults)} of {count} sheets and {moves} moves came out otherwise.", err=True)
        raise typer.Exit(1)
    typer.echo(f"Replayed: {count} sheets, byte for byte what they were, and {moves} moves.")


def _why(exc: Exception) -> str:
    if isinstance(exc, OSError):
        return f"{exc.filename} cannot be read: {exc.strerror}"
    return innermost(exc)


def _standard_output() -> AbstractContextManager[TextIO]:
    return nullcontext(sys.stdout)


def _of_export(
    path: Path, key: str | None, held: list[str], name: str | None, *, documents: bool
) -> Verification:
    if key is None:
        raise InvalidError("Give --key: an export is worth what the key is that it is checked against.")
    if documents:
        raise InvalidError("An export holds no documents; check those of the live database.")
    with path.open() as file, path.open() as again:
        verifier = Verifier(public_key_from(_key_text(key)), held=held, name=name)
        return verified(export_format.read(_lines(file), _lines(again)), verifier)


def _lines(file: TextIO) -> Iterator[str]:
    """The lines of somebody else's file, of which none is read that has no end."""
    number = 0
    while line := file.readline(export_format.LONGEST):
        number += 1
        if len(line) == export_format.LONGEST:
            raise InvalidError(f"Line {number} is longer than any line of a ledger export.")
        yield line


async def _of_database(
    key: str | None, held: list[str], name: str | None, *, documents: bool
) -> tuple[Verification, str]:
    """What came of it, and what there is to say besides."""
    from dogana.service.ledger import audit
    from dogana.wiring import backend_for, read_key

    settings = live_settings()
    public = public_key_from(_key_text(key)) if key else read_key(settings.signing_key).public_key()
    if "ledger_name" in settings.model_fields_set:
        name = name or settings.ledger_name
    verifier = Verifier(public, held=held, name=name)
    async with backend_for(settings) as backend:
        live = await audit.verify_live(backend, verifier, with_documents=documents)
    said = f" {live.documents} documents fit their digests." if documents else ""
    if live.unsequenced:
        said += f" {live.unsequenced} more have no index yet, and are under no checkpoint."
    return live.verification, said


def _key_text(key: str) -> str:
    path = Path(key)
    return path.read_text() if path.is_file() else key
