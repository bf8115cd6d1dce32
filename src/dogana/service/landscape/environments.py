"""The landscape: environments, routes, services; how they are set up and changed."""

from datetime import timedelta
from typing import Annotated, Literal, TypeVar

from pydantic import Field, StringConstraints

from dogana.core.document import Document, Slug, with_examples
from dogana.core.drift import AddressTemplate, VersionFrom
from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.record.actions import Action
from dogana.core.record.canonical import digest
from dogana.core.routes import LetsIn
from dogana.core.time.timetable import Timetable
from dogana.core.time.windows import Zone
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.deployers import Deployers
from dogana.service.landscape.stops import stop_of
from dogana.service.ledger.entries import record
from dogana.service.policies import drafts
from dogana.service.preconditions import Seen
from dogana.store import Session, landscape, people, promotions, schedule
from dogana.store.tables.landscape import EnvironmentRow, LegRow, RouteRow, ServiceRow
from dogana.store.tables.promotions import PENDING

RepositoryPath = Annotated[
    str, StringConstraints(min_length=1, max_length=300, pattern=r"^[^/\x00-\x1f][^\x00-\x1f]*$")
]

Title = Annotated[str, Field(min_length=1, max_length=80)]


class Template(Document):
    """What previews are like that are made from an environment, as `NAME/anything`."""

    departs: Literal["at once", "by deployer"] = "at once"
    lasts: timedelta = Field(default=timedelta(days=3), ge=timedelta(minutes=1), le=timedelta(days=60))
    """How long each of them lasts."""


class Environment(Document):
    """A guarded environment."""

    model_config = with_examples(
        {"title": "Live north", "zone": "Europe/Rome", "departs": "by deployer"},
        {
            "title": "Rehearsal",
            "zone": "Europe/Rome",
            "departs": "by timetable",
            "timetable": {"days": ["MO", "TU", "WE", "TH", "FR"], "at": ["07:00", "12:00"]},
        },
        {
            "title": "Preview",
            "zone": "Europe/Rome",
            "departs": "never",
            "template": {"departs": "at once", "lasts": "P3D"},
        },
    )

    title: Title
    zone: Zone
    departs: Literal["at once", "by deployer", "by timetable", "never"]
    """How what is cleared departs; never for a class of environments, or for a template."""
    timetable: Timetable | None = None
    template: Template | None = None
    deployers: Deployers | None = None
    """Who lets go and reports there; whoever may deploy at all when left out."""
    time_limit: timedelta | None = Field(default=None, ge=timedelta(minutes=1), le=timedelta(days=30))
    """How long one takes to go in at most; what takes longer is said on the Desk."""
    address: AddressTemplate | None = None
    """Where a service can be opened there: `{service}` and `{version}` stand for what runs."""
    version_from: VersionFrom | None = None
    """Where what really runs there is read; nobody looks when left out."""


class Route(Document):
    """The order in which releases travel; environments of one leg stand side by side."""

    model_config = with_examples(
        {"title": "Standard route", "legs": [["bench"], ["rehearsal"], ["live-north", "live-south"]]},
        {
            "title": "Urgent route",
            "legs": [["live-north", "live-south"]],
            "lets_in": {"patches_only": True, "branches": ["main"]},
        },
    )

    title: Title
    legs: tuple[Annotated[tuple[Slug, ...], Field(min_length=1)], ...] = Field(min_length=1, max_length=30)
    lets_in: LetsIn | None = None
    """For an urgent route, which releases may take it."""
    one_is_enough: tuple[Annotated[int, Field(ge=0, lt=30)], ...] = ()
    """The legs, from 0, of which one environment is enough before the next leg is asked for.

    Of others all are.
    """


