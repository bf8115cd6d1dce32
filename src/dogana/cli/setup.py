"""`dogana setup`: everything that Set-up keeps, as one document that is written, checked and applied."""

import json
import os
from pathlib import Path
from typing import Annotated, Any

import typer
import yaml
from pydantic import ValidationError

from dogana.cli.asking import AsJson, Token, Url
from dogana.cli.files import text_of
from dogana.core.faults import reason
from dogana.core.policy.text import UnreadableTextError, plain_of
from dogana.service.configuration.document import KEPT, SECRETS_IN, Setup
from dogana_client.commands import HERE, connected
from dogana_client.refusal import refuse

app = typer.Typer(help="Everything that Set-up keeps, as one document.", no_args_is_help=True)
_File = Annotated[Path, typer.Argument(help="The document, YAML or JSON.")]
_WHERE = "name where it stands, as `from_env: NAME` or `from_file: PATH`, or say `kept`"


@app.command("schema")
def schema() -> None:
    """Print the JSON Schema of set-up documents."""
    typer.echo(json.dumps(Setup.model_json_schema(), indent=2, ensure_ascii=False))


@app.command("export")
def export(url: Url = HERE, token: Token = "") -> None:
    """Print everything as it is set up now, as YAML; secrets stay where they are, and say `kept`."""
    with connected(url, token) as dogana:
        found = dogana.setup()
    typer.echo(yaml.safe_dump(found, sort_keys=False, allow_unicode=True, width=110), nl=False)


@app.command("check")
def check(path: _File) -> None:
    """Check a document by itself, asking nobody; exits 64 with the place and the reason of every fault."""
    document = _read(path)
    parts = [
        f"{len(getattr(document, name))} {name}"
        for name in Setup.model_fields
        if name != "format" and getattr(document, name)
    ]
    typer.echo(f"{path} sets up {', '.join(parts) or 'nothing'}.")


@app.command("apply")
def apply(
    path: _File,
    *,
    dry_run: Annotated[
        bool, typer.Option("--dry-run", help="Say what would change, and change nothing.")
    ] = False,
    as_json: AsJson = False,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Set up what a document says, all of it or nothing; what it does not name is left as it is.

    Takes a token with the scope `administer`. Exits 0, or 64 with the place and the reason of every fault.
    """
    plain = _with_secrets(path, _read(path).plain())
    with connected(url, token) as dogana:
        done = dogana.apply_setup(plain, dry_run=dry_run)
    if as_json:
        typer.echo(json.dumps(done, indent=2, ensure_ascii=False))
        return
    for one in done["changes"]:
        typer.echo(f"{one['what']:>9}  {one['part']}/{one['id']}")
        for differs in one["differs"]:
            typer.echo(f"           {differs}")
        if one["told"]:
            typer.echo(f"           {_told(one, url)}")
    for part, names in done["left"].items():
        typer.echo(f"   left    {part}: {', '.join(names)}")
    would = "would change" if dry_run else "changed"
    typer.echo(f"{len(done['changes'])} {would}." if done["changes"] else "Nothing differs.")


def _told(one: dict[str, Any], url: str) -> str:
    if one["part"] == "people":
        return f"they choose their password, once, at {url.rstrip('/')}/welcome#{one['told']}"
    return f"its secret, shown once: {one['told']}"


def _read(path: Path) -> Setup:
    try:
        return Setup.model_validate(plain_of(text_of(path)))
    except UnreadableTextError as exc:
        refuse(f"{path}: {exc}")
    except ValidationError as exc:
        refuse("\n".join(f"{path}{_pointer(error['loc'])}: {reason(error)}" for error in exc.errors()))


def _pointer(where: tuple[int | str, ...]) -> str:
    return "".join(f"/{step}" for step in where)


def _with_secrets(path: Path, plain: dict[str, Any]) -> dict[str, Any]:
    """The document as it is sent: each secret looked up where it stands."""
    held = [
        (f"/{part}/{name}", one, "secret") for part in SECRETS_IN for name, one in plain.get(part, {}).items()
    ]
    held += [(f"/values/{n}", one, "value") for n, one in enumerate(plain.get("values", ()))]
    for at, one, name in held:
        if one.get(name) not in (None, KEPT):
            one[name] = {"is": _looked_up(f"{path}{at}/{name}", one[name], path.parent)}
    return plain


def _looked_up(at: str, secret: dict[str, str], folder: Path) -> str:
    if "from_env" in secret:
        found = os.environ.get(secret["from_env"])
        if not found:
            refuse(f"{at}: the variable {secret['from_env']} is not set.")
        return found
    if "is" in secret:
        # Whoever may read the document would have it.
        refuse(f"{at}: a secret does not stand in the document itself; {_WHERE}.")
    return text_of(folder / secret["from_file"]).removesuffix("\n")
