"""Sealed values: configuration secrets that only the holder of a clearance can read."""

from dogana.core.document import Instant
from dogana.core.errors import InvalidError, NotFoundError, UnknownNameError
from dogana.core.record.actions import Action
from dogana.service.actor import ENGINE, Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.deployers import must_deploy
from dogana.service.ledger.entries import record
from dogana.service.sealing import (
    about_clearance_key,
    about_party,
    about_proposal,
    about_room,
    about_source,
    about_value,
)
from dogana.service.secrets import clearances
from dogana.service.shapes import Named, View
from dogana.store import Session, landscape, people, secrets
from dogana.store.secrets import Sealed
from dogana.store.tables.exchange import SenderRow, SubscriberRow
from dogana.store.tables.people import ProposalRow
from dogana.store.tables.secrets import ClearanceKeyRow, SealedValueRow
from dogana.store.tables.sources import SourceRow


class SealedValueView(View):
    """A sealed value without what it is."""

    service: str
    environment: str | None
    """The environment it is for; every one that has none of its own where None."""
    name: str
    set_by: Named
    set_at: Instant


LONGEST = 64 << 10


async def keep(
    backend: Backend, actor: Actor, service: str, environment: str | None, name: str, value: str
) -> None:
    """Seal a value of a service, for one environment or for all that have none of their own.

    Raises:
        UnknownNameError: for an unknown service or environment.
        InvalidError: for a value longer than 64 KiB.
    """
    actor.must(Right.ADMINISTER)
    if len(value.encode()) > LONGEST:
        raise InvalidError("A value is at most 64 KiB.", fields=[("/value", "too long")])
    now = backend.clock()
    async with backend.database.transaction() as session:
        whose = await _whose(session, service, environment)
        sealed = backend.sealer.seal(value, about_value(service, environment, name))
        await secrets.drop_value(session, service, environment, name)
        session.add(
            SealedValueRow(
                service_id=service,
                environment_id=environment,
                name=name,
                sealed=sealed,
                set_by_id=actor.id,
                set_at=now,
            )
        )
        says = f"{actor.name} set the sealed value {name} of {whose}."
        details = {"service": service, "name": name}
        record(session, actor, Action.SET_VALUE, says, now, environment=environment, details=details)


async def drop(backend: Backend, actor: Actor, service: str, environment: str | None, name: str) -> None:
    """Take a sealed value away.

    Raises:
        UnknownNameError: for an unknown service or environment.
        NotFoundError: when there is none.
    """
    actor.must(Right.ADMINISTER)
    now = backend.clock()
    async with backend.database.transaction() as session:
        whose = await _whose(session, service, environment)
        if not await secrets.drop_value(session, service, environment, name):
            raise NotFoundError(f"There is no sealed value {name} here.")
        says = f"{actor.name} took the sealed value {name} of {whose} away."
        details = {"service": service, "name": name}
        record(session, actor, Action.DROP_VALUE, says, now, environment=environment, details=details)


async def _whose(session: Session, service: str, environment: str | None) -> str:
    """`Field app for Live north`, for the record."""
    known = await landscape.service(session, service)
    if known is None:
        raise UnknownNameError(f"There is no service {service}.", fields=[("/service", "unknown")])
    if environment is None:
        return f"{known.title} for every environment"
    target = await landscape.environment(session, environment)
    if target is None:
        raise UnknownNameError(
            f"There is no environment {environment}.", fields=[("/environment", "unknown")]
        )
    return f"{known.title} for {target.title}"


async def names(backend: Backend, actor: Actor, service: str) -> list[SealedValueView]:
    """The names of a service's sealed values, and who set them when; never what they are."""
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        called = await people.names(session)
        return [
            SealedValueView(
                service=row.service_id,
                environment=row.environment_id,
                name=row.name,
                set_by=Named(id=row.set_by_id, name=called[row.set_by_id]),
                set_at=row.set_at,
            )
            for row in await secrets.values(session, service)
        ]


async def opened(backend: Backend, session: Session, service: str, environment: str, name: str) -> str | None:
    """A sealed value as it is, to be compared; None where there is none. An environment of `*` means all."""
    for row in await secrets.values(session, service):
        if (row.environment_id or "*", row.name) == (environment, name):
            return backend.sealer.open(row.sealed, about_value(service, row.environment_id, name))
    return None


async def read(backend: Backend, actor: Actor, token: str) -> dict[str, str]:
    """The values for exactly the service and environment of an unused clearance; every reading is recorded.

    Raises:
        BadClearanceError: when the clearance is not good now.
        ForbiddenError: where the environment names who deploys there, and they are not among them.
    """
    actor.must(Right.DEPLOY)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row, promotion = await clearances.opened(backend, session, actor, token)
        must_deploy(actor, promotion.environment)
        service, environment = promotion.service_id, promotion.environment_id
        found = {}
        for value in await secrets.values(session, service):
            if value.environment_id in (None, environment):
                about = about_value(service, value.environment_id, value.name)
                found[value.name] = backend.sealer.open(value.sealed, about)
        whose = await _whose(session, service, environment)
        says = f"{actor.name} read the sealed values of {whose}."
        details = {"clearance": row.id, "names": ", ".join(found) or "none"}
        record(session, actor, Action.READ_VALUES, says, now, promotion=promotion, details=details)
    return found


async def seal_again(backend: Backend) -> int:
    """Seal everything with the newest key; how much of it was sealed with an older one."""
    now, many = backend.clock(), 0
    async with backend.database.transaction() as session:
        for row in await secrets.everything_sealed(session):
            column, about = _sealed(row)
            kept = getattr(row, column)
            made = backend.sealer.again(kept, about) if kept else None
            setattr(row, column, made or kept)
            many += made is not None
        says = f"Everything sealed was sealed with the newest key; {many} had an older one."
        record(session, ENGINE, Action.ROTATE_KEY, says, now, details={"sealed again": many})
    return many


def _sealed(row: Sealed) -> tuple[str, str]:
    """In which column it holds something sealed, and what that is sealed about."""
    if isinstance(row, ClearanceKeyRow):
        return "private", about_clearance_key(row.id)
    if isinstance(row, ProposalRow):
        return "sealed", about_proposal(row.kind, row.subject)
    if isinstance(row, SealedValueRow):
        return "sealed", about_value(row.service_id, row.environment_id, row.name)
    if isinstance(row, SenderRow | SubscriberRow):
        return "secret", about_party("sender" if isinstance(row, SenderRow) else "subscriber", row.id)
    return "secret", about_source(row.id) if isinstance(row, SourceRow) else about_room(row.id)
