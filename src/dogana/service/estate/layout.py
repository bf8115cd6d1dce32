"""Which services stand in which rows and which environments in which columns."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from dogana.core.estate import legs_before
from dogana.service.shapes import Named, View
from dogana.store import Session, landscape, people
from dogana.store.tables.landscape import RouteRow, ServiceRow


class Column(View):
    """One environment of the estate, in the order of the routes."""

    id: str
    name: str
    zone: str
    leg: int
    """Of the route it stands on first."""


@dataclass(frozen=True, kw_only=True)
class Layout:
    """Services by environments."""

    services: Sequence[ServiceRow]
    columns: Sequence[Column]
    routes: Sequence[RouteRow]
    titles: Mapping[str, str]
    """Of groups."""

    def narrowed(
        self,
        *,
        services: Collection[str] | None = None,
        group: str | None = None,
        environment: str | None = None,
        words: str | None = None,
    ) -> "Layout":
        """As far as it fits; what is not asked for fits."""
        wanted = (words or "").casefold().split()
        return replace(
            self,
            services=[
                one
                for one in self.services
                if (services is None or one.id in services)
                and group in (None, one.group_id)
                and all(word in f"{one.title} {one.id}".casefold() for word in wanted)
            ],
            columns=[one for one in self.columns if environment in (None, one.id)],
        )

    def by_route(self) -> Iterator[tuple[dict[str, list[str]], list[str]]]:
        """The columns with the leg before each, and the services that travel so."""
        for route in self.routes:
            services = [one.id for one in self.services if one.route_id == route.id]
            own = legs_before([legs_of(route)])
            if services and self.columns:
                yield {one.id: own.get(one.id, []) for one in self.columns}, services

    def group_of(self, service: ServiceRow) -> Named | None:
        """Whose a service is."""
        if service.group_id is None:
            return None
        return Named(id=service.group_id, name=self.titles.get(service.group_id, service.group_id))

    def groups(self) -> list[Named]:
        """Whose services there are, by name."""
        owners = {one.id: one for one in map(self.group_of, self.services) if one is not None}
        return sorted(owners.values(), key=lambda one: one.name)


def legs_of(route: RouteRow) -> list[list[str]]:
    """The environments of each leg of a route, in order."""
    legs: dict[int, list[str]] = {}
    for leg in route.legs:
        legs.setdefault(leg.position, []).append(leg.environment_id)
    return [legs[position] for position in sorted(legs)]


async def layout(session: Session) -> Layout:
    """Every service, and every environment that a route passes; the most travelled route leads."""
    routes = await landscape.routes(session)
    columns: dict[str, Column] = {}
    for route in routes:
        for leg in route.legs:
            one = leg.environment
            columns.setdefault(one.id, Column(id=one.id, name=one.title, zone=one.zone, leg=leg.position))
    return Layout(
        services=await landscape.services(session),
        columns=list(columns.values()),
        routes=routes,
        titles=await people.group_titles(session),
    )
