"""Scopes: named sets of tickets with a date; where each is, what holds it, what changed since agreed."""

import asyncio
from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, Self, get_args

from pydantic import Field, StringConstraints, model_validator

from dogana.core.document import Document, Instant, Slug
from dogana.core.errors import ChangedSinceShownError, ConflictError, InvalidError, NotFoundError
from dogana.core.facts import Ticket
from dogana.core.record.actions import Action
from dogana.core.record.canonical import digest
from dogana.core.words import are, counted, listed, sentence
from dogana.core.words import number as in_letters
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.estate.layout import Layout, layout
from dogana.service.estate.matrix import read_runs
from dogana.service.estate.scope_changes import answers_queries, came_and_went, change, details_of, keys_of
from dogana.service.estate.where import Track, tracks_of
from dogana.service.ledger.entries import record
from dogana.service.preconditions import Seen
from dogana.service.shapes import Named, View, named
from dogana.service.sources.registry import Sources, load
from dogana.store import Session, ledger, lookup, people, scopes
from dogana.store.lookup import Carries
from dogana.store.tables.scopes import ScopeRow

_MOST, _MOST_TICKETS, _MOST_CARRIERS = 200, 500, 5000
Progress = Literal["everywhere", "on its way", "nowhere"]
Key = Annotated[str, StringConstraints(min_length=1, max_length=60, pattern=r"^[^\s\x00]+$")]
Theme = Annotated[str, StringConstraints(min_length=1, max_length=60, pattern=r"^[^\x00]+$")]


class Scope(Document):
    """What is to come out together."""

    title: Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00]*$")]
    due: Instant | None = None
    themes: tuple[Theme, ...] = Field(default=(), max_length=20)
    tickets: tuple[Key, ...] = Field(default=(), max_length=_MOST_TICKETS)
    """Typed; of one that is kept up by a query, what that found last."""
    source: Slug | None = None
    """The tracker whose query keeps it up."""
    query: Annotated[str, StringConstraints(min_length=1, max_length=500)] | None = None

    @model_validator(mode="after")
    def _asks_somebody(self) -> Self:
        if (self.source is None) != (self.query is None):
            raise ValueError("a query goes with the tracker that answers it")
        return self


class ScopeChange(View):
    """Tickets that came in or went out."""

    at: Instant
    by: str
    added: list[str]
    removed: list[str]


class ScopeLine(View):
    """One ticket of a scope."""

    key: str
    title: str | None
    status: str | None
    link: str | None
    state: Progress
    """Everywhere: it runs in all environments that the routes end with of the services that carry it."""
    tracks: list[Track]


class ScopeView(View):
    """A scope, how far it is, and what changed in it since it was agreed."""

    number: int
    scope: Scope
    version: str
    """What its state is called; whoever changes it says which one they saw."""
    says: str
    lines: list[ScopeLine]
    changes: list[ScopeChange]
    """Since it was agreed, or of all time until it is; the latest first."""
    agreed_by: Named | None
    agreed_at: Instant | None
    declared_by: Named | None
    declared_at: Instant | None
    declared: str
    unknown: list[str]
    """What could not be read; sentences."""


class ScopeName(View):
    """A scope in a list."""

    number: int
    title: str
    due: Instant | None
    themes: list[str]
    tickets: int
    agreed: bool
    declared: bool


