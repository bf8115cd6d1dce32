"""What a delivery pipeline needs, against DOGANA_URL with DOGANA_TOKEN: ask, attach, wait, depart, report."""

import json
import shlex
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any, Literal

import httpx
import typer

from dogana.cli.refusal import refuse
from dogana.cli.steer import LANDED, MOVING, ROLLED_BACK, UNDER_WAY, Steering
from dogana.client import BARRED, GONE, TAKEN_BACK, WAITING, Dogana, ProblemError
from dogana.core.policy.text import UnreadableTextError, plain_of

CLEARED, REFUSED, TIMED_OUT, BARRED_EXIT = 0, 3, 4, 5
_CONFLICT = 409

Url = Annotated[str, typer.Option(envvar="DOGANA_URL", help="Where Dogana answers.")]
Token = Annotated[str, typer.Option(envvar="DOGANA_TOKEN", help="An API token.", show_default=False)]
PromotionNumber = Annotated[int, typer.Argument(help="The promotion's number.")]
Note = Annotated[str, typer.Option(help="In words, for the record.")]
Files = Annotated[list[Path] | None, typer.Option(help="A built file; its digest is computed here.")]
Held = Annotated[
    Path, typer.Option("--clearance", help="File with the clearance, as `dogana depart` wrote it.")
]
HERE = "http://127.0.0.1:8620"
app = typer.Typer(pretty_exceptions_enable=False)


