"""What takes a second person: a change is asked for by one and made when another confirms it."""

from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any, Literal

from dogana.core.errors import ConflictError
from dogana.core.record.actions import Action
from dogana.core.words import when
from dogana.service.actor import Actor, Right, rights_of
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.sealing import about_proposal
from dogana.store import Session, people
from dogana.store.database import announce
from dogana.store.tables.people import PersonRow, ProposalRow

LandscapeKind = Literal["environment", "route", "service"]
ChangeKind = (
    Literal["person", "invitation", "enabling", "stand-in", "calendar", "source", "token", "sender"]
    | LandscapeKind
)

_EITHER = frozenset({Right.ADMINISTER, Right.ADOPT_POLICY})
CONFIRM: dict[ChangeKind, frozenset[Right]] = {
    "person": _EITHER,
    "invitation": _EITHER,
    "enabling": _EITHER,
    "stand-in": _EITHER,
    "calendar": frozenset({Right.ADOPT_POLICY}),
    "environment": _EITHER,
    "route": _EITHER,
    "service": _EITHER,
    "source": _EITHER,
    "token": _EITHER,
    "sender": _EITHER,
}
"""Who may confirm a change of each kind: whoever has one of these, but not who asked nor who it is about."""

_MISSED = timedelta(days=7)
"""For how long nobody does alone what somebody could have confirmed who was disabled."""

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
    secret: str | None = field(default=None, repr=False)
    """What goes with it and stands in no entry: a new secret, an empty one for none; None where none goes."""

    @property
    def person(self) -> str | None:
        """Whom it is about, who therefore cannot confirm it."""
        return self.subject if self.kind in ("person", "invitation", "enabling", "stand-in") else None

    @classmethod
    def of(cls, row: ProposalRow, secret: str | None = None) -> "ProposedChange":
        """What waits, as it was asked for."""
        kind: ChangeKind = next(one for one in CONFIRM if one == row.kind)
        return cls(
            kind=kind, subject=row.subject, title=row.title, old=row.old, new=row.wanted, secret=secret
        )


async def ask(backend: Backend, session: Session, actor: Actor, wanted: ProposedChange) -> int | None:
    """Have it wait for a second person; gives its number, or None where nobody could confirm it.

    What is asked for again while it waits, waits on as it is: a document may be applied any number of times.

    Raises:
        ConflictError: while another change of the same waits, or nobody else is left only because they were
            disabled lately.
    """
    others = await _others(backend, session, actor, wanted)
    now = backend.clock()
    if not any(one.disabled_at is None for one in others):
        _must_not_be_missed(backend, others)
        return None
    other = await people.proposal_about(session, wanted.kind, wanted.subject)
    if other is not None:
        if ProposedChange.of(other, secret_of(backend, other)) == wanted:
            return other.id
        raise ConflictError("Another change of it waits for a second person; have that decided first.")
    row = ProposalRow(
        kind=wanted.kind,
        subject=wanted.subject,
        title=wanted.title,
        old=wanted.old,
        wanted=wanted.new,
        sealed=None
        if wanted.secret is None
        else backend.sealer.seal(wanted.secret, about_proposal(wanted.kind, wanted.subject)),
        asked_by_id=actor.id,
        asked_at=now,
    )
    session.add(row)
    await session.flush()
    says = f"{actor.name} asked for {wanted.title}; somebody else has to confirm it."
    record(session, actor, Action.ASK_CHANGE, says, now, details=in_entry(wanted))
    announce(session, "people")
    return row.id


async def to_confirm(session: Session, actor: Actor) -> list[tuple[ProposalRow, PersonRow]]:
    """What waits that somebody may confirm, the oldest first, each with who asked for it."""
    if not actor.rights & _EITHER:
        return []
    return [(row, asker) for row, asker in await waiting(session) if why_not(actor, row, asker) is None]


async def waiting(session: Session) -> list[tuple[ProposalRow, PersonRow]]:
    """Every change that waits, the oldest first, each with who asked for it."""
    rows = await people.proposals(session)
    everybody = {one.id: one for one in await people.people(session)} if rows else {}
    return [(row, everybody[row.asked_by_id]) for row in rows]


def why_not(actor: Actor, row: ProposalRow, asker: PersonRow) -> str | None:
    """Why somebody may not confirm what another asked for; None where they may."""
    change = ProposedChange.of(row)
    if not actor.rights & CONFIRM[change.kind]:
        return "You may not confirm such a change."
    if actor.id == row.asked_by_id:
        return "You asked for it; somebody else has to confirm it."
    if actor.id == change.person:
        return "It is about you; somebody else has to confirm it."
    asking = Right.WRITE_POLICY if change.kind == "calendar" else Right.ADMINISTER
    if not _could(asker, asking):
        return f"{asker.name} could not ask for it any more; drop it, and ask for it yourself."
    return None


async def still_stands(session: Session, first: str, right: Right, group: str | None = None) -> bool:
    """Whether the word of the first of two counts for a second: they could still give it.

    Who was sent away, or found out, brings nothing about any more by what they left behind.

    Args:
        session: the transaction of the second.
        first: who asked, or wrote it.
        right: which right that takes.
        group: to which they have to belong, if any.
    """
    row = await people.person(session, first)
    return (
        row is not None and _could(row, right) and (group is None or group in {one.id for one in row.groups})
    )


def _could(person: PersonRow, right: Right) -> bool:
    return person.disabled_at is None and right in rights_of(person.roles)


def could_confirm(backend: Backend, person: PersonRow, kind: ChangeKind) -> bool:
    """Whether somebody is one of those who confirm such changes, were they not disabled."""
    return backend.knows(person) and bool(rights_of(person.roles) & CONFIRM[kind])


async def _others(
    backend: Backend, session: Session, actor: Actor, wanted: ProposedChange
) -> list[PersonRow]:
    """Who could confirm it, or could if they were not disabled."""
    return [
        person
        for person in await people.people(session)
        if person.id not in {actor.id, wanted.person} and could_confirm(backend, person, wanted.kind)
    ]


def _must_not_be_missed(backend: Backend, others: list[PersonRow]) -> None:
    """See that nobody gets round a second person by disabling everybody who could be one.

    Disabling takes nobody's agreement, for it may have to be done at once.
    """
    now = backend.clock()
    for person in others:
        if person.disabled_at is not None and now < (until := person.disabled_at + _MISSED):
            raise ConflictError(
                f"It takes a second person. {person.name} could have confirmed it and was disabled; nobody "
                f"makes it alone before {when(until, backend.zone)}. Whoever runs the server can set up "
                "another administrator."
            )


def secret_of(backend: Backend, row: ProposalRow) -> str | None:
    """The secret that goes with what waits."""
    if row.sealed is None:
        return None
    return backend.sealer.open(row.sealed, about_proposal(row.kind, row.subject))


async def waiting_secret(backend: Backend, session: Session, kind: ChangeKind, subject: str) -> str | None:
    """The secret that goes with what waits of something; None where nothing waits, or none goes."""
    row = await people.proposal_about(session, kind, subject)
    return None if row is None else secret_of(backend, row)


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
