"""SCIM 2.0 as it is spoken here (RFC 7643, RFC 7644): what we keep of people and groups, and its errors.

Of what directories say of people, what nothing here needs is neither kept nor said to be: addresses of homes,
telephones, photographs, passwords.
"""

from collections.abc import Callable, Coroutine
from http import HTTPStatus
from typing import Annotated, Any, ClassVar, TypeVar

import orjson
from fastapi import Request, Response
from pydantic import Field, ValidationError
from scim2_models import (
    URN,
    AuthenticationScheme,
    Bulk,
    CaseExact,
    ChangePassword,
    ComplexAttribute,
    Context,
    Email,
    Error,
    ETag,
    Filter,
    GroupMembership,
    InvalidSyntaxException,
    Meta,
    Mutability,
    Name,
    Patch,
    PatchOp,
    Reference,
    Required,
    Resource,
    ResourceType,
    ResponseParameters,
    SCIMException,
    ScimObject,
    ScimPolicy,
    ServiceProviderConfig,
    Sort,
    Uniqueness,
    UniquenessException,
)

from dogana.core.errors import DoganaError, TakenError
from dogana.service.people.provisioning import GroupSaid, Kept, PersonSaid
from dogana.web.problems import STATUS
from dogana.web.strict import StrictRoute

AT = "/api/scim/v2"
MOST_AT_ONCE = 200
_POLICY = ScimPolicy(unknown=ScimPolicy.Unknown.ignore)
"""Directories send more than we ask for, which is dropped."""
_MOST_OPERATIONS = 1000


class User(Resource[Any]):
    """Somebody of the directory, as far as it matters here."""

    __schema__ = URN("urn:ietf:params:scim:schemas:core:2.0:User")

    user_name: Annotated[str | None, Uniqueness.server, Required.true] = None
    """What they are called in the directory; of no two alike but for capitals."""
    name: Name | None = None
    """The parts of their name."""
    display_name: str | None = None
    """What they are called here."""
    active: bool | None = None
    """Whether they may come in; they may where it is left out."""
    emails: list[Email] | None = None
    """Their addresses, of which the primary or first is used."""
    groups: Annotated[list[GroupMembership] | None, Mutability.read_only] = None
    """The groups they are in."""


class Member(ComplexAttribute):
    """Somebody in a group."""

    value: Annotated[str | None, Mutability.immutable, CaseExact.true] = None
    """Their id."""
    ref: Annotated[Reference[User] | None, Mutability.immutable] = Field(
        None, serialization_alias="$ref", validation_alias="$ref"
    )
    """Where they are read."""


class Group(Resource[Any]):
    """A group of the directory."""

    __schema__ = URN("urn:ietf:params:scim:schemas:core:2.0:Group")

    display_name: Annotated[str | None, Uniqueness.server, Required.true] = None
    """What it is called in the directory; the mapping names it like this."""
    members: list[Member] | None = None
    """The people in it; groups of groups are not taken."""
    Members: ClassVar[type[ComplexAttribute]] = Member


Model = TypeVar("Model", User, Group)


class ScimRoute(StrictRoute):
    """A route whose errors are SCIM's (RFC 7644, section 3.12)."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """The route's handler, with what it raises said as SCIM says it."""
        handle = super().get_route_handler()

        async def handled(request: Request) -> Response:
            try:
                return await handle(request)
            except SCIMException as exc:
                return answer(exc.to_error(), exc.status)
            except ValidationError as exc:
                return answer(_of_validation(exc), HTTPStatus.BAD_REQUEST)
            except TakenError as exc:
                return answer(UniquenessException(detail=exc.detail).to_error(), HTTPStatus.CONFLICT)
            except DoganaError as exc:
                status = next(STATUS[kind] for kind in type(exc).__mro__ if kind in STATUS)
                if status is HTTPStatus.UNPROCESSABLE_ENTITY:
                    said = Error(status=400, scim_type="invalidValue", detail=exc.detail)
                    return answer(said, HTTPStatus.BAD_REQUEST)
                return answer(Error(status=int(status), detail=exc.detail), status)

        return handled


def _of_validation(exc: ValidationError) -> Error:
    """The first fault, without what was sent: it may be anybody's."""
    first = exc.errors(include_url=False, include_input=False)[0]
    kind = (first.get("ctx") or {}).get("scim_type") or "invalidValue"
    where = ".".join(map(str, first["loc"]))
    return Error(status=400, scim_type=kind, detail=f"{where}: {first['msg']}" if where else first["msg"])


class ScimResponse(Response):
    """A body with SCIM's media type."""

    media_type = "application/scim+json"


def documented(*statuses: int) -> dict[int | str, dict[str, Any]]:
    """The errors that every route may answer, for its description."""
    content = {ScimResponse.media_type: {"schema": {"type": "object"}}}
    return {one: {"description": HTTPStatus(one).phrase, "content": content} for one in statuses}


def answer(
    said: ScimObject,
    status: int = HTTPStatus.OK,
    context: Context = Context.DEFAULT,
    asked: ResponseParameters[Any] | None = None,
) -> Response:
    """An answer, with the attributes that are asked for (RFC 7644, section 3.9)."""
    plain = said.model_dump(scim_ctx=context, response_parameters=asked)
    headers = {"Location": plain["meta"]["location"]} if status == HTTPStatus.CREATED else {}
    return ScimResponse(orjson.dumps(plain), status, headers)


