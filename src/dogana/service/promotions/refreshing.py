"""Reading anew what waits: by itself when it is due, and before somebody decides what was not inspected yet.

Many are due at once. What is read and written of them is read and written together, and what an inspection
finds as it was takes nothing but that; what it finds otherwise is locked and moved on by itself.
"""

from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from itertools import chain

from dogana.core.errors import MovedOnError
from dogana.core.facts import Facts
from dogana.core.policy.document import Policy
from dogana.service.backend import Backend
from dogana.service.landscape.stops import stop_of
from dogana.service.policies.in_force import InForce, in_force
from dogana.service.promotions.asking import ask_due
from dogana.service.promotions.grounds import as_far_as_asked, last_said, present
from dogana.service.promotions.inspection import Held, held_on, hold, nothing_new, settle
from dogana.service.promotions.lookup import found_locked
from dogana.service.promotions.outside_facts import FactsRequest, Outside, gather, watched
from dogana.service.promotions.own_record import recorded
from dogana.service.sources.registry import Sources, load
from dogana.service.sources.registry import note as note_sources
from dogana.store import Session, documents, landscape, promotions, schedule
from dogana.store.tables.promotions import PENDING, PromotionRow

_PARTS_KEPT = timedelta(hours=1)


@dataclass(frozen=True, kw_only=True)
class _Due:
    """What is to be asked about a promotion, and what is known of it until then."""

    number: int
    due_at: datetime
    known: Facts | None
    question: FactsRequest


@dataclass(frozen=True, kw_only=True)
class _Answered:
    """What others said of it."""

    due: _Due
    outside: Outside


class _InCommon:
    """What several need, each looked for once in a transaction that changes none of it."""

    def __init__(self, backend: Backend, session: Session) -> None:
        self._backend, self._session = backend, session
        self._policies: dict[str, InForce] = {}
        self._bases: dict[tuple[str, str], str | None] = {}

    async def policy(self, row: PromotionRow) -> InForce:
        """The one in force for its environment."""
        if row.environment_id not in self._policies:
            at = self._backend.clock()
            self._policies[row.environment_id] = await in_force(self._session, row.environment, at)
        return self._policies[row.environment_id]

    async def base(self, row: PromotionRow) -> str | None:
        """The revision that it would replace."""
        where = (row.service_id, row.environment_id)
        if where not in self._bases:
            runs_here = await landscape.running(self._session, row.service_id, row.environment)
            self._bases[where] = runs_here.revision if runs_here else None
        return self._bases[where]


async def refresh(backend: Backend, number: int) -> None:
    """Read a pending promotion's facts anew, inspect it again, and move it on.

    Others are asked in between, which takes as long as they take. What changed here meanwhile is seen; they
    may have been asked the wrong thing then, so it is due again at once.
    """
    due = await backend.due.ask(number, partial(_read, backend))
    if due is None:
        return
    outside = await gather(backend, due.question, due.known)
    answered = _Answered(due=due, outside=outside)
    if due.known is None or not await backend.answered.ask(answered, partial(_as_it_was, backend)):
        await _move_on(backend, answered)


async def _read(backend: Backend, numbers: Sequence[int]) -> list[_Due | None]:
    """What is to be asked about some promotions; None of one that waits no longer."""
    async with backend.database.transaction() as session:
        found = await promotions.with_facts_of(session, numbers)
        sources, known = await load(backend, session), _InCommon(backend, session)

        async def due(one: promotions.WithFacts) -> _Due:
            row = one.row
            policy = (await known.policy(row)).policy
            return _Due(
                number=row.number,
                due_at=row.inspect_at,
                known=as_far_as_asked(one.facts) if one.facts else None,
                question=question_about(row, sources, policy, await known.base(row)),
            )

        waiting = {number: await due(one) for number, one in found.items() if one.row.state in PENDING}
        return [waiting.get(number) for number in numbers]


