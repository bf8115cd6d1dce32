"""What a delivery pipeline needs, against DOGANA_URL with DOGANA_TOKEN: ask, attach, wait, depart, report."""

import json
import shlex
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import click

from dogana_client import __version__
from dogana_client.api import (
    BARRED,
    GONE,
    GOOD,
    TAKEN_BACK,
    WAITING,
    Dogana,
    ProblemError,
    UnreachableError,
)
from dogana_client.refusal import UNUSABLE, refuse
from dogana_client.steer import LANDED, MOVING, ROLLED_BACK, UNDER_WAY, Steering

CLEARED, REFUSED, TIMED_OUT, BARRED_EXIT = 0, 3, 4, 5
HERE = "http://127.0.0.1:8620"
_CONFLICT = 409
_LARGEST_PLAN = 64 * 1024
_FILE = click.Path(path_type=Path)
_promotion = click.argument("promotion", type=int)
_note = click.option("--note", default="", help="In words, for the record.")
_artifacts = click.option(
    "--artifact", type=_FILE, multiple=True, help="A built file; its digest is computed here."
)
_closing_reason = click.option("--reason", required=True, help="Why, for the record.")


@click.group(context_settings={"show_default": True})
@click.version_option(__version__, prog_name="dogana")
def app() -> None:
    """Dogana for pipelines: ask, wait, depart, report."""


def asking(command: Callable[..., None]) -> Callable[..., None]:
    """The options of every command that asks a Dogana: where it answers, and as whom."""
    token = click.option(
        "--token", envvar="DOGANA_TOKEN", default="", help="An API token.", show_default=False
    )
    return click.option("--url", envvar="DOGANA_URL", default=HERE, help="Where Dogana answers.")(
        token(command)
    )


@app.command("request")
@click.option("--service", required=True, help="The service.")
@click.option("--version", required=True, help="The release's version.")
@click.option("--to", required=True, help="The environment to enter.")
@click.option("--repo", help="The service's repository.")
@click.option("--rev", help="Branch, tag or commit it was built from.")
@_artifacts
@click.option("--artifacts-at", help="The address below which people can fetch the artifacts.")
@_note
@click.option("--route", help="The route, if not the standard one.")
@click.option(
    "--kind",
    type=click.Choice(["ordinary", "rollback", "backfill"]),
    default="ordinary",
    help="What it is for.",
)
@click.option("--plan", type=_FILE, help="File with the rollout plan, YAML or JSON; all at once without one.")
@click.option("--key", help="A key of your own, so that asking again asks for nothing new.")
@click.option(
    "--anew", is_flag=True, help="Ask once more where what was asked for under the key was taken back."
)
@asking
def request(
    *,
    service: str,
    version: str,
    to: str,
    repo: str | None,
    rev: str | None,
    artifact: tuple[Path, ...],
    artifacts_at: str | None,
    note: str,
    route: str | None,
    kind: str,
    plan: Path | None,
    key: str | None,
    anew: bool,
    url: str,
    token: str,
) -> None:
    """Ask for a promotion; prints its number."""
    with connected(url, token) as dogana:
        row = dogana.request(
            service,
            version,
            to=to,
            revision=rev,
            repository=repo,
            artifacts=artifact,
            artifacts_at=artifacts_at,
            note=note,
            route=route,
            kind=kind,
            plan=_plan(plan) if plan else None,
            key=key,
            anew=anew,
        )
    click.echo(row["sentence"], err=True)
    click.echo(row["number"])


@app.command("attach")
@click.argument("service")
@click.argument("version")
@click.argument("file", type=_FILE)
@click.option("--name", required=True, help="What policies call it.")
@click.option(
    "--format",
    "form",
    required=True,
    type=click.Choice(["junit", "cobertura", "sarif", "cyclonedx", "spdx", "plan", "file"]),
    help="What it is.",
)
@click.option("--by", default="", help="Who or what made it.")
@asking
def attach(
    *, service: str, version: str, file: Path, name: str, form: str, by: str, url: str, token: str
) -> None:
    """Send a report (plain, gzip or zip) to be kept with a release; prints what was read out of it."""
    with connected(url, token) as dogana:
        report = dogana.attach(service, version, name, form, file, by=by)
    plain = {key: value for key, value in report["content"].items() if not isinstance(value, list)}
    click.echo(f"{name}: " + ", ".join(f"{key} {value}" for key, value in plain.items()))
    if report.get("unknown"):
        click.echo(f"It counts as unknown: {report['unknown']}.", err=True)


@app.command("wait")
@_promotion
@click.option("--timeout", type=float, default=3600.0, help="Seconds to wait at most.")
@click.option("--every", type=click.FloatRange(min=0.2), default=2.0, help="Seconds between looks.")
@click.option(
    "--unless",
    type=click.Choice(["barred"]),
    help="End as well once a fact bars it that somebody must change.",
)
@asking
def wait(*, promotion: int, timeout: float, every: float, unless: str | None, url: str, token: str) -> None:
    """Wait until a promotion is cleared.

    Exits 0 when cleared or past that, 3 when turned back, withdrawn, superseded or taken back, 4 when the
    time is up, 5 when barred and that was asked for.
    """
    with connected(url, token) as dogana:
        try:
            row = dogana.wait(
                promotion, seconds=timeout, every=every, say=click.echo, unless_barred=unless == "barred"
            )
        except TimeoutError:
            refuse("The time is up.", TIMED_OUT)
    if row["state"] == WAITING and row["verdict"] == BARRED:
        sys.exit(BARRED_EXIT)
    if row["state"] not in GOOD | GONE | TAKEN_BACK:
        refuse(f"It is {row['state']}, which means nothing to this version; it may not go.")
    sys.exit(CLEARED if row["state"] in GOOD else REFUSED)


