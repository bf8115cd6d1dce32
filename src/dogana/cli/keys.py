"""`dogana key` and `dogana seal`: the key that signs checkpoints, and those that seal secrets."""

from pathlib import Path

import typer

from dogana.cli.starting import run
from dogana.settings import Settings
from dogana_client.refusal import refuse

key_commands = typer.Typer(help="The key that signs checkpoints.", no_args_is_help=True)
seal_commands = typer.Typer(help="The keys that seal secrets in the database.", no_args_is_help=True)


@key_commands.command("new")
def key_new(path: Path) -> None:
    """Make a signing key, and print the public key that auditors are given."""
    from dogana.core.record.checkpoint import public_key_text
    from dogana.wiring import new_key

    try:
        key = new_key(path)
    except FileExistsError:
        refuse(f"{path} is there already; it is never overwritten.")
    except OSError as exc:
        refuse(f"{path} cannot be written: {exc.strerror}.")
    typer.echo(public_key_text(key.public_key()))


@key_commands.command("show")
def key_show(path: Path) -> None:
    """Print the public key of a signing key."""
    from dogana.core.errors import MisconfiguredError
    from dogana.core.record.checkpoint import public_key_text
    from dogana.wiring import read_key

    try:
        typer.echo(public_key_text(read_key(path).public_key()))
    except MisconfiguredError as exc:
        refuse(exc.detail)


@seal_commands.command("new")
def seal_new(path: Path) -> None:
    """Add a key to the file, made if it is not there; it seals from now on, the older ones go on opening."""
    from dogana.wiring import add_sealing_key

    try:
        add_sealing_key(path)
    except OSError as exc:
        refuse(f"{path} cannot be written: {exc.strerror}.")
    typer.echo(f"{path} has a new key. Restart Dogana, then run `dogana seal rotate`.")


@seal_commands.command("rotate")
def seal_rotate() -> None:
    """Seal everything in the database with the newest key, so that older ones can be taken away."""
    from dogana.service.secrets import values
    from dogana.wiring import backend_for

    async def main(settings: Settings) -> None:
        async with backend_for(settings) as backend:
            count = await values.seal_again(backend)
        typer.echo(f"{count} values were sealed with an older key.")

    run(main)
