"""Outside checks: asking one again by hand, and taking what it says."""

from datetime import datetime, timedelta
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from dogana.core.document import SKEW, Document, Instant
from dogana.core.errors import ConflictError, InvalidError, MovedOnError, NotFoundError
from dogana.core.facts import WebLink
from dogana.core.inspect.sheet import Sheet
from dogana.core.record.actions import Action
from dogana.core.words import sentence
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.promotions.asking import ask, called
from dogana.service.promotions.inspection import settle
from dogana.service.promotions.lookup import what
from dogana.service.promotions.refreshing import pending
from dogana.store import checks, exchange, promotions, schedule
from dogana.store.tables.checks import CheckRow
from dogana.store.tables.promotions import PENDING, PromotionRow

_NOT_AGAIN = timedelta(seconds=10)
_SAYS = {"passed": "lets {} pass", "failed": "does not let {} pass", "running": "is at work on {}"}
_RANK = {"failed": 0, "running": 1, "passed": 2}
"""Of two answers that are dated alike, the one that lets less pass stays."""


class CheckResult(Document):
    """What an outside check says of a promotion."""

    asked: Annotated[str, StringConstraints(pattern=r"^entry-[0-9]{1,18}$")] | None = None
    """The id of the event that it was asked with; absent where it speaks by itself."""
    revision: str | None = None
    """What it looked at; needed where it speaks by itself."""
    result: Literal["passed", "failed", "running"]
    reason: str | None = Field(default=None, min_length=1, max_length=500)
    """Why, in a sentence; needed where it fails."""
    link: WebLink | None = None
    until: Instant | None = None
    """From when on this counts no longer."""

    @model_validator(mode="after")
    def _says_enough(self) -> Self:
        if self.result == "failed" and self.reason is None:
            raise ValueError("a check that fails says why, in `reason`")
        if self.asked is None and self.revision is None:
            raise ValueError("a check that was not asked names the `revision` it looked at")
        return self


async def ask_again(backend: Backend, actor: Actor, number: int, name: str) -> Sheet:
    """Ask an outside check again, whatever it has said.

    Raises:
        NotFoundError: when the policy asks no such check.
        ConflictError: when it was asked a moment ago.
        MovedOnError: when the promotion waits no longer.
    """
    actor.must(Right.COMMENT)
    async with pending(backend, number) as held:
        if name not in {rule.outside_check() for rule in held.grounds.policy.rules}:
            raise NotFoundError(f"No check called {name} is asked about promotion {number}.")
        last = next((one for one in held.grounds.facts.checks or () if one.check == name), None)
        if last is not None and held.sheet.at - last.asked_at < _NOT_AGAIN:
            raise ConflictError("It was asked a moment ago.")
        await ask(held.session, actor, held.row, held.grounds.facts, [name], held.sheet.at)
        return await settle(await held.anew())


async def answer(
    backend: Backend, actor: Actor, name: str, number: int, said: CheckResult, at: datetime
) -> str:
    """Take what a check says of a promotion; gives that in a sentence.

    Args:
        backend: the outside.
        actor: the account that says it.
        name: the check that the sender stands for.
        number: the promotion.
        said: what it says.
        at: when it came to that, as it says.

    Raises:
        ForbiddenError: from an account that writes nothing here.
        NotFoundError: for what it was never asked.
        MovedOnError: when the promotion waits no longer.
        InvalidError: for an answer that is over already, is dated before it was asked, or is about another
            revision.
        ConflictError: when it was asked again since, or has said something later.
    """
    actor.must(Right.COMMENT)
    now = backend.clock()
    async with backend.database.transaction() as session:
        asked = await checks.last_asked(session, number, name)
        row = await promotions.get(session, number)
        if asked is None or row is None:
            raise NotFoundError(f"{name} was asked no such thing about promotion {number}.")
        if row.state not in PENDING:
            raise MovedOnError(f"Promotion {number} waits no longer: it is {row.state}.")
        _may_count(asked, row, said, at, now)
        asked.result, asked.reason, asked.link = said.result, said.reason, said.link
        asked.until, asked.answered_at, asked.by_id = said.until, at, actor.id
        title = called(await exchange.sender(session, name), name)
        says = sentence(f"{title} {_SAYS[said.result].format(what(row))}")
        details = {"check": name, **said.plain()}
        reason = said.reason or ""
        record(session, actor, Action.ANSWER_CHECK, says, now, promotion=row, reason=reason, details=details)
        schedule.inspection(session, now, number=number)
        return says


def _may_count(asked: CheckRow, row: PromotionRow, said: CheckResult, at: datetime, now: datetime) -> None:
    """See that an answer is about what was asked, and the last word on it."""
    by_itself = said.asked is None
    if said.asked not in (None, f"entry-{asked.entry_id}"):
        raise ConflictError("That is not what it was asked last.")
    if said.revision not in (None, row.release.revision):
        raise InvalidError(f"It is about another revision than {row.release.revision}.")
    if at < asked.asked_at - (timedelta(0) if by_itself else SKEW):
        raise InvalidError("It is dated before what it is about was there.")
    if said.until is not None and said.until <= max(at, now):
        raise InvalidError("It is over already.")
    if asked.answered_at is None or asked.result is None:
        return
    if (at, -_RANK[said.result]) < (asked.answered_at, -_RANK[asked.result]):
        raise ConflictError("It has said something later.")
