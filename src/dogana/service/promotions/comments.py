"""What people write to each other about a promotion; it stands in the ledger like everything else."""

import re
from collections.abc import Iterable

from dogana.core.errors import InvalidError
from dogana.core.record.actions import Action
from dogana.core.words import listed
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.promotions.lookup import found, what
from dogana.store import people
from dogana.store.tables.people import PersonRow


async def comment(backend: Backend, actor: Actor, number: int, text: str) -> None:
    """Write something about a promotion; who is named with an `@` sees it on their Desk until they answer.

    Raises:
        InvalidError: for a comment that says nothing.
        NotFoundError: when there is no such promotion.
    """
    actor.must(Right.COMMENT)
    text = text.strip()
    if not text:
        raise InvalidError("Write something.", fields=[("/comment", "is empty")])
    async with backend.database.transaction() as session:
        row = await found(session, number)
        named = mentioned(text, await people.people(session))
        to = f" to {listed([one.name for one in named])}" if named else ""
        says = f"{actor.name} wrote{to} about {what(row)}."
        details = {"mentions": [one.id for one in named]} if named else None
        record(
            session, actor, Action.COMMENT, says, backend.clock(), promotion=row, reason=text, details=details
        )


def mentioned(text: str, people: Iterable[PersonRow]) -> list[PersonRow]:
    """Whom a text names: `@Ilse Brandt` or `@ilse`, whatever the case."""
    return [
        one
        for one in people
        if any(re.search(rf"@{re.escape(name)}(?!\w)", text, re.IGNORECASE) for name in (one.name, one.id))
    ]
