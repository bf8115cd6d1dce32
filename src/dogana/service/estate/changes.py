"""Two instants beside each other: what runs otherwise, and what happened in between."""

from datetime import datetime

from dogana.core.document import Instant
from dogana.core.errors import InvalidError
from dogana.core.estate import Happened
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.estate.layout import layout
from dogana.service.estate.matrix import read_runs
from dogana.service.shapes import Named, View, named
from dogana.store import estate, history

_MOST = 500


class Replaced(View):
    """A place where something else runs than before."""

    service: Named
    environment: Named
    before: str | None
    """The version that ran there; absent where nothing did."""
    after: str
    promotion: int
    """The one that brought what runs now."""
    since: Instant
    back: bool
    """Whether it went back to an earlier release."""


class Arrived(View):
    """What landed, or was taken back while it went in."""

    promotion: int
    service: Named
    environment: Named
    version: str
    at: Instant
    back: bool
    taken_back: bool


class EstateChanges(View):
    """What changed between two instants."""

    since: Instant
    until: Instant
    says: str
    replaced: list[Replaced]
    happened: list[Arrived]
    """The latest first; the last five hundred."""
    whole: bool
    """Whether those are all."""


async def changes(backend: Backend, actor: Actor, since: datetime, until: datetime | None) -> EstateChanges:
    """What changed between two instants.

    Raises:
        InvalidError: when the second does not come after the first.
    """
    actor.must(Right.READ)
    end = min(until or backend.clock(), backend.clock())
    if since >= end:
        raise InvalidError("Of two instants the second has to come after the first, and be over.")
    async with backend.database.transaction() as session:
        plan = await layout(session)
        before, after = await read_runs(session, plan, since), await read_runs(session, plan, end)
        ended = await history.within(
            session, service=None, environment=None, start=since, end=end, most=_MOST + 1
        )
        counted = await estate.count_happened(session, since, end)
    services = {one.id: one.title for one in plan.services}
    places = {one.id: one.name for one in plan.columns}
    replaced = [
        Replaced(
            service=named(place[0], services),
            environment=named(place[1], places),
            before=old.version if (old := before.get(place)) else None,
            after=new.version,
            promotion=new.promotion,
            since=new.since,
            back=new.kind == "rollback",
        )
        for place, new in after.items()
        if place not in before or before[place].release != new.release
    ]
    return EstateChanges(
        since=since,
        until=end,
        says=Happened(
            landed=counted.landed, rolled_back=counted.rolled_back, places=len(replaced)
        ).in_words(),
        replaced=sorted(replaced, key=lambda one: one.since, reverse=True),
        happened=[
            Arrived(
                promotion=one.promotion,
                service=named(one.service, services),
                environment=named(one.environment, places),
                version=one.version,
                at=one.at,
                back=one.kind == "rollback",
                taken_back=one.taken_back,
            )
            for one in ended[:_MOST]
        ],
        whole=len(ended) <= _MOST,
    )