class Service(Document):
    """A piece of software that is released."""

    model_config = with_examples(
        {"title": "Taps portal", "repository": "taps-portal", "route": "standard", "urgent_route": "urgent"}
    )

    title: Title
    repository: str = Field(min_length=1, max_length=500)
    """A path below the repository root, or an http or https address."""
    paths: tuple[RepositoryPath, ...] = Field(default=(), max_length=50)
    """Below which of its files the service lies, where it is a part of the repository."""
    route: Slug
    urgent_route: Slug | None = None
    group: Slug | None = None
    """Whose it is, a group; nobody's when left out."""


Thing = Environment | Route | Service


def version_of(thing: Thing) -> str:
    """What its state is called, to see that nobody else changed it."""
    return digest(thing)


async def environments(backend: Backend, actor: Actor) -> dict[str, Environment]:
    """Every environment by id, previews and classes too."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return {row.id: _environment(row) for row in await landscape.environments(session)}


async def environment(backend: Backend, actor: Actor, name: str) -> Environment:
    """One environment.

    Raises:
        NotFoundError: when there is none.
    """
    return _one(await environments(backend, actor), name, "environment")


async def keep_environment(
    backend: Backend, actor: Actor, name: str, wanted: Environment, expected: Seen | None
) -> Environment:
    """Set up an environment, or change it.

    Raises:
        ChangedError: when it is not in the state expected.
        InvalidError: when its settings do not go together.
        ConflictError: when it was retired, and its policy is laxer than its baseline by now.
    """
    actor.must(Right.ADMINISTER)
    if (wanted.departs == "by timetable") != (wanted.timetable is not None):
        raise InvalidError(
            "An environment departs by timetable if it has one, and only then.",
            fields=[("/timetable", "goes with departs: by timetable")],
        )
    if wanted.template is not None and wanted.departs != "never":
        raise InvalidError(
            "Nothing enters a template itself.", fields=[("/departs", "never, for a template")]
        )
    async with backend.database.transaction() as session:
        row = await landscape.environment(session, name, lock=True)
        old = _environment(row) if row else None
        _as_expected(old, expected)
        if row is None:
            row = EnvironmentRow(id=name)
            session.add(row)
        elif row.removed_at is not None:
            await drafts.may_return(session, row, backend.clock())
        row.title, row.zone, row.departs = wanted.title, wanted.zone, wanted.departs
        row.timetable = wanted.timetable.plain() if wanted.timetable else None
        template = wanted.template
        row.template = (
            {"departs": template.departs, "lasts": template.lasts.total_seconds()} if template else None
        )
        row.deployers = wanted.deployers.plain() if wanted.deployers else None
        row.address, row.time_limit, row.removed_at = wanted.address, wanted.time_limit, None
        row.version_from = wanted.version_from.plain() if wanted.version_from else None
        await _say(backend, session, actor, "environment", name, old, wanted)
    return wanted


async def routes(backend: Backend, actor: Actor) -> dict[str, Route]:
    """Every route by id."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return {row.id: _route(row) for row in await landscape.routes(session)}


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


async def keep_route(
    backend: Backend, actor: Actor, name: str, wanted: Route, expected: Seen | None
) -> Route:
    """Set up a route, or change it.

    Raises:
        ChangedError: when it is not in the state expected.
        InvalidError: for an unknown or repeated environment, or one taken off that something waits for.
    """
    actor.must(Right.ADMINISTER)
    flat = [one for leg in wanted.legs for one in leg]
    async with backend.database.transaction() as session:
        known = {row.id for row in await landscape.environments(session) if row.departs != "never"}
        unknown = sorted(set(flat) - known)
        if unknown or len(set(flat)) != len(flat):
            why = f"{', '.join(unknown)}: unknown" if unknown else "an environment stands in it twice"
            raise InvalidError("The route cannot be travelled.", fields=[("/legs", why)])
        await landscape.lock_route(session, name)
        row = await landscape.kept_route(session, name)
        old = _route(row) if row else None
        _as_expected(old, expected)
        for waiting in await promotions.in_state(session, PENDING):
            stop = stop_of(waiting)
            if waiting.route_id == name and not stop.preview and waiting.environment_id not in flat:
                raise InvalidError(
                    f"Promotion {waiting.number} waits for {waiting.environment.title}.",
                    fields=[("/legs", f"{waiting.environment_id} is waited for")],
                )
        if row is None:
            row = RouteRow(id=name, title=wanted.title, legs=[])
            session.add(row)
        else:
            row.legs.clear()
            row.retired_at = None
            await session.flush()
        row.title, row.lets_in = wanted.title, wanted.lets_in.plain() if wanted.lets_in else None
        lanes = [(position, one) for position, leg in enumerate(wanted.legs) for one in leg]
        row.legs += [
            LegRow(
                environment_id=one,
                position=position,
                lane=lane,
                one_is_enough=position in wanted.one_is_enough,
            )
            for lane, (position, one) in enumerate(lanes)
        ]
        await _say(backend, session, actor, "route", name, old, wanted)
    return wanted


