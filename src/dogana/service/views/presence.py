"""Who is looking at what: no decisions, so no entries."""

from datetime import timedelta

from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.promotions.lookup import found
from dogana.service.shapes import Named
from dogana.store import Session, views
from dogana.store.database import announce

_GONE_AFTER = timedelta(seconds=45)
"""Whoever looks says so again before that."""


async def look(backend: Backend, actor: Actor, number: int) -> None:
    """Say that one has a promotion open; others are told when one opens it.

    Raises:
        NotFoundError: when there is no such promotion.
    """
    actor.must(Right.OWN)
    now = backend.clock()
    async with backend.database.transaction() as session:
        await found(session, number)
        was = await views.look(session, number, actor.id, now)
        if was is None or was < now - _GONE_AFTER:
            announce(session, "looking", [number])


async def look_away(backend: Backend, actor: Actor, number: int) -> None:
    """Say that one has closed it."""
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        await views.look_away(session, number, actor.id)
        announce(session, "looking", [number])


async def lookers(
    backend: Backend, session: Session, actor: Actor, numbers: list[int]
) -> dict[int, list[Named]]:
    """Who else has promotions open now."""
    since = backend.clock() - _GONE_AFTER
    found = await views.lookers(session, numbers, since, actor.id)
    return {number: [Named(id=one.id, name=one.name) for one in them] for number, them in found.items()}
