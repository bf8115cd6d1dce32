"""The ledger as people read it: entries in words, page by page."""

import json

from pydantic import JsonValue

from dogana.core.document import Instant
from dogana.core.record.actions import Action
from dogana.core.record.checkpoint import stated
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.shapes import Named, View
from dogana.store import landscape, ledger, people
from dogana.store.ledger import EntryFilter
from dogana.store.tables.ledger import CheckpointRow, EntryRow


class EntryView(View):
    """One ledger entry."""

    id: int
    index: int | None
    """Its index in the ledger; None until the sequencer has given it one."""
    at: Instant
    action: str
    actor: Named
    channel: str
    says: str
    reason: str
    promotion: int | None
    environment: str | None
    service: str | None
    version: str | None
    on: dict[str, str]
    details: dict[str, JsonValue]


class CheckpointView(View):
    """The state of the ledger as last signed."""

    size: int
    root: str
    signed_at: Instant
    note: str


class LedgerPage(View):
    """A page of entries, the latest first; `next` continues it."""

    entries: list[EntryView]
    next: int | None
    total: int
    checkpoint: CheckpointView | None


class LedgerFilters(View):
    """What the ledger can be narrowed to."""

    people: list[Named]
    environments: list[Named]
    services: list[Named]
    actions: list[str]


def entry_view(row: EntryRow, index: int | None) -> EntryView:
    """One entry of the ledger."""
    body = json.loads(row.body)
    return EntryView(
        id=row.id,
        index=index,
        at=row.at,
        action=row.action,
        actor=Named(id=body["actor"]["id"], name=body["actor"]["name"]),
        channel=body["actor"]["way"],
        says=body["says"],
        reason=body.get("reason", ""),
        promotion=row.promotion,
        environment=row.environment_id,
        service=row.service_id,
        version=body.get("version"),
        on=body.get("on", {}),
        details=body.get("details", {}),
    )


def checkpoint_view(row: CheckpointRow) -> CheckpointView:
    """The ledger as last signed."""
    said = stated(row.note)
    return CheckpointView(size=row.size, root=said.root.hex(), signed_at=said.signed_at, note=row.note)


async def ledger_page(backend: Backend, actor: Actor, wanted: EntryFilter, limit: int) -> LedgerPage:
    """A page of the ledger, the latest entry first."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        rows = await ledger.page(session, wanted, limit + 1)
        last = await ledger.last_checkpoint(session)
        return LedgerPage(
            entries=[entry_view(entry, index) for entry, index in rows[:limit]],
            next=rows[limit - 1][0].id if len(rows) > limit else None,
            total=await ledger.size(session),
            checkpoint=checkpoint_view(last) if last else None,
        )


async def ledger_filters(backend: Backend, actor: Actor) -> LedgerFilters:
    """People, environments, services and kinds of decision to choose from."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        routes = await landscape.routes(session)
        environments = {leg.environment_id: leg.environment.title for route in routes for leg in route.legs}
        return LedgerFilters(
            people=[Named(id=p.id, name=p.name) for p in await people.people(session)],
            environments=[Named(id=key, name=title) for key, title in environments.items()],
            services=[Named(id=s.id, name=s.title) for s in await landscape.services(session, retired=True)],
            actions=sorted(Action),
        )