async def every(backend: Backend, actor: Actor) -> list[ScopeName]:
    """Every scope, the open ones first."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [
            ScopeName(
                number=row.number,
                title=row.title,
                due=row.due,
                themes=row.themes,
                tickets=len(row.tickets),
                agreed=row.agreed_at is not None,
                declared=row.declared_at is not None,
            )
            for row in await scopes.every(session, _MOST)
        ]


async def keep(
    backend: Backend, actor: Actor, number: int | None, wanted: Scope, expected: Seen | None = None
) -> ScopeView:
    """Make a scope, or change one; which tickets came in and went out is on record.

    Args:
        backend: the outside.
        actor: who sets it.
        number: which one; None for a new one.
        wanted: what it is to be.
        expected: what they saw of it; it is changed whatever it is where left out.

    Raises:
        NotFoundError: for one that is not there.
        ChangedError: when somebody else changed it since.
        ConflictError: for one that is declared complete.
        InvalidError: for an unknown tracker, or one that answers no queries.
    """
    actor.must(Right.COMMENT)
    now = backend.clock()
    async with backend.database.transaction() as session:
        sources = await load(backend, session)
        if wanted.source is not None and answers_queries(sources, wanted.source) is None:
            raise InvalidError(
                "No tracker of that name answers queries.", fields=[("/source", "answers none")]
            )
        row = ScopeRow(tickets=[]) if number is None else await _open(session, number)
        if number is not None and expected is not None:
            expected.must_be(_version(row))
        row.title, row.due, row.themes = wanted.title, wanted.due, list(wanted.themes)
        if row.query != wanted.query or row.source_id != wanted.source:
            row.read_at = row.unknown = None
        row.source_id, row.query = wanted.source, wanted.query
        if number is None:
            session.add(row)
            await session.flush()
        tickets = row.tickets if wanted.query else keys_of(sources, wanted.tickets)
        await change(session, actor, row, tickets, actor.name, now, always=True)
    return await view(backend, actor, row.number)


async def agree(backend: Backend, actor: Actor, number: int, tickets: Sequence[str]) -> ScopeView:
    """Agree on a scope as it was shown: what comes in or goes out from then on is told apart.

    Args:
        backend: the outside.
        actor: who agrees.
        number: the scope.
        tickets: the keys of those they were shown.

    Raises:
        NotFoundError: for one that is not there.
        ChangedSinceShownError: when it has others by now.
        ConflictError: for one that is agreed, or declared complete.
    """
    actor.must(Right.DECIDE)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _open(session, number)
        if row.agreed_at is not None:
            raise ConflictError("It is agreed already.")
        _must_be_as_shown(row, tickets)
        row.agreed_at, row.agreed_by_id = now, actor.id
        says = f"{actor.name} agreed on the scope {row.title}, {counted(len(row.tickets), 'ticket')}."
        record(session, actor, Action.AGREE_SCOPE, says, now, details=details_of(row))
    return await view(backend, actor, number)


def _must_be_as_shown(row: ScopeRow, tickets: Sequence[str]) -> None:
    said = came_and_went(sorted({*row.tickets} - {*tickets}), sorted({*tickets} - {*row.tickets}))
    if said:
        raise ChangedSinceShownError(sentence(f"{said} since you looked; look again, then decide"))


async def declare(
    backend: Backend, actor: Actor, number: int, tickets: Sequence[str], *, comment: str
) -> ScopeView:
    """Declare a scope complete; it changes no more, and its pack of evidence stays as it is.

    Args:
        backend: the outside.
        actor: who declares it.
        number: the scope.
        tickets: the keys of those they were shown.
        comment: why, where something is not everywhere or not known.

    Raises:
        NotFoundError: for one that is not there.
        ChangedSinceShownError: when it has others by now.
        ConflictError: for one that was never agreed, or is declared already.
        InvalidError: where something is not everywhere yet, or not known, and nobody says why that is well.
    """
    actor.must(Right.DECIDE)
    found = await view(backend, actor, number)
    left = [one.key for one in found.lines if one.state != "everywhere"]
    if (left or found.unknown) and not comment.strip():
        why = f"{listed(left[:5])} {are(len(left))} not everywhere yet" if left else found.unknown[0]
        raise InvalidError(f"{why}: say why it is complete all the same.", fields=[("/comment", "needed")])
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _open(session, number)
        if row.agreed_at is None:
            raise ConflictError("Nobody has agreed on it yet.")
        _must_be_as_shown(row, tickets)
        _must_be_as_shown(row, found.scope.tickets)
        row.declared_at, row.declared_by_id, row.declared = now, actor.id, comment.strip()
        says = f"{actor.name} declared the scope {row.title} complete. {found.says}"
        details = details_of(row) | {"left": ", ".join(left)}
        record(session, actor, Action.DECLARE_SCOPE, says, now, reason=comment, details=details)
    return await view(backend, actor, number)


async def view(backend: Backend, actor: Actor, number: int) -> ScopeView:
    """A scope with where each of its tickets is now; trackers are asked.

    Raises:
        NotFoundError: for one that is not there.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        row = await _found(session, number)
        plan, sources, names = (
            await layout(session),
            await load(backend, session),
            await people.names(session),
        )
        runs = await read_runs(session, plan, backend.clock())
        carriers = await lookup.bringing_tickets(session, row.tickets, _MOST_CARRIERS + 1)
        changed = await scopes.changes(session, number, _MOST)
    told, unknown = await _tickets(backend, sources, row.tickets)
    if len(carriers) > _MOST_CARRIERS:
        unknown.append("More promotions carry these tickets than are looked at.")
    if row.unknown is not None:
        unknown.append(f"The query could not be asked: {row.unknown}.")
    carried: dict[str, list[Carries]] = {}
    for key, one in carriers[:_MOST_CARRIERS]:
        carried.setdefault(key, []).append(one)
    # Hundreds of tickets in hundreds of services take their time.
    lines = await asyncio.to_thread(
        lambda: [_line(key, told.get(key), carried.get(key, []), plan, runs) for key in row.tickets]
    )
    return ScopeView(
        number=row.number,
        scope=_scope(row),
        version=_version(row),
        says=_says(lines),
        lines=lines,
        changes=[
            ScopeChange(at=one.at, by=one.by, added=one.added, removed=one.removed)
            for one in changed
            if (one.added or one.removed) and (row.agreed_at is None or one.at > row.agreed_at)
        ],
        agreed_by=named(row.agreed_by_id, names) if row.agreed_by_id else None,
        agreed_at=row.agreed_at,
        declared_by=named(row.declared_by_id, names) if row.declared_by_id else None,
        declared_at=row.declared_at,
        declared=row.declared,
        unknown=unknown,
    )


