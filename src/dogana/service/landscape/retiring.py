"""Taking environments, routes and services away: what has history is retired and stays readable."""

from collections.abc import Iterable
from typing import Literal

from dogana.core.errors import ConflictError, NotFoundError
from dogana.core.record.actions import Action
from dogana.core.words import listed
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.policies.in_force import heirs_from
from dogana.service.shapes import View
from dogana.store import Session, landscape, promotions, removal, schedule
from dogana.store.database import hold
from dogana.store.tables.landscape import EnvironmentRow, RouteRow, ServiceRow
from dogana.store.tables.promotions import ON_ITS_WAY, PENDING, PromotionRow


class Removed(View):
    """What became of something that was to go."""

    how: Literal["deleted", "retired", "disabled"]
    """Deleted where nothing on record refers to it."""


async def remove_environment(backend: Backend, actor: Actor, name: str) -> Removed:
    """Take an environment away.

    Raises:
        NotFoundError: when there is none, or it was retired.
        ConflictError: while it is on a route, something is on its way into it, or its policy is inherited.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        await hold(session, "landscape held")
        row = await landscape.environment(session, name, lock=True)
        if row is None or row.removed_at is not None:
            raise NotFoundError(f"There is no environment {name}.")
        await hold(session, "policies held")
        on = [
            one.title
            for one in await landscape.routes(session)
            if name in {leg.environment_id for leg in one.legs}
        ]
        _must_be_free(row.title, "on", on)
        _must_be_empty(row.title, [one for one in await _under_way(session) if one.environment_id == name])
        others = await landscape.environments(session)
        heirs = {heir.environment_id for heir, _ in await heirs_from(session, name, backend.clock())}
        _must_be_free(row.title, "inherited by", [one.title for one in others if one.id in heirs])
        _must_be_free(row.title, "the template of", [one.title for one in others if one.made_from_id == name])
        return await _taken_away(backend, session, actor, "environment", row)


async def remove_route(backend: Backend, actor: Actor, name: str) -> Removed:
    """Take a route away.

    Raises:
        NotFoundError: when there is none, or it was retired.
        ConflictError: while a service travels it, or something is on its way.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        await hold(session, "landscape held")
        row = next((one for one in await landscape.routes(session) if one.id == name), None)
        if row is None:
            raise NotFoundError(f"There is no route {name}.")
        travel = [
            one.title
            for one in await landscape.services(session)
            if name in {one.route_id, one.urgent_route_id}
        ]
        _must_be_free(row.title, "travelled by", travel)
        _must_be_empty(row.title, [one for one in await _under_way(session) if one.route_id == name])
        return await _taken_away(backend, session, actor, "route", row)


async def remove_service(backend: Backend, actor: Actor, name: str) -> Removed:
    """Take a service away; what runs of it goes on running, and nobody is asked about it any more.

    Raises:
        NotFoundError: when there is none, or it was retired.
        ConflictError: while anything of it is on its way.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        await hold(session, "landscape held")
        row = await landscape.service(session, name, lock=True)
        if row is None or row.retired_at is not None:
            raise NotFoundError(f"There is no service {name}.")
        _must_be_empty(row.title, [one for one in await _under_way(session) if one.service_id == name])
        return await _taken_away(backend, session, actor, "service", row)


async def _under_way(session: Session) -> list[PromotionRow]:
    return await promotions.in_state(session, (*PENDING, *ON_ITS_WAY))


def _must_be_free(title: str, how: str, by: Iterable[str]) -> None:
    names = sorted(by)
    if names:
        raise ConflictError(f"{title} is {how} {listed(names)}; change that first.")


def _must_be_empty(title: str, under_way: Iterable[PromotionRow]) -> None:
    numbers = [str(one.number) for one in under_way]
    if numbers:
        which = f"Promotion {numbers[0]}" if len(numbers) == 1 else f"Promotions {listed(numbers)}"
        raise ConflictError(f"{which} would lose {title}: have them decided or withdrawn first.")


_Kind = Literal["environment", "route", "service"]
_Row = EnvironmentRow | RouteRow | ServiceRow


async def _taken_away(backend: Backend, session: Session, actor: Actor, kind: _Kind, row: _Row) -> Removed:
    """Delete it where nothing on record refers to it, and retire it where something does; on record."""
    now, name, title = backend.clock(), row.id, row.title
    deleted = await removal.went(session, row)
    if isinstance(row, EnvironmentRow):
        # As previews are that came to their end.
        row.removed_at = None if deleted else now
    else:
        row.retired_at = None if deleted else now
    did = f"{actor.name} {'deleted' if deleted else 'retired'} the {kind} {title}"
    says = f"{did}, to which nothing on record refers." if deleted else f"{did}; its history stays."
    environment = name if kind == "environment" else None
    action = Action.DELETE if deleted else Action.RETIRE
    record(session, actor, action, says, now, environment=environment, details={kind: name})
    schedule.inspection(session, now)
    return Removed(how="deleted" if deleted else "retired")
