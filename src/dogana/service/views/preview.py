"""What a document would change for what waits now, if it were adopted."""

from typing import Any

from dogana.core.document import Instant
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.policy.inheritance import inherited
from dogana.core.strictness import Order
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.policies.board import compare, in_full
from dogana.service.policies.drafts import against_heirs, checked, read
from dogana.service.policies.in_force import found_in_force, heirs
from dogana.service.policies.reach import reach
from dogana.service.promotions.grounds import kept
from dogana.service.shapes import View
from dogana.store import promotions


class Flip(View):
    """A pending promotion that a policy would decide otherwise, or let start at another time."""

    number: int
    service: str
    version: str
    into: str
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
    """How many wait for the environment, and for those whose policies inherit from this."""
    approvals: int
    """How many would lapse: none where it asks for as much as what they were given under, or more."""
    flips: list[Flip]
    refused: list[str]
    """Why it could not be adopted as things are, for the sake of those that inherit from it; sentences."""
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
        would_hold = {environment: new} | {
            name: inherited(new, heir) for name, heir in (await heirs(session, environment, now)).items()
        }
        waiting = [row for one in would_hold for row in await promotions.pending_into(session, one)]
        flips, lapsing = [], 0
        for row in waiting:
            grounds = await kept(session, row, now)
            was = grounds.sheet(now)
            sheet = grounds.under(would_hold[row.environment_id]).sheet(now)
            lapsing += len(_seated(was) - _seated(sheet))
            first, later = was.forecast.first_start, sheet.forecast.first_start
            if sheet.verdict is not was.verdict or first != later:
                flips.append(
                    Flip(
                        number=row.number,
                        service=row.release.service.title,
                        version=row.release.version,
                        into=row.environment.title,
                        was=was.verdict,
                        would_be=sheet.verdict,
                        because=sheet.sentence,
                        first_start=first,
                        would_start=later,
                    )
                )
        known = await reach(session, environment, new, now)
        refused = await against_heirs(session, environment, policy, now)
    order, differs = await compare(backend, old, new)
    return Preview(
        order=order,
        differences=differs if old else ["It is the first policy of this environment."],
        pending=len(waiting),
        approvals=lapsing,
        flips=flips,
        refused=refused,
        reach=known,
    )


def _seated(sheet: Sheet) -> set[str]:
    return {seat.taken_by for seat in sheet.seats() if seat.taken_by is not None}
