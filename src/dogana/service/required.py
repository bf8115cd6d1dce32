"""What an act needs before it does anything: a reason, and a promotion that is there."""

from typing import Literal

from dogana.core.errors import InvalidError, NotFoundError
from dogana.store import Session, promotions
from dogana.store.tables import PromotionRow


def must_say(reason: str, why: str, field: Literal["/reason", "/comment"]) -> None:
    """See that somebody gives a reason.

    Args:
        reason: what they wrote.
        why: what they are told without one, a sentence.
        field: where it belongs.

    Raises:
        InvalidError: when there is none.
    """
    if not reason.strip():
        raise InvalidError(why, fields=[(field, "needed")])


async def found(session: Session, number: int, *, lock: bool = False) -> PromotionRow:
    """A promotion by its number.

    Raises:
        NotFoundError: when there is none.
    """
    row = await promotions.get(session, number, lock=lock)
    if row is None:
        raise NotFoundError(f"There is no promotion {number}.")
    return row
