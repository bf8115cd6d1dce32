"""The history of an environment, of a service, or of both together."""

from collections.abc import Mapping
from datetime import datetime

from dogana.core.document import Instant
from dogana.core.words import lasting
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.estate.occurrences import Occurrence, lasting_track
from dogana.service.landed.going_back import known_against
from dogana.service.landscape.environments import must_know
from dogana.service.shapes import Named, View, named
from dogana.store import estate, history, incidents, landscape, sign_offs
from dogana.store.history import Ended
from dogana.store.tables.incidents import IncidentRow
from dogana.store.tables.sign_offs import SignOffRow


class Brought(View):
    """How much something departed with."""

    commits: int
    files: int
    tickets: int


class HistoryRow(View):
    """Something that landed somewhere, or was taken back while it went in."""

    promotion: int
    service: Named
    environment: Named
    version: str
    kind: str
    at: Instant
    taken_back: bool
    runs: bool
    """Whether it runs there now."""
    replaced_at: Instant | None
    ran: str | None
    """For how long, in words; absent for what was taken back."""
    brought: Brought | None
    """Absent where it was not known, or not kept at the time."""
    requested_by: str
    let_in_by: list[str]
    ended: str
    """How its course ended, as a sentence."""
    good: bool
    """Whether nothing is known against it."""
    against: list[str]
    """What is known against it, or not for it where somebody is asked; to go inside a sentence."""


class History(View):
    """A page of it, the latest first."""

    rows: list[HistoryRow]
    track: list[Occurrence]
    """When the environment was closed and its policy changed meanwhile, the latest first."""
    next: int | None
    """The `before` of the next page."""


async def read_history(
    backend: Backend,
    actor: Actor,
    *,
    service: str | None,
    environment: str | None,
    before: int | None,
    limit: int,
) -> History:
    """What landed of a service, in an environment, or both; of neither, everything.

    Raises:
        NotFoundError: for an unknown service or environment.
    """
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        await must_know(session, environment=environment, service=service)
        rows = await history.page(
            session, service=service, environment=environment, before=before, limit=limit + 1
        )
        shown = rows[:limit]
        numbers = [one.promotion for one in shown]
        said, bad = await sign_offs.of(session, numbers), await incidents.of_landings(session, numbers)
        let_in = await estate.let_in_by(session, numbers)
        services = {one.id: one.title for one in await landscape.services(session, retired=True)}
        places = {one.id: one.title for one in await landscape.environments(session)}
        track: list[Occurrence] = []
        if environment is not None and shown:
            until = now if before is None else shown[0].at
            track = await lasting_track(session, environment, shown[-1].at, until)
    return History(
        rows=[_row(one, services, places, said, bad, let_in, now) for one in shown],
        track=sorted(track, key=lambda one: one.at, reverse=True),
        next=shown[-1].promotion if len(rows) > limit else None,
    )


def _row(
    one: Ended,
    services: Mapping[str, str],
    places: Mapping[str, str],
    said: Mapping[int, SignOffRow],
    bad: Mapping[int, IncidentRow],
    let_in: Mapping[int, list[str]],
    now: datetime,
) -> HistoryRow:
    against = known_against(said.get(one.promotion), bad.get(one.promotion))
    return HistoryRow(
        promotion=one.promotion,
        service=named(one.service, services),
        environment=named(one.environment, places),
        version=one.version,
        kind=one.kind,
        at=one.at,
        taken_back=one.taken_back,
        runs=not one.taken_back and one.replaced_at is None,
        replaced_at=one.replaced_at,
        ran=None if one.taken_back else lasting((one.replaced_at or now) - one.at),
        brought=Brought.model_validate(one.brought) if one.brought else None,
        requested_by=one.requester,
        let_in_by=let_in.get(one.promotion, []),
        ended=one.note,
        good=not against and not one.taken_back,
        against=against,
    )
