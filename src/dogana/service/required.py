"""What an act needs before it does anything: a reason, and a promotion that is there."""

from dataclasses import dataclass
from typing import Literal, TypeVar

from dogana.core.errors import ChangedError, InvalidError, NotFoundError
from dogana.store import Session, promotions
from dogana.store.tables import PromotionRow

Found = TypeVar("Found")


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


@dataclass(frozen=True, kw_only=True)
class Seen:
    """What somebody has seen of what they change."""

    anything: bool = False
    """Whether it is enough that it is there."""
    versions: frozenset[str] = frozenset()

    def must_be(self, version: str | None) -> None:
        """See that it is as it was seen.

        Args:
            version: which it is now; None where it is not there.

        Raises:
            ChangedError: when it is not, and so also when it is not there.
        """
        if version is None or not (self.anything or version in self.versions):
            raise ChangedError


async def found(session: Session, number: int) -> PromotionRow:
    """A promotion by its number.

    Raises:
        NotFoundError: when there is none.
    """
    return _there(await promotions.get(session, number), number)


async def found_with_facts(session: Session, number: int) -> promotions.WithFacts:
    """The same with what it was last inspected on.

    Raises:
        NotFoundError: when there is none.
    """
    return _there(await promotions.with_facts(session, number), number)


async def found_locked(session: Session, number: int) -> promotions.WithFacts:
    """The same, locked until the transaction ends.

    Raises:
        NotFoundError: when there is none.
    """
    return _there(await promotions.lock(session, number), number)


def _there(promotion: Found | None, number: int) -> Found:
    if promotion is None:
        raise NotFoundError(f"There is no promotion {number}.")
    return promotion