async def services(backend: Backend, actor: Actor) -> dict[str, Service]:
    """Every service by id."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return {row.id: _service(row) for row in await landscape.services(session)}


async def keep_service(
    backend: Backend, actor: Actor, name: str, wanted: Service, expected: Seen | None
) -> Service:
    """Set up a service, or change it.

    Raises:
        ChangedError: when it is not in the state expected.
        InvalidError: for an unknown route, or one of the wrong kind.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        await must_travel(session, wanted)
        row = await landscape.service(session, name, lock=True)
        old = _service(row) if row else None
        _as_expected(old, expected)
        if row is None:
            row = ServiceRow(id=name)
            session.add(row)
        if row.repository != wanted.repository:
            row.repository_tried_at = row.repository_failing_since = row.repository_reason = None
        row.title, row.repository, row.paths = wanted.title, wanted.repository, list(wanted.paths)
        row.route_id, row.urgent_route_id = wanted.route, wanted.urgent_route
        row.group_id, row.retired_at = wanted.group, None
        await _say(backend, session, actor, "service", name, old, wanted)
    return wanted


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


def _as_expected(present: Thing | None, expected: Seen | None) -> None:
    if expected is not None:
        expected.must_be(version_of(present) if present is not None else None)


async def _say(
    backend: Backend,
    session: Session,
    actor: Actor,
    what: str,
    name: str,
    old: Thing | None,
    wanted: Thing,
) -> None:
    now = backend.clock()
    says = f"{actor.name} set up the {what} {wanted.title}."
    environment = name if what == "environment" else None
    details = {what: name, "old": old.plain() if old else None, "new": wanted.plain()}
    await session.flush()
    record(session, actor, Action(f"set {what}"), says, now, environment=environment, details=details)
    schedule.inspection(session, now)


def _environment(row: EnvironmentRow) -> Environment:
    template = {**row.template, "lasts": timedelta(seconds=row.template["lasts"])} if row.template else None
    return Environment.model_validate(
        {
            "title": row.title,
            "zone": row.zone,
            "departs": row.departs,
            "timetable": row.timetable,
            "template": template,
            "deployers": row.deployers,
            "time_limit": row.time_limit,
            "address": row.address,
            "version_from": row.version_from,
        }
    )


def _route(row: RouteRow) -> Route:
    positions = sorted({leg.position for leg in row.legs})
    legs = [[leg.environment_id for leg in row.legs if leg.position == at] for at in positions]
    enough = sorted({leg.position for leg in row.legs if leg.one_is_enough})
    return Route.model_validate(
        {"title": row.title, "legs": legs, "lets_in": row.lets_in, "one_is_enough": enough}
    )


def _service(row: ServiceRow) -> Service:
    return Service(
        title=row.title,
        repository=row.repository,
        paths=tuple(row.paths),
        route=row.route_id,
        urgent_route=row.urgent_route_id,
        group=row.group_id,
    )
