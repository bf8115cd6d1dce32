"""The landscape as it was set up: environments, routes, services, and whether what is named is there."""

from typing import TypeVar

from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.routes import Route
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.documents import Environment, Service, environment_of, route_of, service_of
from dogana.store import Session, landscape, people


async def environments(backend: Backend, actor: Actor) -> dict[str, Environment]:
    """Every environment by id, previews and classes too."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return {row.id: environment_of(row) for row in await landscape.environments(session)}


async def environment(backend: Backend, actor: Actor, name: str) -> Environment:
    """One environment.

    Raises:
        NotFoundError: when there is none.
    """
    return _one(await environments(backend, actor), name, "environment")


async def routes(backend: Backend, actor: Actor) -> dict[str, Route]:
    """Every route by id."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return {row.id: route_of(row) for row in await landscape.routes(session)}


async def route(backend: Backend, actor: Actor, name: str) -> Route:
    """One route.

    Raises:
        NotFoundError: when there is none.
    """
    return _one(await routes(backend, actor), name, "route")


async def service(backend: Backend, actor: Actor, name: str) -> Service:
    """One service.

    Raises:
        NotFoundError: when there is none.
    """
    return _one(await services(backend, actor), name, "service")


async def services(backend: Backend, actor: Actor) -> dict[str, Service]:
    """Every service by id."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return {row.id: service_of(row) for row in await landscape.services(session)}


async def must_travel(session: Session, wanted: Service) -> None:
    """See that a service's routes and its group are there.

    Raises:
        InvalidError: for an unknown route, one of the wrong kind, or an unknown group.
    """
    urgent = {row.id: row.lets_in is not None for row in await landscape.routes(session)}
    faults = [
        (f"/{key}", "unknown" if route not in urgent else "the wrong kind of route")
        for key, route, kind in (
            ("route", wanted.route, False),
            ("urgent_route", wanted.urgent_route, True),
        )
        if route is not None and urgent.get(route) is not kind
    ]
    if faults:
        raise InvalidError("The service cannot travel like this.", fields=faults)
    if wanted.group is not None and wanted.group not in await people.group_titles(session):
        raise InvalidError("There is no such group.", fields=[("/group", "unknown")])


async def must_know(session: Session, *, environment: str | None, service: str | None) -> None:
    """See that what is asked about exists, as far as anything is named.

    Raises:
        NotFoundError: when it does not.
    """
    if environment is not None and await landscape.environment(session, environment) is None:
        raise NotFoundError(f"There is no environment {environment}.")
    if service is not None and await landscape.service(session, service) is None:
        raise NotFoundError(f"There is no service {service}.")


T = TypeVar("T")


def _one(found: dict[str, T], name: str, what: str) -> T:
    if name not in found:
        raise NotFoundError(f"There is no {what} {name}.")
    return found[name]
