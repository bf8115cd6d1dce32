"""The repositories of services: tried before they are kept, and looked at again and again."""

from datetime import timedelta

import structlog

from dogana.core.errors import InvalidError, RepositoryError
from dogana.core.words import lower_first, sentence
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.documents import Service
from dogana.service.landscape.environments import must_travel
from dogana.service.sources.registry import load
from dogana.store import landscape

_EVERY = timedelta(minutes=10)
_AT_ONCE = 20
_log = structlog.get_logger("dogana.sources")


async def must_be_read(backend: Backend, actor: Actor, name: str, wanted: Service) -> None:
    """See that a repository can be read that a service did not have before.

    Raises:
        InvalidError: with the reason when it cannot.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        row = await landscape.service(session, name)
        if row is not None and row.repository == wanted.repository:
            return
        # What is wrong with the rest is said without asking anybody.
        await must_travel(session, wanted)
    why = await _unread(backend, wanted.repository)
    if why is not None:
        unread = sentence(f"the repository {wanted.repository} cannot be read: {lower_first(why)}")
        says = f"{unread} Save it untried if it is still to come."
        raise InvalidError(says, fields=[("/repository", why)])


async def look_due(backend: Backend) -> None:
    """Look whether repositories can still be read, each every ten minutes; news is kept, and logged."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        due = await landscape.repositories_due(session, now - _EVERY, _AT_ONCE)
    read: dict[str, str | None] = {}
    for name, repository in due:
        # Several services may lie in one repository.
        if repository not in read:
            read[repository] = await _unread(backend, repository)
        why = read[repository]
        async with backend.database.transaction() as session:
            row = await landscape.service(session, name, lock=True)
            if row is None or row.repository != repository:
                continue
            row.repository_tried_at = now
            if row.repository_reason != why:
                _log.info("repository", service=name, reason=why)
                row.repository_failing_since = None if why is None else (row.repository_failing_since or now)
                row.repository_reason = why


async def _unread(backend: Backend, repository: str) -> str | None:
    async with backend.database.transaction() as session:
        at = (await load(backend, session)).repository(repository)
    try:
        await backend.repositories.head(at)
    except RepositoryError as exc:
        return exc.detail
    return None
