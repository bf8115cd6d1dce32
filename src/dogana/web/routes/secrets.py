"""Clearances and sealed values: what a deployer holds, and what it may read with that."""

from http import HTTPStatus
from typing import Annotated, Any

from fastapi import Query
from pydantic import StringConstraints

from dogana.core.document import EnvironmentId, Slug
from dogana.service.secrets import clearances, values
from dogana.service.secrets.clearances import ClearanceStatus, KeyView
from dogana.service.secrets.values import SealedValueView
from dogana.web.access import Administrator, Decider, Deployer, Reader, UsesBackend
from dogana.web.routing import CONFLICT, DECIDED, MISSING, UNSEALED, Body, Id, Word, router_of

router = router_of("secrets", prefix="")


ValueName = Annotated[str, StringConstraints(pattern=r"^[A-Za-z_][A-Za-z0-9_.-]{0,99}$")]

For = Annotated[EnvironmentId | None, Query(description="One environment; all others when left out.")]


class Held(Body):
    """A clearance as it was issued."""

    clearance: Annotated[str, StringConstraints(max_length=20_000)]


class Introspection(Held):
    """A clearance to be looked at, or used."""

    use: bool = False
    """Whether it is used by this."""


class NewValue(Body):
    """A configuration secret."""

    value: Annotated[str, StringConstraints(max_length=65_536, pattern=r"^[^\x00]*$")]


@router.get("/.well-known/jwks.json")
async def keys(backend: UsesBackend) -> dict[str, Any]:
    """The public keys that clearances are signed with (JWK Set, RFC 7517)."""
    return await clearances.keys(backend)


@router.post("/api/clearance-keys", status_code=HTTPStatus.CREATED, responses=UNSEALED)
async def rotate(actor: Administrator, backend: UsesBackend) -> KeyView:
    """Sign clearances with a new key from now on."""
    return await clearances.rotate(backend, actor)


@router.post("/api/clearances/introspect")
async def introspect(asked: Introspection, actor: Reader, backend: UsesBackend) -> ClearanceStatus:
    """Whether a clearance is good now; if not, whether it was used, revoked or has expired."""
    return await clearances.introspect(backend, actor, asked.clearance, use=asked.use)


@router.post("/api/clearances/values", responses=UNSEALED | CONFLICT)
async def read_values(held: Held, actor: Deployer, backend: UsesBackend) -> dict[str, str]:
    """The sealed values for exactly the service and environment of an unused clearance."""
    return await values.read(backend, actor, held.clearance)


@router.post(
    "/api/promotions/{number}/clearance/revoke",
    status_code=HTTPStatus.NO_CONTENT,
    responses=DECIDED,
)
async def revoke(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> None:
    """Make the clearance of a promotion on its way worthless."""
    await clearances.revoke(backend, actor, number, comment=word.comment)


@router.get("/api/services/{service}/values")
async def names(service: Slug, actor: Administrator, backend: UsesBackend) -> list[SealedValueView]:
    """The names of a service's sealed values; never what they are."""
    return await values.names(backend, actor, service)


@router.put("/api/services/{service}/values/{name}", status_code=HTTPStatus.NO_CONTENT, responses=UNSEALED)
async def keep(
    service: Slug,
    name: ValueName,
    new: NewValue,
    actor: Administrator,
    backend: UsesBackend,
    environment: For = None,
) -> None:
    """Seal a value, for one environment or for all that have none of their own."""
    await values.keep(backend, actor, service, environment, name, new.value)


@router.delete(
    "/api/services/{service}/values/{name}",
    status_code=HTTPStatus.NO_CONTENT,
    responses=MISSING,
)
async def drop(
    service: Slug, name: ValueName, actor: Administrator, backend: UsesBackend, environment: For = None
) -> None:
    """Take a sealed value away."""
    await values.drop(backend, actor, service, environment, name)
