"""What is set up of the landscape: environments, routes and services as documents, in words of their own."""

from datetime import timedelta
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from dogana.core.document import Document, Slug, with_examples
from dogana.core.drift import AddressTemplate, VersionFrom
from dogana.core.record.canonical import digest
from dogana.core.routes import Route, Title
from dogana.core.time.timetable import Timetable
from dogana.core.time.windows import Zone
from dogana.service.landscape.deployers import Deployers
from dogana.store.tables.landscape import EnvironmentRow, RouteRow, ServiceRow

RepositoryPath = Annotated[
    str, StringConstraints(min_length=1, max_length=300, pattern=r"^[^/\x00-\x1f][^\x00-\x1f]*$")
]


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


def environment_of(row: EnvironmentRow) -> Environment:
    """An environment as it was set up."""
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


def route_of(row: RouteRow) -> Route:
    """A route as it was set up."""
    positions = sorted({leg.position for leg in row.legs})
    legs = [[leg.environment_id for leg in row.legs if leg.position == at] for at in positions]
    enough = sorted({leg.position for leg in row.legs if leg.one_is_enough})
    return Route.model_validate(
        {"title": row.title, "legs": legs, "lets_in": row.lets_in, "one_is_enough": enough}
    )


def service_of(row: ServiceRow) -> Service:
    """A service as it was set up."""
    return Service(
        title=row.title,
        repository=row.repository,
        paths=tuple(row.paths),
        route=row.route_id,
        urgent_route=row.urgent_route_id,
        group=row.group_id,
    )
