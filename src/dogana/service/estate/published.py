"""What is shown elsewhere of the estate: landings as a feed, and what runs somewhere as a badge."""

from datetime import timedelta

from dogana.core.errors import NotFoundError
from dogana.core.words import when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.promotions.lookup import what
from dogana.sources.published import Published, write_badge, write_feed
from dogana.store import landscape, promotions
from dogana.store.tables.estate import SightingRow
from dogana.store.tables.landscape import ServiceRow
from dogana.store.tables.promotions import PromotionRow, State

_BACK = timedelta(days=30)
_MOST = 100


async def landings(backend: Backend, actor: Actor) -> bytes:
    """The last hundred landings of thirty days as Atom, as far as the token is for them."""
    actor.must(Right.SUBSCRIBE)
    now = backend.clock()
    async with backend.database.transaction() as session:
        rows = await promotions.landed_within(session, now - _BACK, now + timedelta.resolution, _MOST)
    entries = [
        Published(number=row.number, title=what(row), says=_says(row), at=row.landed_at)
        for row in rows
        if row.landed_at is not None and _reaches(actor, row)
    ]
    return write_feed(backend.source, "Landings", entries, now)


async def badge(backend: Backend, actor: Actor, service: str, environment: str) -> bytes:
    """What runs of a service in an environment, in a few words, as SVG.

    Raises:
        NotFoundError: for an unknown service or environment.
        ForbiddenError: for a token for others.
    """
    actor.must(Right.SUBSCRIBE)
    actor.must_reach(service=service, environment=environment)
    async with backend.database.transaction() as session:
        there = await landscape.environment(session, environment)
        known = await session.get(ServiceRow, service)
        if there is None or known is None:
            raise NotFoundError(f"There is no {service} in {environment}.")
        landed = await promotions.landings(session, service, environment, 1)
        moving = await promotions.moving(session, service, environment)
        seen = await session.get(SightingRow, (service, environment))
    title = f"{known.title} in {there.title}"
    if not landed:
        return write_badge(f"{title}: nothing landed", "nothing")
    version = landed[0].release.version
    if seen is not None and seen.differs is not None:
        return write_badge(f"{title}: not the {version} that landed", "unsure")
    if seen is not None and seen.unknown is not None:
        return write_badge(f"{title}: not known, {version} landed", "unsure")
    if moving is not None:
        return write_badge(f"{title}: {version}, another goes in", "moves")
    return write_badge(f"{title}: {version}", "runs")


def _reaches(actor: Actor, row: PromotionRow) -> bool:
    return (not actor.services or row.service_id in actor.services) and (
        not actor.environments or row.environment_id in actor.environments
    )


def _says(row: PromotionRow) -> str:
    landed = when(row.landed_at, row.environment.zone) if row.landed_at else ""
    after = f" {row.ended}" if row.state == State.ROLLED_BACK else ""
    return f"Landed {landed}, asked for by {row.requester.name}.{after}"
