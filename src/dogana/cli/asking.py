"""What every command takes that asks a Dogana over HTTP."""

from typing import Annotated

import typer

Url = Annotated[str, typer.Option(envvar="DOGANA_URL", help="Where Dogana answers.")]
Token = Annotated[str, typer.Option(envvar="DOGANA_TOKEN", help="An API token.", show_default=False)]