async def pack(backend: Backend, actor: Actor, number: int) -> dict[str, Any]:
    """The evidence of a scope: its tickets, what carried each where and when, and the record behind it.

    Raises:
        NotFoundError: for one that is not there.
    """
    found = await view(backend, actor, number)
    async with backend.database.transaction() as session:
        row = await _found(session, number)
        carriers = await lookup.bringing_tickets(session, row.tickets, _MOST_CARRIERS)
        digests = await lookup.digests_of(session, [one.promotion for _, one in carriers])
        checkpoint = await ledger.last_checkpoint(session)
    return {
        "format": "dogana.scope/1",
        "scope": found.model_dump(mode="json"),
        "promotions": [
            {"ticket": key, **one._asdict(), **digests.get(one.promotion, {})} for key, one in carriers
        ],
        "checkpoint": checkpoint.note if checkpoint else None,
    }


async def _found(session: Session, number: int) -> ScopeRow:
    row = await scopes.get(session, number)
    if row is None:
        raise NotFoundError("There is no such scope.")
    return row


def _scope(row: ScopeRow) -> Scope:
    return Scope(
        title=row.title,
        due=row.due,
        themes=tuple(row.themes),
        tickets=tuple(row.tickets),
        source=row.source_id,
        query=row.query,
    )


def _version(row: ScopeRow) -> str:
    """What people set; what a query finds comes and goes by itself."""
    return digest(_scope(row).model_copy(update={"tickets": ()}) if row.query else _scope(row))


async def _open(session: Session, number: int) -> ScopeRow:
    row = await scopes.get(session, number, lock=True)
    if row is None:
        raise NotFoundError("There is no such scope.")
    if row.declared_at is not None:
        raise ConflictError("It is declared complete, and changes no more.")
    return row


async def _tickets(
    backend: Backend, sources: Sources, keys: Sequence[str]
) -> tuple[dict[str, Ticket], list[str]]:
    """What trackers say of tickets, each tracker by itself, and what could not be read."""
    by_tracker: dict[str, list[str]] = {}
    unknown: list[str] = []
    for key in keys:
        tracker = sources.tracker_of(key)
        if tracker is None:
            unknown.append(f"No tracker is set up for {key}.")
        else:
            by_tracker.setdefault(tracker.id, []).append(key)
    asked = [one for one in sources.trackers if one.id in by_tracker]
    answers = await asyncio.gather(
        *(backend.tracker.tickets(one, tuple(by_tracker[one.id])) for one in asked)
    )
    unknown += [
        f"The tickets of {said.source} could not be read: {said.unknown}." for said in answers if said.unknown
    ]
    return {one.key: one for said in answers for one in said.value or ()}, unknown


def _line(
    key: str,
    ticket: Ticket | None,
    carriers: Sequence[Carries],
    plan: Layout,
    runs: Mapping[tuple[str, str], Any],
) -> ScopeLine:
    tracks = tracks_of(carriers, plan, runs)
    ends = {route.id: _ends(route) for route in plan.routes}
    routes = {one.id: one.route_id for one in plan.services}
    everywhere = bool(tracks) and all(
        ends[routes[track.service.id]]
        <= {stop.environment.id for stop in track.stops if stop.state == "runs"}
        for track in tracks
    )
    return ScopeLine(
        key=key,
        title=ticket.title if ticket else None,
        status=ticket.status if ticket else None,
        link=str(ticket.link) if ticket and ticket.link else None,
        state="everywhere" if everywhere else "on its way" if tracks else "nowhere",
        tracks=tracks,
    )


def _ends(route: Any) -> set[str]:
    """The environments that a route ends with."""
    last = max((leg.position for leg in route.legs), default=-1)
    return {leg.environment_id for leg in route.legs if leg.position == last}


def _says(lines: Sequence[ScopeLine]) -> str:
    """How far all of it is, as a sentence."""
    if not lines:
        return "No tickets are in it yet."
    told = {state: sum(one.state == state for one in lines) for state in get_args(Progress)}
    there, coming, nowhere = told.values()
    first = in_letters(there).capitalize() if there else "None"
    parts = [f"{first} of {counted(len(lines), 'ticket')} {'is' if there < 2 else 'are'} everywhere"]  # noqa: PLR2004
    parts += [f"{in_letters(coming)} {are(coming)} on the way"] if coming else []
    parts += [f"{in_letters(nowhere)} {are(nowhere)} in nothing yet"] if nowhere else []
    return f"{', '.join(parts)}."
