"""What several commands take: how they are answered, and where a Dogana is asked over HTTP."""

from pathlib import Path
from typing import Annotated

import typer

AsJson = Annotated[bool, typer.Option("--json", help="Print the whole document.")]
Baseline = Annotated[Path | None, typer.Option("--baseline", help="The policy it inherits from.")]
Url = Annotated[str, typer.Option(envvar="DOGANA_URL", help="Where Dogana answers.")]
Token = Annotated[str, typer.Option(envvar="DOGANA_TOKEN", help="An API token.", show_default=False)]
