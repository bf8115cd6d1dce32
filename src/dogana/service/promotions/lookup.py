"""Finding a promotion: to read, locked, with its facts, or as far as a token reaches."""

from typing import TypeVar

from dogana.core.errors import NotFoundError
from dogana.service.actor import Actor
from dogana.service.backend import Backend
from dogana.store import Session, promotions
from dogana.store.tables.promotions import PromotionRow


async def of_promotion(backend: Backend, actor: Actor, number: int) -> None:
    """See that a token is for a promotion's service and environment.

    Raises:
        NotFoundError: when there is none.
        ForbiddenError: when it is not.
    """
    async with backend.database.transaction() as session:
        row = await found(session, number)
    actor.must_reach(row.service_id, row.environment_id)


Found = TypeVar("Found")


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


def what(row: PromotionRow) -> str:
    """A promotion in words: `Leak watch 4.2.0 into Live north`."""
    return f"{row.release.service.title} {row.release.version} into {row.environment.title}"