async def _as_it_was(backend: Backend, answered: Sequence[_Answered]) -> list[bool]:
    """Write of each that it was read, where nothing about it is new; whether that is so."""
    async with backend.database.transaction() as session:
        rows = await promotions.lock_single(session, [one.due.number for one in answered])
        read, known = await recorded(backend, session, list(rows)), _InCommon(backend, session)

        async def is_as_it_was(one: _Answered) -> bool:
            row = rows.get(one.due.number)
            if row is None or row.state not in PENDING or row.trouble is not None:
                return False
            if row.inspect_at != one.due.due_at:
                return False
            holds = await known.policy(row)
            grounds = await present(backend, session, row, one.outside, read, holds)
            held = held_on(backend, session, row, grounds)
            if not nothing_new(held):
                return False
            row.facts_read_at = backend.clock()
            await settle(held, read_anew=True)
            return True

        with session.no_autoflush:
            same = [await is_as_it_was(one) for one in answered]
        asked = [one.outside.read for one, kept in zip(answered, same, strict=True) if kept]
        # Last, as others wait for it.
        await note_sources(session, chain.from_iterable(asked))
        return same


async def _move_on(backend: Backend, answered: _Answered) -> None:
    """Inspect one by itself and move it on."""
    async with backend.database.transaction() as session:
        locked = await promotions.lock(session, answered.due.number)
        if locked is None or locked.row.state not in PENDING:
            return
        row = locked.row
        row.facts_read_at = backend.clock()
        row.trouble = row.trouble_at = None
        first = row.sheet is None
        if locked.facts is None:
            # Whatever is left of what it was inspected on cannot be put together any more.
            row.facts_digest = row.facts = row.facts_parts = None
        held = await hold(backend, session, row, answered.outside)
        if await ask_due(session, row, held.grounds, held.sheet):
            held = await held.anew()
        await settle(held, read_anew=row.inspect_at == answered.due.due_at)
        if first and any(rule.depends_on_others for rule in held.grounds.policy.rules):
            schedule.inspection(
                session, backend.clock(), environment=row.environment_id, service=row.service_id
            )
        # Last, as others wait for it.
        await note_sources(session, answered.outside.read)


async def forget_parts(backend: Backend) -> int:
    """Let go of parts of facts that nothing that waits has had for an hour; how many."""
    async with backend.database.transaction() as session:
        return await documents.forget_parts(session, backend.clock() - _PARTS_KEPT)


def question_about(row: PromotionRow, sources: Sources, policy: Policy, base: str | None) -> FactsRequest:
    """What to ask the outside systems about a promotion; `base` is the revision it would replace."""
    here, service = row.environment, row.release.service
    return FactsRequest(
        sources=sources,
        repository=sources.repository(service.repository, tuple(service.paths)),
        base=base,
        revision=row.release.revision,
        names=f"{row.note} {row.asked_revision}",
        watched=watched(policy, here.id, [one.id for one in stop_of(row).before()]),
        origin_matters=policy.looks_at_origin() or bool((row.route.lets_in or {}).get("branches")),
        signatures_matter=policy.looks_at_signatures(),
    )


@asynccontextmanager
async def pending(backend: Backend, number: int) -> AsyncIterator[Held]:
    """A transaction that holds one pending promotion alone, inspected now.

    What was taken in a moment ago is inspected first, and so is its bundle, so that one can decide.

    Raises:
        NotFoundError: when there is none.
        MovedOnError: when it waits no longer.
    """
    while True:
        async with backend.database.transaction() as session:
            locked = await found_locked(session, number)
            row = locked.row
            if row.state not in PENDING:
                raise MovedOnError(f"Promotion {number} waits no longer: it is {row.state}.")
            if not locked.unseen:
                yield await hold(backend, session, row, last_said(row, locked.facts))
                return
        # Out of the transaction, as others are asked for it; who knows what moved on meanwhile, so once more.
        for one in locked.unseen:
            await refresh(backend, one)


async def see_inspected(backend: Backend, number: int) -> None:
    """Inspect a promotion and its bundle now if they were taken in a moment ago."""
    async with backend.database.transaction() as session:
        unseen = await promotions.unseen(session, number)
    for one in unseen:
        await refresh(backend, one)
