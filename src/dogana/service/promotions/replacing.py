"""Putting another release of the service in the place of one that waits."""

from typing import cast

from dogana.core.errors import ConflictError, RefusedError, UnknownNameError
from dogana.core.facts import PromotionKind
from dogana.core.record.actions import Action
from dogana.core.words import sentence
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.stops import may_enter_next, stop_of
from dogana.service.preconditions import must_say
from dogana.service.promotions.inspection import record_on
from dogana.service.promotions.lookup import what
from dogana.service.promotions.refreshing import pending, refresh
from dogana.store import Session, landscape, promotions
from dogana.store.tables.landscape import ReleaseRow
from dogana.store.tables.promotions import PromotionRow


async def exchange(backend: Backend, actor: Actor, number: int, *, version: str, reason: str) -> None:
    """Let another release go in its place: start and place in the queue stay, approvals lapse.

    Raises:
        InvalidError: without a reason.
        RefusedError: for anybody but who asked for it.
        UnknownNameError: for a release that is not on record.
        ConflictError: when that release waits for the same environment already, or is the one that waits.
        NotNextLegError, AlreadyRunsError: when it may not enter there next.
        MovedOnError: when it waits no longer.
    """
    actor.must(Right.REQUEST)
    must_say(reason, "Say why it is exchanged.", "/comment")
    async with pending(backend, number) as held:
        session, row = held.session, held.row
        if row.requester_id != actor.id:
            raise RefusedError("Only who asked for it may put another release in its place.")
        release = await landscape.release(session, row.service_id, version)
        if release is None:
            raise UnknownNameError(
                f"{row.service_id} {version} is not on record.", fields=[("/version", "unknown")]
            )
        await _must_be_free(session, row, release)
        stop = stop_of(row)
        kind = cast("PromotionKind", row.kind)
        if kind == "urgent" and row.route.lets_in is None:
            kind = "ordinary"
        row.source = await may_enter_next(session, release.service, version, release, stop, kind)
        before = what(row)
        row.release, row.kind, row.changed_at = release, kind, backend.clock()
        row.prepared_at = row.prepared_by_id = None
        says = sentence(f"{actor.name} put {release.service.title} {version} in the place of {before}")
        await record_on(held, actor, Action.EXCHANGE, says, reason=reason)
    await refresh(backend, number)


async def _must_be_free(session: Session, row: PromotionRow, release: ReleaseRow) -> None:
    if release.id == row.release_id:
        raise ConflictError("It is that release that waits.")
    if await promotions.pending_of(session, release.id, row.environment_id) is not None:
        raise ConflictError(f"{release.version} waits for {row.environment.title} already.")
