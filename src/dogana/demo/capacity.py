"""The capacity check of the scenario: who answers, where it is asked, and what it has said so far."""

from datetime import timedelta

from dogana.core.record.actions import Action
from dogana.demo.cast import ACTORS
from dogana.service.backend import Backend
from dogana.service.exchange import parties
from dogana.service.promotions import checks
from dogana.service.promotions.checks import CheckResult
from dogana.store import checks as asked
from dogana.store import promotions
from dogana.store.tables.promotions import PENDING

NAME, TITLE = "capacity", "Capacity check"
_NO_ROOM = "leak-watch"
_TAKES = timedelta(seconds=3)


async def set_address(backend: Backend, address: str, secret: str) -> None:
    """Have it asked where it is now, signed with what signs its answers."""
    dario, where = ACTORS["dario"], f"{address}/asked"
    known = {one.id: one.address for one in await parties.subscribers(backend, dario)}
    if known.get(NAME) != where:
        await parties.set_subscriber(
            backend,
            dario,
            NAME,
            title=TITLE,
            address=where,
            actions=[Action.ASK_CHECK.value],
            secret=secret,
        )


async def answer_all(backend: Backend) -> None:
    """Answer whatever it was asked in the past; once with no."""
    async with backend.database.transaction() as session:
        rows = [row for row in await promotions.every(session) if row.state in PENDING]
        last = [(row, await asked.last_asked(session, row.number, NAME)) for row in rows]
    for row, question in last:
        if question is None or question.answered_at is not None:
            continue
        said = {"result": "passed", "reason": "room for two of it beside what runs"}
        if row.service_id == _NO_ROOM:
            said = {"result": "failed", "reason": "no machine there has 4 GB to spare"}
        result = CheckResult.model_validate(said | {"revision": row.release.revision})
        await checks.answer(backend, ACTORS[NAME], NAME, row.number, result, question.asked_at + _TAKES)
