"""The changes that wait for a second person: seen by all, confirmed or dropped by those who may."""

from typing import Any

from dogana.core.document import Instant
from dogana.core.errors import NotFoundError, RefusedError
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.calendars import shared
from dogana.service.dual_control import (
    CONFIRM,
    ChangeKind,
    ProposedChange,
    in_entry,
    secret_of,
    waiting,
    why_not,
)
from dogana.service.exchange import parties
from dogana.service.landscape import setting_up
from dogana.service.ledger.entries import record
from dogana.service.people import leaving, members, stand_ins, tokens
from dogana.service.shapes import ChangeOutcome, Named, View
from dogana.service.sources import registry
from dogana.service.stepping_up import must_be_fresh
from dogana.store import Session, people
from dogana.store.database import announce
from dogana.store.tables.people import PersonRow, ProposalRow


class ProposalView(View):
    """A change that waits for a second person."""

    id: int
    kind: ChangeKind
    subject: str
    title: str
    """To go on after *asked for*."""
    old: dict[str, Any] | None
    new: dict[str, Any] | None
    asked_by: Named
    asked_at: Instant
    mine_to_confirm: bool
    mine_to_drop: bool


async def proposals(backend: Backend, actor: Actor) -> list[ProposalView]:
    """Every change that waits, the oldest first, and whether one could confirm it."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [
            ProposalView(
                id=row.id,
                kind=ProposedChange.of(row).kind,
                subject=row.subject,
                title=row.title,
                old=row.old,
                new=row.wanted,
                asked_by=Named(id=asker.id, name=asker.name),
                asked_at=row.asked_at,
                mine_to_confirm=why_not(actor, row, asker) is None,
                mine_to_drop=_may_drop(actor, row),
            )
            for row, asker in await waiting(session)
        ]


async def confirm(backend: Backend, actor: Actor, number: int) -> ChangeOutcome:
    """Make the change; where somebody has to choose a password, with the invitation to hand over to them.

    Raises:
        NotFoundError: when there is none that waits.
        StepUpError: for whose sign-in is too old.
        RefusedError: for who asked for it, who it is about, or who may not; for anybody once who asked could
            not any more.
        ConflictError: when what is to be changed is not as it was any more.
    """
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _waiting(session, number)
        asker = await session.get_one(PersonRow, row.asked_by_id)
        why = why_not(actor, row, asker)
        if why is not None:
            raise RefusedError(why)
        must_be_fresh(backend, actor)
        change = ProposedChange.of(row, secret_of(backend, row))
        row.ended_by_id, row.ended_at, row.sealed = actor.id, now, None
        says = f"{actor.name} confirmed {row.title}, which {asker.name} had asked for."
        record(session, actor, Action.CONFIRM_CHANGE, says, now, details=in_entry(change))
        announce(session, "people")
        invitation = None
        if change.kind == "person":
            invitation = await members.confirmed(backend, session, actor, change)
        elif change.kind == "invitation":
            invitation = await members.invited(backend, session, actor, change)
        elif change.kind == "enabling":
            await leaving.enabled(backend, session, change)
        elif change.kind == "stand-in":
            await stand_ins.confirmed(backend, session, actor, change)
        elif change.kind == "calendar":
            await shared.confirmed(backend, session, actor, change)
        elif change.kind == "source":
            await registry.confirmed(backend, session, actor, change)
        elif change.kind == "token":
            await tokens.confirmed(backend, session, actor, change)
        elif change.kind == "sender":
            await parties.confirmed(backend, session, actor, change)
        else:
            await setting_up.confirmed(backend, session, actor, change.kind, change)
        return members.outcome_of(invitation)


async def drop(backend: Backend, actor: Actor, number: int) -> None:
    """Let it be.

    Raises:
        NotFoundError: when there is none that waits.
        RefusedError: for anybody but who asked for it or could confirm it.
    """
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _waiting(session, number)
        if not _may_drop(actor, row):
            raise RefusedError("Only who asked for it, or who could confirm it, may drop it.")
        row.ended_by_id, row.ended_at, row.sealed = actor.id, now, None
        says = f"{actor.name} dropped {row.title}."
        record(session, actor, Action.DROP_CHANGE, says, now, details=in_entry(ProposedChange.of(row)))
        announce(session, "people")


async def _waiting(session: Session, number: int) -> ProposalRow:
    row = await people.proposal(session, number)
    if row is None:
        raise NotFoundError("No such change waits any more.")
    return row


def _may_drop(actor: Actor, row: ProposalRow) -> bool:
    return actor.id == row.asked_by_id or bool(actor.rights & CONFIRM[ProposedChange.of(row).kind])