async def sent(request: Request) -> dict[str, Any]:
    """The object that a request carries.

    Raises:
        InvalidSyntaxException: for anything else.
    """
    try:
        body = orjson.loads(await request.body())
    except orjson.JSONDecodeError as exc:
        raise InvalidSyntaxException(detail="This is no JSON.") from exc
    if not isinstance(body, dict):
        raise InvalidSyntaxException(detail="This is no object.")
    return body


def created(kind: type[Model], body: dict[str, Any]) -> Model:
    """Somebody or something new, as it is sent."""
    return kind.model_validate(body, scim_ctx=Context.RESOURCE_CREATION_REQUEST, scim_policy=_POLICY)


def replaced(kept: Model, body: dict[str, Any]) -> Model:
    """The same once it is replaced by what is sent (RFC 7644, section 3.5.1)."""
    new = type(kept).model_validate(body, scim_ctx=Context.RESOURCE_REPLACEMENT_REQUEST, scim_policy=_POLICY)
    new.replace(kept)
    return new


def patched(kept: Model, body: dict[str, Any]) -> Model:
    """The same once it is changed as is sent (RFC 7644, section 3.5.2).

    Raises:
        InvalidSyntaxException: for more operations than anybody has reason to send.
    """
    if len(body.get("Operations") or ()) > _MOST_OPERATIONS:
        raise InvalidSyntaxException(detail=f"At most {_MOST_OPERATIONS} operations are taken at once.")
    operations = PatchOp[type(kept)].model_validate(  # type: ignore[misc]
        body, scim_ctx=Context.RESOURCE_PATCH_REQUEST, scim_policy=_POLICY
    )
    operations.patch(kept, scim_policy=_POLICY)
    return kept


def user_of(kept: Kept) -> User:
    """Somebody as they are shown."""
    groups = [{"value": one, "display": name, "$ref": f"{AT}/Groups/{one}"} for one, name in kept.related]
    return _shown(User, kept, {"groups": groups} if groups else {})


def group_of(kept: Kept) -> Group:
    """A group as it is shown."""
    members = [{"value": one, "$ref": f"{AT}/Users/{one}"} for one, _ in kept.related]
    return _shown(Group, kept, {"members": members} if members else {})


def _shown(kind: type[Model], kept: Kept, more: dict[str, Any]) -> Model:
    made = kind.model_validate({**kept.document, **more, "id": kept.id})
    made.meta = Meta(
        resource_type=kind.__name__,
        created=kept.created_at,
        last_modified=kept.changed_at,
        location=f"{AT}/{kind.__name__}s/{kept.id}",
    )
    return made


def person_said(user: User) -> PersonSaid:
    """What the directory says of somebody."""
    name = user.name
    parts = [part for part in (name.given_name, name.family_name) if part] if name else []
    called = user.display_name or (name.formatted if name else None) or " ".join(parts)
    emails = [one for one in user.emails or () if one.value]
    first = next((one for one in emails if one.primary), None) or next(iter(emails), None)
    return PersonSaid(
        document=_document(user, {"groups"}),
        user_name=user.user_name or "",
        name=(called or user.user_name or "")[:80],
        email=first.value if first else None,
        active=user.active is not False,
    )


def read_person(kept: Kept) -> PersonSaid:
    """The same of somebody who is kept."""
    return person_said(user_of(kept))


def group_said(group: Group) -> GroupSaid:
    """What the directory says of a group.

    Raises:
        ValueError: for a member without an id.
    """
    members = tuple(one.value or "" for one in group.members or ())
    return GroupSaid(document=_document(group, {"members"}), name=group.display_name or "", members=members)


def _document(resource: Resource[Any], apart: set[str]) -> dict[str, Any]:
    plain: dict[str, Any] = resource.model_dump(scim_ctx=Context.DEFAULT)
    return {key: value for key, value in plain.items() if key not in {*apart, "id", "meta"}}


CONFIG = ServiceProviderConfig(
    patch=Patch(supported=True),
    bulk=Bulk(supported=False, max_operations=0, max_payload_size=0),
    filter=Filter(supported=True, max_results=MOST_AT_ONCE),
    change_password=ChangePassword(supported=False),
    sort=Sort(supported=True),
    etag=ETag(supported=False),
    authentication_schemes=[
        AuthenticationScheme(
            type=AuthenticationScheme.Type.oauthbearertoken,
            name="Bearer token",
            description="The token that this installation was set up with.",
            spec_uri="https://datatracker.ietf.org/doc/html/rfc6750",
            primary=True,
        )
    ],
    meta=Meta(resource_type="ServiceProviderConfig", location=f"{AT}/ServiceProviderConfig"),
)
RESOURCE_TYPES = {kind.__name__: ResourceType.from_resource(kind) for kind in (User, Group)}
SCHEMAS = {str(kind.__schema__): kind.to_schema() for kind in (User, Group)}
for _name, _described in RESOURCE_TYPES.items():
    _described.meta = Meta(resource_type="ResourceType", location=f"{AT}/ResourceTypes/{_name}")
for _name, _schema in SCHEMAS.items():
    _schema.meta = Meta(resource_type="Schema", location=f"{AT}/Schemas/{_name}")
