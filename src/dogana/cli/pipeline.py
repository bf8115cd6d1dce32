"""What a delivery pipeline needs: `request` and `wait`, against DOGANA_URL with DOGANA_TOKEN."""

import hashlib
import time
from pathlib import Path
from typing import Annotated, Any

import httpx
import typer

from dogana.cli.files import refuse

CLEARED, REFUSED, TIMED_OUT = 0, 3, 4
_GONE = frozenset({"turned back", "withdrawn"})
_OPEN = frozenset({"waiting"})
_CHUNK = 1 << 20

Url = Annotated[str, typer.Option(envvar="DOGANA_URL", help="Where Dogana answers.")]
Token = Annotated[str, typer.Option(envvar="DOGANA_TOKEN", help="An API token.", show_default=False)]


def request(
    service: Annotated[str, typer.Option(help="The service.")],
    version: Annotated[str, typer.Option(help="The release's version.")],
    to: Annotated[str, typer.Option(help="The environment to enter.")],
    repo: Annotated[str | None, typer.Option(help="The service's repository.")] = None,
    rev: Annotated[str | None, typer.Option(help="Branch, tag or commit it was built from.")] = None,
    artifact: Annotated[
        list[Path] | None, typer.Option(help="A built file; its digest is computed here.")
    ] = None,
    note: Annotated[str, typer.Option(help="For the people who decide.")] = "",
    url: Url = "http://127.0.0.1:8620",
    token: Token = "",
) -> None:
    """Ask for a promotion; prints its number."""
    asking: dict[str, Any] = {"service": service, "version": version, "to": to, "note": note}
    if repo is not None:
        asking["repository"] = repo
    if rev is not None:
        asking["revision"] = rev
    asking["artifacts"] = [_described(path) for path in artifact or []]
    with _client(url, token) as client:
        row = _answer(client, "POST", "/api/promotions", asking)
    typer.echo(row["sentence"], err=True)
    typer.echo(row["number"])


def wait(
    promotion: Annotated[int, typer.Argument(help="Its number.")],
    timeout: Annotated[float, typer.Option(help="Seconds to wait at most.")] = 3600.0,
    every: Annotated[float, typer.Option(min=0.2, help="Seconds between looks.")] = 2.0,
    url: Url = "http://127.0.0.1:8620",
    token: Token = "",
) -> None:
    """Wait until a promotion is cleared.

    Exits 0 when cleared or past that, 3 when turned back or withdrawn, 4 when the time is up.
    """
    said = ""
    ends = time.monotonic() + timeout
    with _client(url, token) as client:
        while True:
            try:
                row = _answer(client, "GET", f"/api/promotions/{promotion}")
            except httpx.TransportError as exc:
                row = {"sentence": f"Dogana cannot be reached ({exc}); trying again.", "state": "waiting"}
            if row["sentence"] != said:
                said = row["sentence"]
                typer.echo(said)
            if row["state"] in _GONE:
                raise typer.Exit(REFUSED)
            if row["state"] not in _OPEN:
                raise typer.Exit(CLEARED)
            left = ends - time.monotonic()
            if left <= 0:
                typer.echo("The time is up.", err=True)
                raise typer.Exit(TIMED_OUT)
            time.sleep(min(every, left))


def _described(path: Path) -> dict[str, Any]:
    """Name, digest and size of a file."""
    made = hashlib.sha256()
    try:
        with path.open("rb") as file:
            while chunk := file.read(_CHUNK):
                made.update(chunk)
            size = file.tell()
    except OSError as exc:
        refuse(f"{path} cannot be read: {exc.strerror}")
    return {"name": path.name, "digest": f"sha256:{made.hexdigest()}", "size": size}


def _client(url: str, token: str) -> httpx.Client:
    if not token:
        refuse("Set DOGANA_TOKEN to an API token.")
    return httpx.Client(base_url=url, headers={"Authorization": f"Bearer {token}"}, timeout=30)


def _answer(client: httpx.Client, method: str, path: str, body: Any = None) -> dict[str, Any]:
    response = client.request(method, path, json=body)
    answer: dict[str, Any] = response.json()
    if response.is_error:
        refuse(
            "\n".join([answer["detail"], *(f"{f['place'] or '/'}: {f['reason']}" for f in answer["fields"])])
        )
    return answer