@app.command("depart")
@_promotion
@click.option("--clearance", type=_FILE, help="File for the clearance, instead of printing it.")
@asking
def depart(*, promotion: int, clearance: Path | None, url: str, token: str) -> None:
    """Let a cleared promotion go, or take over one that went; prints its clearance, a JWS.

    Exits 3 when it is not cleared at this instant, or somebody else holds its clearance.
    """
    with connected(url, token) as dogana:
        departure = dogana.depart(promotion)
    click.echo(departure["promotion"]["sentence"], err=True)
    if clearance is None:
        click.echo(departure["clearance"])
        return
    clearance.touch(mode=0o600)
    clearance.write_text(departure["clearance"] + "\n")


@app.command("values")
@click.option(
    "--clearance",
    type=_FILE,
    required=True,
    help="File with the clearance, as `dogana depart` wrote it.",
)
@click.option("--json", "as_json", is_flag=True, help="As JSON, not as lines for a shell.")
@asking
def values(*, clearance: Path, as_json: bool, url: str, token: str) -> None:
    """Print the sealed values for the service and environment of a clearance; the reading is recorded."""
    with connected(url, token) as dogana:
        found = dogana.values(clearance.read_text().strip())
    if as_json:
        click.echo(json.dumps(found, indent=2, ensure_ascii=False))
    for name, value in () if as_json else found.items():
        click.echo(f"{name}={shlex.quote(value)}")


@app.command("steer")
@_promotion
@click.argument("command", nargs=-1, required=True)
@click.option("--patience", type=float, default=3600.0, help="Seconds to wait at most while it stands still.")
@_artifacts
@_note
@asking
def steer(
    *,
    promotion: int,
    command: tuple[str, ...],
    patience: float,
    artifact: tuple[Path, ...],
    note: str,
    url: str,
    token: str,
) -> None:
    """Follow the orders of a promotion that goes in step by step, and report how it ends.

    COMMAND, after a `--`, sets the share that stands in DOGANA_SHARE. Exits 0 landed, 3 taken back, 4 still
    halted when the patience is over, 1 where the command failed.
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
            row = dogana.landed(promotion, note, artifact)
        elif ended == ROLLED_BACK and row["state"] in UNDER_WAY:
            row = dogana.failed(promotion, note or steering.reason)
        click.echo(row["sentence"])
    sys.exit(ended if row["state"] not in TAKEN_BACK else ROLLED_BACK)


@app.command("report")
@_promotion
@click.argument("what", type=click.Choice(["prepared", "landed", "failed"]))
@_note
@_artifacts
@asking
def report(*, promotion: int, what: str, note: str, artifact: tuple[Path, ...], url: str, token: str) -> None:
    """Report how it goes: ready to depart quickly; runs; or failed, and what ran before runs again.

    With --artifact, that exactly these bytes run now. Exits 3 where that halts it.
    """
    with connected(url, token) as dogana:
        if what == "landed":
            row = dogana.landed(promotion, note, artifact)
        else:
            row = (dogana.failed if what == "failed" else dogana.prepared)(promotion, note)
    click.echo(row["sentence"])
    if what == "landed" and row["state"] != "landed":
        sys.exit(REFUSED)


@app.command("close")
@click.argument("environment")
@click.option("--until", required=True, help="An instant with its offset, within seven days.")
@_closing_reason
@asking
def close(*, environment: str, until: str, reason: str, url: str, token: str) -> None:
    """Close an environment at once, as one of the group its policy names; prints the closing's number."""
    with connected(url, token) as dogana:
        made = dogana.close_now(environment, until, reason)
    click.echo(made["id"])


@app.command("open")
@click.argument("closing", type=int)
@_closing_reason
@asking
def open_again(*, closing: int, reason: str, url: str, token: str) -> None:
    """Ask to open what was closed at once before its end or, as a second person, open it."""
    with connected(url, token) as dogana:
        made = dogana.open_again(closing, reason)
    click.echo("It is open again." if made["opened_at"] else "A second person has to agree.")


def _plan(path: Path) -> str:
    """A rollout plan as it was written; it is read where it is sent to, as policies are."""
    try:
        text = path.read_text() if path.stat().st_size <= _LARGEST_PLAN else None
    except (OSError, UnicodeDecodeError) as exc:
        refuse(f"{path} cannot be read: {exc}")
    if text is None:
        refuse(f"{path} is larger than {_LARGEST_PLAN >> 10} KiB.")
    return text


@contextmanager
def connected(url: str, token: str) -> Iterator[Dogana]:
    """The API; what goes wrong ends the command with the reason: 3 for a conflict, 64 otherwise."""
    if not token:
        refuse("Set DOGANA_TOKEN to an API token.")
    try:
        with Dogana(url, token) as dogana:
            yield dogana
    except ProblemError as exc:
        refuse(str(exc), REFUSED if exc.status == _CONFLICT else UNUSABLE)
    except UnreachableError as exc:
        refuse(f"Dogana cannot be reached: {exc}")
    except OSError as exc:
        refuse(f"{exc.filename} cannot be read: {exc.strerror}" if exc.filename else str(exc))


def main() -> None:
    """Run the command that was asked for; what installs the client alone begins here."""
    app(prog_name="dogana")
