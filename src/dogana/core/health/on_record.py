"""A move as it is kept, with everything it was made on, so that it can be made again."""

from typing import Literal

from pydantic import ValidationError

from dogana.core.document import Instant
from dogana.core.health import course
from dogana.core.health.counters import Kept
from dogana.core.health.course import CourseState, Moved
from dogana.core.health.readings import Look
from dogana.core.health.watches import Watch
from dogana.core.record.canonical import digest_bytes
from dogana.core.rollout import Plan


class MoveOnRecord(Kept):
    """One move: the course before, the looks at it, what held it or who let it go on, and what it came to."""

    format: Literal["dogana.move/1", "dogana.move/2"]
    """The first said of every monitor that it is within, once it went on, also of those that nobody knew."""
    at: Instant
    plan: Plan
    watches: tuple[Watch, ...]
    state: CourseState
    looks: tuple[Look, ...] = ()
    held: str | None = None
    let_go_on: bool = False
    stepping: bool = False
    moved: Moved

    def again(self) -> Moved:
        """The same move, made anew."""
        state = course.seen(self.watches, self.state, self.looks)
        return course.move(
            self.plan,
            self.watches,
            state,
            self.at,
            held=self.held,
            let_go_on=self.let_go_on,
            stepping=self.stepping,
            of_all=self.format == "dogana.move/1",
        )


def replayed(digest: str, text: str | None) -> str | None:
    """Why a move is not what comes of what it was made on; None where it is.

    Args:
        digest: that its entry names.
        text: that is kept under it; None where nothing is.
    """
    if text is None:
        return "it is not kept"
    if digest_bytes(text.encode()) != digest:
        return "it has another digest than its entry names"
    try:
        kept = MoveOnRecord.model_validate_json(text)
        again = kept.again()
    except (ValidationError, ValueError, LookupError) as exc:
        return f"it cannot be made again: {str(exc).splitlines()[0]}"
    if again == kept.moved:
        return None
    return f"it comes out as {again.move} instead of {kept.moved.move}: {again.because}"
