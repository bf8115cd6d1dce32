"""What a document would change for what waits now, if it were adopted."""

from typing import Any

from dogana.core.document import Instant
from dogana.core.inspect.engine import inspect
from dogana.core.inspect.sheet import Verdict
from dogana.core.strictness import Order
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.policies.board import compare, in_full
from dogana.service.policies.drafts import checked, read
from dogana.service.policies.in_force import found_in_force
from dogana.service.policies.reach import reach
from dogana.service.promotions.grounds import kept
from dogana.service.shapes import View
from dogana.store import promotions


class Flip(View):
    """A pending promotion that a policy would decide otherwise, or let start at another time."""

    number: int
    service: str
    version: str
    was: Verdict
    would_be: Verdict
    because: str
    first_start: Instant | None
    would_start: Instant | None


class Preview(View):
    """What a document would change if it were adopted now."""

    order: Order
    """Whether it asks for more or less than what is in force."""
    differences: list[str]
    pending: int
    approvals: int
    """How many approvals would lapse, as each is bound to the policy it was given under."""
    flips: list[Flip]
    reach: list[str]
    """Which of its monitors take longer to be known than it gives them, or may never be; sentences."""


async def preview(
    backend: Backend, actor: Actor, environment: str, document: str | dict[str, Any]
) -> Preview:
    """What a document would change, without keeping it.

    Raises:
        InvalidPolicyError: with the pointer and reason of every fault.
        UnknownNameError: for an unknown environment.
    """
    actor.must(Right.READ)
    now, policy = backend.clock(), await read(backend, document)
    async with backend.database.transaction() as session:
        await checked(session, environment, policy, now)
        holds = await found_in_force(session, environment, now)
        new = await in_full(session, policy, now)
        old = holds.policy if holds else None
        waiting = await promotions.pending_into(session, environment)
        flips, lapsing = [], 0
        for row in waiting:
            grounds = await kept(session, row, now)
            was = grounds.sheet(now)
            sheet = inspect(new, grounds.facts, grounds.decisions, now)
            if new.digest != grounds.policy.digest:
                lapsing += sum(seat.taken_by is not None for seat in was.seats())
            first, later = was.forecast.first_start, sheet.forecast.first_start
            if sheet.verdict is not was.verdict or first != later:
                flips.append(
                    Flip(
                        number=row.number,
                        service=row.release.service.title,
                        version=row.release.version,
                        was=was.verdict,
                        would_be=sheet.verdict,
                        because=sheet.sentence,
                        first_start=first,
                        would_start=later,
                    )
                )
        known = await reach(session, environment, new, now)
    order, differs = await compare(backend, old, new)
    return Preview(
        order=order,
        differences=differs if old else ["It is the first policy of this environment."],
        pending=len(waiting),
        approvals=lapsing,
        flips=flips,
        reach=known,
    )
