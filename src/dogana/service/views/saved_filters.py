"""How somebody likes to see their Desk, kept under a name; no decisions, so no entries."""

from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.shapes import View
from dogana.store import Session, views


class SavedFilter(View):
    """A Desk as the viewer likes to see it."""

    name: str
    query: str
    """Of the address, without the question mark."""


async def saved_filters(session: Session, actor: Actor) -> list[SavedFilter]:
    """One's own, by name."""
    rows = await views.saved_filters(session, actor.id)
    return [SavedFilter(name=row.name, query=row.query) for row in rows]


async def save_filter(backend: Backend, actor: Actor, name: str, query: str) -> None:
    """Keep one of one's own under a name."""
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        await views.save_filter(session, actor.id, name, query)


async def drop_filter(backend: Backend, actor: Actor, name: str) -> None:
    """Forget one of one's own."""
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        await views.drop_filter(session, actor.id, name)
