"""What is shown elsewhere of the estate: landings as a feed, and what runs somewhere as a badge."""

from collections.abc import Sequence
from datetime import timedelta

from dogana.core.errors import NotFoundError
from dogana.core.words import listed, when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.promotions.lookup import what
from dogana.service.shapes import View
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


class CommitPlace(View):
    """How what was built from a commit stands in one environment."""

    environment: str
    name: str
    promotion: int
    state: str
    says: str


class CommitStatus(View):
    """How what was built from a commit stands, everywhere it was asked for."""

    service: str
    revision: str
    says: str
    places: list[CommitPlace]


async def commit(backend: Backend, actor: Actor, service: str, revision: str) -> CommitStatus:
    """How what was built from a commit stands, where the token reaches.

    Raises:
        NotFoundError: for an unknown service, and a commit of which nothing was asked for.
        ForbiddenError: for a token for other services.
    """
    actor.must(Right.SUBSCRIBE)
    if actor.services:
        actor.must_reach(service=service, environment=next(iter(actor.environments), None))
    async with backend.database.transaction() as session:
        known = await session.get(ServiceRow, service)
        rows = await promotions.of_revision(session, service, revision, _MOST)
        there = {row.environment_id: row for row in reversed(rows) if _reaches(actor, row)}
        if known is None or not there:
            raise NotFoundError(f"Nothing was asked for of {revision}.")
        runs = {
            name: await landscape.running(session, service, row.environment) for name, row in there.items()
        }
    places = [
        CommitPlace(
            environment=name,
            name=row.environment.title,
            promotion=row.number,
            state=_state(row, found.release_id if (found := runs[name]) is not None else None),
            says=row.ended or "",
        )
        for name, row in there.items()
    ]
    return CommitStatus(
        service=service, revision=revision, says=_in_words(known.title, places), places=places
    )


async def commit_badge(backend: Backend, actor: Actor, service: str, revision: str) -> bytes:
    """The same in a few words, as SVG.

    Raises:
        NotFoundError, ForbiddenError: as above.
    """
    found = await commit(backend, actor, service, revision)
    states = {one.state for one in found.places}
    tone = "runs" if "runs" in states else "moves" if states & _ON_THE_WAY else "unsure"
    return write_badge(found.says, tone)


def _state(row: PromotionRow, runs: int | None) -> str:
    """As of the promotion, but for what has landed: whether that still runs there."""
    if row.state != State.LANDED:
        return str(row.state)
    return "runs" if runs == row.release_id else "replaced"


def _in_words(title: str, places: Sequence[CommitPlace]) -> str:
    """Where it runs, else where it is on its way, else how that ended."""
    for state, says in _SAID.items():
        names = [one.name for one in places if one.state == state]
        if names:
            return f"{title}: {says} {listed(names)}"
    return f"{title}: {places[-1].state} in {places[-1].name}"


_ON_THE_WAY = {"waiting", "cleared", "moving", "halted"}
_SAID = {
    "runs": "runs in",
    "moving": "goes into",
    "halted": "stands still on its way into",
    "cleared": "is cleared for",
    "waiting": "waits for",
}


def _reaches(actor: Actor, row: PromotionRow) -> bool:
    return (not actor.services or row.service_id in actor.services) and (
        not actor.environments or row.environment_id in actor.environments
    )


def _says(row: PromotionRow) -> str:
    landed = when(row.landed_at, row.environment.zone) if row.landed_at else ""
    after = f" {row.ended}" if row.state == State.ROLLED_BACK else ""
    return f"Landed {landed}, asked for by {row.requester.name}.{after}"
