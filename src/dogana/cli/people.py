"""`dogana person`: the first administrator, made on the server itself."""

import re
import sys
from typing import Annotated

import typer
from pydantic import ValidationError

from dogana.cli.starting import run
from dogana.core.faults import reason
from dogana.settings import Settings
from dogana_client.refusal import refuse

app = typer.Typer(help="The first administrator.", no_args_is_help=True)


@app.callback()
def people() -> None:
    """Whoever else there is, administrators set up on screen, or `dogana setup apply` does."""


@app.command("new")
def new(
    name: Annotated[str, typer.Option(prompt="Their name", help="As people call them.")],
    email: Annotated[str, typer.Option(prompt="Their mail address", help="They sign in with it.")],
    id_: Annotated[
        str | None, typer.Option("--id", help="A short name for links; made from the address if left out.")
    ] = None,
    administrator: Annotated[bool, typer.Option("--administrator", help="May set everything up.")] = False,
    role: Annotated[list[str] | None, typer.Option(help="Another role that they have.")] = None,
    link: Annotated[
        bool, typer.Option("--link", help="Print a one-time link instead of asking for a password.")
    ] = False,
    in_need: Annotated[
        bool, typer.Option("--in-need", help="Although there are administrators; it stands on record.")
    ] = False,
) -> None:
    """Make the first administrator: asks for a password, or prints a link good for three days."""
    from dogana.service.actor import Role
    from dogana.service.people import founding
    from dogana.service.people.members import Member
    from dogana.wiring import backend_for

    if not administrator:
        refuse("Say --administrator: other people are added in Set-up, or by `dogana setup apply`.")
    called = id_ or re.sub(r"[^a-z0-9]+", "-", email.partition("@")[0].lower()).strip("-")
    try:
        wanted = Member.model_validate(
            {"name": name, "email": email, "roles": [Role.ADMINISTRATOR, *(role or ())]}
        )
    except ValidationError as exc:
        refuse("\n".join(f"--{error['loc'][0]}: {reason(error)}" for error in exc.errors()))
    password = None if link or not sys.stdin.isatty() else _password()

    async def main(settings: Settings) -> None:
        async with backend_for(settings) as backend:
            invitation = await founding.found(backend, called, wanted, password, in_need=in_need)
        typer.echo(f"{name} can administer.", err=True)
        if invitation is not None:
            where = settings.address or f"http://{settings.host}:{settings.port}"
            typer.echo("They choose their password, once and within three days, at", err=True)
            typer.echo(f"{where}/welcome#{invitation}")

    run(main)


def _password() -> str:
    while True:
        given: str = typer.prompt(
            "A password, of twelve characters or more", hide_input=True, confirmation_prompt=True
        )
        if len(given) >= _SHORTEST:
            return given
        typer.echo("That is too short.", err=True)


_SHORTEST = 12
