"""What lists show of what goes in step by step: its rungs, and why it stands where it does."""

from collections.abc import Sequence

from dogana.core.rollout import Plan
from dogana.service.views.rows import Going, Row
from dogana.store import Session, courses
from dogana.store.tables.promotions import State


async def with_courses(session: Session, rows: Sequence[Row]) -> list[Row]:
    """Rows of which those that move step by step say on which step, and what it waits for."""
    moving = [row.number for row in rows if row.state == State.MOVING]
    found = {one.promotion: one for one in await courses.briefly(session, moving)} if moving else {}
    return [_with(row, found[row.number]) if row.number in found else row for row in rows]


def _with(row: Row, course: courses.Briefly) -> Row:
    shares = [step.share for step in Plan.model_validate(course.plan).steps]
    going = Going(shares=shares, at=course.step or 0, halted=course.halted is not None)
    return row.model_copy(update={"going": going, "sentence": course.because or row.sentence})
