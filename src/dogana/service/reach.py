"""How far a token reaches that is for some services or environments alone."""

from dogana.service.access import Actor
from dogana.service.backend import Backend
from dogana.service.required import found


async def of_promotion(backend: Backend, actor: Actor, number: int) -> None:
    """See that a token is for a promotion's service and environment.

    Raises:
        NotFoundError: when there is none.
        ForbiddenError: when it is not.
    """
    async with backend.database.transaction() as session:
        row = await found(session, number)
    actor.must_reach(row.service_id, row.environment_id)
