"""The versions of a policy, as they were drafted and adopted."""

import json

from dogana.core.document import Instant
from dogana.core.errors import NotFoundError
from dogana.core.policy.document import policy_of
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.policies.board import in_full
from dogana.service.policies.reach import reach
from dogana.service.shapes import Named, View, named
from dogana.store import landscape, people, policies
from dogana.store.tables.policies import PolicyRow


class PolicyView(View):
    """One version of an environment's policy."""

    environment: str
    version: int
    digest: str
    author: Named
    drafted_at: Instant
    adopter: Named | None
    in_force_from: Instant | None
    dropped_at: Instant | None
    """When it was let be, as a draft."""
    written: str | None
    """As its author wrote it; absent where it came as values."""
    document: dict[str, object]
    reach: tuple[str, ...] = ()
    """Of one drafted just now: which monitors take longer to be known than it gives them; sentences."""


async def policy_versions(backend: Backend, actor: Actor, environment: str) -> list[PolicyView]:
    """Every version of an environment's policy, newest first.

    Raises:
        NotFoundError: for an unknown environment.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        if await landscape.environment(session, environment) is None:
            raise NotFoundError(f"There is no environment {environment}.")
        names = await people.names(session)
        return [_policy(row, names) for row in await policies.versions(session, environment)]


async def policy_version(backend: Backend, actor: Actor, row: PolicyRow) -> PolicyView:
    """A policy version as readers get it."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return _policy(row, await people.names(session))


async def drafted(backend: Backend, actor: Actor, row: PolicyRow) -> PolicyView:
    """The same of one drafted just now, with what of it may never be known."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        policy = await in_full(session, policy_of(row.document), now)
        known = await reach(session, row.environment_id, policy, now)
        return _policy(row, await people.names(session)).model_copy(update={"reach": tuple(known)})


def _policy(row: PolicyRow, names: dict[str, str]) -> PolicyView:
    return PolicyView(
        environment=row.environment_id,
        version=row.version,
        digest=row.digest,
        author=named(row.author_id, names),
        drafted_at=row.drafted_at,
        adopter=named(row.adopter_id, names) if row.adopter_id else None,
        in_force_from=row.in_force_from,
        dropped_at=row.dropped_at,
        written=row.written,
        document=json.loads(row.document),
    )