@app.command("request")
def request(
    service: Annotated[str, typer.Option(help="The service.")],
    version: Annotated[str, typer.Option(help="The release's version.")],
    to: Annotated[str, typer.Option(help="The environment to enter.")],
    repo: Annotated[str | None, typer.Option(help="The service's repository.")] = None,
    rev: Annotated[str | None, typer.Option(help="Branch, tag or commit it was built from.")] = None,
    artifact: Files = None,
    artifacts_at: Annotated[
        str | None, typer.Option(help="The address below which people can fetch the artifacts.")
    ] = None,
    note: Note = "",
    route: Annotated[str | None, typer.Option(help="The route, if not the standard one.")] = None,
    kind: Annotated[
        Literal["ordinary", "rollback", "backfill"], typer.Option(help="What it is for.")
    ] = "ordinary",
    plan: Annotated[
        Path | None, typer.Option(help="File with the rollout plan, YAML or JSON; all at once without one.")
    ] = None,
    key: Annotated[
        str | None, typer.Option(help="A key of your own, so that asking again asks for nothing new.")
    ] = None,
    *,
    anew: Annotated[
        bool,
        typer.Option("--anew", help="Ask once more where what was asked for under the key was taken back."),
    ] = False,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Ask for a promotion; prints its number."""
    with connected(url, token) as dogana:
        row = dogana.request(
            service,
            version,
            to=to,
            revision=rev,
            repository=repo,
            artifacts=artifact or (),
            artifacts_at=artifacts_at,
            note=note,
            route=route,
            kind=kind,
            plan=_plan(plan) if plan else None,
            key=key,
            anew=anew,
        )
    typer.echo(row["sentence"], err=True)
    typer.echo(row["number"])


@app.command("attach")
def attach(
    service: Annotated[str, typer.Argument(help="The service.")],
    version: Annotated[str, typer.Argument(help="The release's version; it must be on record.")],
    file: Annotated[Path, typer.Argument(help="The report; plain, gzip or zip.")],
    name: Annotated[str, typer.Option(help="What policies call it.")],
    form: Annotated[
        Literal["junit", "cobertura", "sarif", "cyclonedx", "spdx", "plan", "file"],
        typer.Option("--format", help="What it is."),
    ],
    by: Annotated[str, typer.Option(help="Who or what made it.")] = "",
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Send a report to be kept with a release; prints what was read out of it."""
    with connected(url, token) as dogana:
        report = dogana.attach(service, version, name, form, file, by=by)
    plain = {key: value for key, value in report["content"].items() if not isinstance(value, list)}
    typer.echo(f"{name}: " + ", ".join(f"{key} {value}" for key, value in plain.items()))
    if report.get("unknown"):
        typer.echo(f"It counts as unknown: {report['unknown']}.", err=True)


@app.command("wait")
def wait(
    promotion: PromotionNumber,
    timeout: Annotated[float, typer.Option(help="Seconds to wait at most.")] = 3600.0,
    every: Annotated[float, typer.Option(min=0.2, help="Seconds between looks.")] = 2.0,
    unless: Annotated[
        Literal["barred"] | None,
        typer.Option(help="End as well once a fact bars it that somebody must change."),
    ] = None,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Wait until a promotion is cleared.

    Exits 0 when cleared or past that, 3 when turned back, withdrawn, superseded or taken back, 4 when the
    time is up, 5 when barred and that was asked for.
    """
    with connected(url, token) as dogana:
        try:
            row = dogana.wait(
                promotion,
                seconds=timeout,
                every=every,
                say=typer.echo,
                unless_barred=unless == "barred",
            )
        except TimeoutError:
            typer.echo("The time is up.", err=True)
            raise typer.Exit(TIMED_OUT) from None
    if row["state"] == WAITING and row["verdict"] == BARRED:
        raise typer.Exit(BARRED_EXIT)
    raise typer.Exit(REFUSED if row["state"] in GONE | TAKEN_BACK else CLEARED)


@app.command("depart")
def depart(
    promotion: PromotionNumber,
    clearance: Annotated[
        Path | None, typer.Option(help="File for the clearance, instead of printing it.")
    ] = None,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Let a cleared promotion go, or take over one that went; prints its clearance, a JWS.

    Exits 3 when it is not cleared at this instant, or somebody else holds its clearance.
    """
    with connected(url, token) as dogana:
        departure = dogana.depart(promotion)
    typer.echo(departure["promotion"]["sentence"], err=True)
    if clearance is None:
        typer.echo(departure["clearance"])
        return
    clearance.touch(mode=0o600)
    clearance.write_text(departure["clearance"] + "\n")


@app.command("values")
def values(
    clearance: Held,
    *,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON, not as lines for a shell.")] = False,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Print the sealed values for the service and environment of a clearance; the reading is recorded."""
    with connected(url, token) as dogana:
        found = dogana.values(clearance.read_text().strip())
    if as_json:
        typer.echo(json.dumps(found, indent=2, ensure_ascii=False))
    for name, value in () if as_json else found.items():
        typer.echo(f"{name}={shlex.quote(value)}")


@app.command("steer")
def steer(
    promotion: PromotionNumber,
    command: Annotated[list[str], typer.Argument(help="Sets the share in DOGANA_SHARE; after a `--`.")],
    patience: Annotated[float, typer.Option(help="Seconds to wait at most while it stands still.")] = 3600.0,
    artifact: Files = None,
    note: Note = "",
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Follow the orders of a promotion that goes in step by step, and report how it ends.

    Exits 0 landed, 3 taken back, 4 still halted when the patience is over, 1 where the command failed.
    """
    with connected(url, token) as dogana:
        row = dogana.promotion(promotion)
        course = dogana.course(promotion) or {}
        about = {
            "DOGANA_PROMOTION": str(promotion),
            "DOGANA_SERVICE": row["service"]["id"],
            "DOGANA_VERSION": row["version"],
            "DOGANA_ENVIRONMENT": row["target"]["id"],
            "DOGANA_INCUMBENT": course.get("incumbent") or "",
        }
        steering = Steering(dogana, promotion, command, about)
        ended = steering.follow(patience)
        row = dogana.promotion(promotion)
        if ended == LANDED and row["state"] == MOVING:
            row = dogana.landed(promotion, note, artifact or ())
        elif ended == ROLLED_BACK and row["state"] in UNDER_WAY:
            row = dogana.failed(promotion, note or steering.reason)
        typer.echo(row["sentence"])
    raise typer.Exit(ended if row["state"] not in TAKEN_BACK else ROLLED_BACK)


@app.command("report")
def report(
    promotion: PromotionNumber,
    what: Annotated[
        Literal["prepared", "landed", "failed"],
        typer.Argument(help="Ready to depart quickly; runs; or failed, and what ran before runs again."),
    ],
    note: Note = "",
    artifact: Files = None,
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Report how it goes; with --artifact, that exactly these bytes run now. Exits 3 where that halts it."""
    with connected(url, token) as dogana:
        if what == "landed":
            row = dogana.landed(promotion, note, artifact or ())
        else:
            row = (dogana.failed if what == "failed" else dogana.prepared)(promotion, note)
    typer.echo(row["sentence"])
    if what == "landed" and row["state"] != "landed":
        raise typer.Exit(REFUSED)


@app.command("close")
def close(
    environment: Annotated[str, typer.Argument(help="What is to be closed.")],
    until: Annotated[str, typer.Option(help="An instant with its offset, within seven days.")],
    reason: Annotated[str, typer.Option(help="Why, for the record.")],
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Close an environment at once, as one of the group its policy names; prints the closing's number."""
    with connected(url, token) as dogana:
        made = dogana.close_now(environment, until, reason)
    typer.echo(made["id"])


@app.command("open")
def open_again(
    closing: Annotated[int, typer.Argument(help="The closing's number.")],
    reason: Annotated[str, typer.Option(help="Why, for the record.")],
    url: Url = HERE,
    token: Token = "",
) -> None:
    """Ask to open what was closed at once before its end or, as a second person, open it."""
    with connected(url, token) as dogana:
        made = dogana.open_again(closing, reason)
    typer.echo("It is open again." if made["opened_at"] else "A second person has to agree.")


def _plan(path: Path) -> dict[str, Any]:
    try:
        plain = plain_of(path.read_text())
    except (OSError, UnicodeDecodeError, UnreadableTextError) as exc:
        refuse(f"{path} cannot be read: {exc}")
    return plain if isinstance(plain, dict) else {"steps": plain}


@contextmanager
def connected(url: str, token: str) -> Iterator[Dogana]:
    """The API; what goes wrong ends the command with the reason: 3 for a conflict, 64 otherwise."""
    if not token:
        refuse("Set DOGANA_TOKEN to an API token.")
    try:
        with Dogana(url, token) as dogana:
            yield dogana
    except ProblemError as exc:
        if exc.status == _CONFLICT:
            typer.echo(str(exc), err=True)
            raise typer.Exit(REFUSED) from exc
        refuse(str(exc))
    except httpx.TransportError as exc:
        refuse(f"Dogana cannot be reached: {exc}")
    except OSError as exc:
        refuse(f"{exc.filename} cannot be read: {exc.strerror}" if exc.filename else str(exc))
