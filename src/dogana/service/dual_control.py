"""What takes a second person: a change is asked for by one and made when another confirms it."""

from dataclasses import dataclass
from typing import Any, Literal

from dogana.core.errors import ConflictError
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right, rights_of
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.store import Session, people
from dogana.store.database import announce
from dogana.store.tables.people import ProposalRow

ChangeKind = Literal["person", "invitation", "enabling", "stand-in", "calendar"]

CONFIRM: dict[ChangeKind, frozenset[Right]] = {
    "person": frozenset({Right.ADMINISTER, Right.ADOPT_POLICY}),
    "invitation": frozenset({Right.ADMINISTER, Right.ADOPT_POLICY}),
    "enabling": frozenset({Right.ADMINISTER, Right.ADOPT_POLICY}),
    "stand-in": frozenset({Right.ADMINISTER, Right.ADOPT_POLICY}),
    "calendar": frozenset({Right.ADOPT_POLICY}),
}
"""Who may confirm a change of each kind: whoever has one of these, but not who asked nor who it is about."""

ALONE, CONFIRMED = " Nobody else here could confirm it.", " It was confirmed."
"""How a change came about, to go on after what an entry says of it."""


@dataclass(frozen=True, kw_only=True)
class ProposedChange:
    """A change that takes a second person."""

    kind: ChangeKind
    subject: str
    """The id of what is to be changed."""
    title: str
    """The change as a noun phrase, to go on after `asked for`."""
    old: dict[str, Any] | None
    new: dict[str, Any] | None

    @classmethod
    def of(cls, row: ProposalRow) -> "ProposedChange":
        """What waits, as it was asked for."""
        kind: ChangeKind = next(one for one in CONFIRM if one == row.kind)
        return cls(kind=kind, subject=row.subject, title=row.title, old=row.old, new=row.wanted)


async def ask(backend: Backend, session: Session, actor: Actor, wanted: ProposedChange) -> int | None:
    """Have it wait for a second person; gives its number, or None where nobody could confirm it.

    Raises:
        ConflictError: while another change of the same waits.
    """
    if not await _others(session, actor, wanted):
        return None
    now = backend.clock()
    if any(
        (one.kind, one.subject) == (wanted.kind, wanted.subject) for one in await people.proposals(session)
    ):
        raise ConflictError("Another change of it waits for a second person; have that decided first.")
    row = ProposalRow(
        kind=wanted.kind,
        subject=wanted.subject,
        title=wanted.title,
        old=wanted.old,
        wanted=wanted.new,
        asked_by_id=actor.id,
        asked_at=now,
    )
    session.add(row)
    await session.flush()
    says = f"{actor.name} asked for {wanted.title}; somebody else has to confirm it."
    record(session, actor, Action.ASK_CHANGE, says, now, details=in_entry(wanted))
    announce(session, "people")
    return row.id


async def _others(session: Session, actor: Actor, wanted: ProposedChange) -> bool:
    """Whether anybody could confirm it."""
    return any(
        person.id not in {actor.id, wanted.subject}
        and person.password_hash
        and person.disabled_at is None
        and rights_of(person.roles) & CONFIRM[wanted.kind]
        for person in await people.people(session)
    )


def in_entry(wanted: ProposedChange) -> dict[str, Any]:
    """What it was and what it is to be, readable in the entry itself."""
    return {"kind": wanted.kind, "of": wanted.subject, "old": wanted.old, "new": wanted.new}


def must_be_as_it_was(present: dict[str, Any] | None, change: ProposedChange) -> None:
    """See that what is to be changed is still as it was when that was asked for.

    Raises:
        ConflictError: when it is not.
    """
    if present != change.old:
        raise ConflictError("It has changed since this was asked for; drop it, and ask anew.")
