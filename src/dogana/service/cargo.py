"""What a promotion brings, read where it lies before anybody decides."""

from dogana.core.errors import NotFoundError
from dogana.core.facts import Reading
from dogana.core.patch import CommitPatch
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.grounds import change_inspected
from dogana.service.required import found
from dogana.service.sources import load


async def patch(backend: Backend, actor: Actor, number: int, revision: str) -> Reading[CommitPatch]:
    """What one of its commits says and changed; unknown, with the reason, when it cannot be read.

    Raises:
        NotFoundError: for an unknown promotion, and for a commit that it does not bring.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        row = await found(session, number)
        change = await change_inspected(session, row)
        if change is None or revision not in {one.revision for one in change.commits}:
            raise NotFoundError(f"Promotion {number} brings no commit {revision[:10]}.")
        at = (await load(backend, session)).repository(row.release.service.repository)
    return await backend.repositories.patch(at, revision)
