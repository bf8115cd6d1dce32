"""What lists show of what goes in: its rungs, why it stands where it does, and who was heard of last."""

from collections.abc import Mapping, Sequence
from datetime import datetime

from dogana.core.rollout import Plan
from dogana.core.words import lasting
from dogana.service.delivery.ending import SILENT_AFTER
from dogana.service.shapes import named
from dogana.service.views.rows import Going, Moving, Row
from dogana.store import Session, courses, ledger
from dogana.store.ledger import LastWord
from dogana.store.tables.promotions import State


async def with_courses(
    session: Session, rows: Sequence[Row], names: Mapping[str, str], now: datetime
) -> list[Row]:
    """Rows of which those that move say how they fare, and step by step on which step they are."""
    moving = [row.number for row in rows if row.state == State.MOVING]
    found = {one.promotion: one for one in await courses.briefly(session, moving)} if moving else {}
    stepped = [_with(row, found[row.number]) if row.number in found else row for row in rows]
    return await with_last_words(session, stepped, names, now)


async def with_last_words(
    session: Session, rows: Sequence[Row], names: Mapping[str, str], now: datetime
) -> list[Row]:
    """Rows of which those that move say who was heard of last, and when."""
    moving = [row.number for row in rows if row.state == State.MOVING]
    heard = await ledger.last_words(session, moving) if moving else {}
    return [_heard(row, heard[row.number], names, now) if row.number in heard else row for row in rows]


def _heard(row: Row, last: LastWord, names: Mapping[str, str], now: datetime) -> Row:
    silent = now - last.at >= SILENT_AFTER
    by = named(last.actor, names)
    moving = Moving(heard_at=last.at, heard_from=by, says=last.says, silent=silent)
    since = lasting(now - last.at)
    more = f" Nothing was heard of it for {since}, since {by.name} last reported." if silent else ""
    over = " It takes longer than it may." if row.overdue else ""
    return row.model_copy(update={"moving": moving, "sentence": row.sentence + over + more})


def _with(row: Row, course: courses.Briefly) -> Row:
    shares = [step.share for step in Plan.model_validate(course.plan).steps]
    going = Going(shares=shares, at=course.step or 0, halted=course.halted is not None)
    return row.model_copy(update={"going": going, "sentence": course.because or row.sentence})
