"""`dogana watch`: a recorded course against a policy, look by look; no database, no network."""

import json
from collections.abc import Iterator
from datetime import datetime
from itertools import groupby
from pathlib import Path
from typing import Annotated

import typer
from pydantic import ValidationError

from dogana.cli.asking import AsJson, Baseline
from dogana.cli.files import policy_of
from dogana.cli.offline import PolicyFile, document
from dogana.core.health import course
from dogana.core.health.course import Move, Moved
from dogana.core.health.readings import Look
from dogana.core.health.watches import Watch
from dogana.core.policy.text import UnreadableTextError, refuse_double
from dogana.core.rollout import Plan
from dogana.core.words import when
from dogana_client.refusal import refuse

EXITS = {Move.DONE: 0, Move.WAIT: 1, Move.GO_ON: 1, Move.HALT: 2, Move.ROLL_BACK: 3}
_LONGEST = 1 << 20


def watch(
    policy: PolicyFile,
    readings: Annotated[Path, typer.Option("--readings", help="Recorded looks, one JSON document a line.")],
    plan: Annotated[
        Path | None, typer.Option("--plan", help="The rollout plan, JSON; the quickest let in if left out.")
    ] = None,
    baseline: Baseline = None,
    *,
    as_json: AsJson = False,
) -> None:
    """Hold a recorded course against a policy.

    Exits 0 done, 1 still open, 2 halted, 3 taken back, 64 unusable.
    """
    read = policy_of(policy, baseline, whole=True)
    watches = read.watches()
    asked = document(plan, Plan) if plan else read.quickest_plan()
    if asked is None or not watches:
        refuse(f"{policy}: no rule watches a release while it goes in (`kind: rollout` with `watch`).")
    last = None
    for at, moved in _moves(asked, watches, _looks(readings)):
        if as_json:
            typer.echo(json.dumps({"at": at.isoformat(), **moved.plain()}, ensure_ascii=False))
        elif last is None or _gist(moved) != _gist(last):
            typer.echo(f"{when(at, read.zone)}  {moved.move}, {moved.share} %: {moved.because}")
            for name, one in course.monitors_of(watches).items():
                known = moved.known[name]
                typer.echo(
                    f"    {name} {known.verdict}: {one.in_words(known)} Asked for: {one.watch.in_words()}."
                )
        last = moved
        if moved.move in (Move.ROLL_BACK, Move.HALT, Move.DONE):
            break
    if last is None:
        refuse(f"{readings}: there is no look in it.")
    raise typer.Exit(EXITS[last.move])


def _moves(plan: Plan, watches: tuple[Watch, ...], looks: Iterator[Look]) -> Iterator[tuple[datetime, Moved]]:
    """What each look would have come to; looks of one instant are one."""
    state = None
    for at, together in groupby(looks, key=lambda look: look.at):
        some = list(together)
        state = course.begun(watches, at) if state is None else state
        share = next((look.share for look in some if look.share is not None), None)
        if share:
            state = course.followed(plan, state, share, at)
        state = course.seen(watches, state, some)
        yield at, course.move(plan, watches, state, at)


def _gist(moved: Moved) -> object:
    return moved.move, moved.share, {name: one.verdict for name, one in moved.known.items()}


def _looks(path: Path) -> Iterator[Look]:
    try:
        with path.open("rb") as lines:
            for number, line in enumerate(iter(lambda: lines.readline(_LONGEST), b""), 1):
                if len(line) == _LONGEST:
                    refuse(f"{path}:{number}: one line is longer than a mebibyte.")
                if line.strip():
                    yield _look(line, f"{path}:{number}")
    except OSError as exc:
        refuse(f"{path} cannot be read: {exc}")


def _look(line: bytes, place: str) -> Look:
    try:
        refuse_double(line.decode())
        return Look.model_validate_json(line)
    except (UnicodeDecodeError, UnreadableTextError) as exc:
        refuse(f"{place}: {exc}")
    except ValidationError as exc:
        first = exc.errors()[0]
        refuse(f"{place}: {'/'.join(str(step) for step in first['loc'])}: {first['msg']}")
