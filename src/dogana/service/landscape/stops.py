"""Where a release may go: environments, routes, previews; and what it comes from."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from dogana.core.errors import AlreadyRunsError, NotNextLegError, UnknownNameError
from dogana.core.facts import PromotionKind
from dogana.core.record.actions import Action
from dogana.core.time.timetable import Timetable, next_departure
from dogana.core.words import listed, lower_first, when
from dogana.service.actor import ENGINE
from dogana.service.ledger.entries import record
from dogana.store import Session, incidents, landscape, sign_offs
from dogana.store.tables.landscape import EnvironmentRow, ReleaseRow, RouteRow, ServiceRow
from dogana.store.tables.promotions import PromotionRow


@dataclass(frozen=True, kw_only=True)
class Stop:
    """An environment as one leg of a route; a preview is a leg of its own."""

    environment: EnvironmentRow
    route: RouteRow
    position: int

    @property
    def preview(self) -> bool:
        """Whether the environment was made from a template."""
        return self.environment.made_from_id is not None

    def before(self) -> list[EnvironmentRow]:
        """The environments of the leg before."""
        if self.preview:
            return []
        return [leg.environment for leg in self.route.legs if leg.position == self.position - 1]


def stop_of(row: PromotionRow) -> Stop:
    """Where a promotion goes."""
    return _stop(row.route, row.environment)


def _stop(route: RouteRow, environment: EnvironmentRow) -> Stop:
    leg = next((leg for leg in route.legs if leg.environment_id == environment.id), None)
    return Stop(environment=environment, route=route, position=leg.position if leg else 0)


def scheduled_departure(environment: EnvironmentRow, now: datetime) -> datetime | None:
    """When an environment next takes in what is cleared; None where it has no set times."""
    if environment.timetable is None:
        return None
    return next_departure(Timetable.model_validate(environment.timetable), environment.zone, now)


async def where(
    session: Session, service_id: str, to: str, route: str | None, now: datetime
) -> tuple[ServiceRow, Stop]:
    """The service and the stop asked for; a preview is made from its template when first asked for.

    Raises:
        UnknownNameError: for a service, environment or route that is not known.
        NotNextLegError: for an environment that is not on the route.
    """
    service = await landscape.service(session, service_id)
    if service is None or service.retired_at is not None:
        raise UnknownNameError(f"There is no service {service_id}.", fields=[("/service", "unknown")])
    if route not in (None, service.route_id, service.urgent_route_id):
        raise UnknownNameError(
            f"{service_id} does not travel the route {route}.", fields=[("/route", "unknown")]
        )
    taken = await landscape.route(session, route or service.route_id)
    on_it = (leg.environment for leg in taken.legs if leg.environment_id == to)
    environment = next(on_it, None) or await landscape.environment(session, to)
    if environment is None or environment.removed_at is not None:
        environment = await _preview(session, to, environment, now)
    if environment is None:
        raise UnknownNameError(f"There is no environment {to}.", fields=[("/to", "unknown")])
    stop = _stop(taken, environment)
    if not stop.preview and all(leg.environment_id != to for leg in taken.legs):
        raise NotNextLegError(
            f"{to} is not on the {taken.title.lower()} of {service.id}.", fields=[("/to", "not on the route")]
        )
    return service, stop


async def _preview(
    session: Session, name: str, removed: EnvironmentRow | None, now: datetime
) -> EnvironmentRow | None:
    """A preview of a name that a template has the pattern of, made now or made anew."""
    prefix, slash, own = name.partition("/")
    template = await landscape.environment(session, prefix) if slash else None
    if template is None or template.template is None or template.removed_at is not None:
        return None
    row = removed
    if row is None:
        row = EnvironmentRow(id=name, title=f"{template.title} {own}", made_from_id=template.id, departs="")
        session.add(row)
    row.zone, row.departs = template.zone, template.template["departs"]
    lasting = timedelta(seconds=template.template["lasts"])
    row.made_at, row.ends_at, row.removed_at = now, now + lasting, None
    await session.flush()
    says = f"{row.title} was made from its template; it ends {when(row.ends_at, row.zone)}."
    record(session, ENGINE, Action.MAKE_PREVIEW, says, now, environment=row.id)
    return row


async def skipped(session: Session, row: PromotionRow) -> list[EnvironmentRow]:
    """Where a release that took an urgent route is still missing, before the furthest that it reached."""
    if row.route.lets_in is None:
        return []
    standard = (await landscape.route(session, row.release.service.route_id)).legs
    landed = await landscape.landings(session, row.release_id)
    reached = max((leg.position for leg in standard if leg.environment_id in landed), default=-1)
    return [
        leg.environment for leg in standard if leg.position < reached and leg.environment_id not in landed
    ]


async def _must_have_been_good(session: Session, release: ReleaseRow, here: EnvironmentRow) -> None:
    """See that a release was well somewhere at least once: what nobody has said anything against, was.

    Raises:
        NotNextLegError: when each time it landed there something went wrong.
    """
    numbers = await landscape.landed_as(session, release.id, here.id)
    said, wrong = await sign_offs.of(session, numbers), await incidents.of_landings(session, numbers)
    bad = [one for one in numbers if one in wrong or ((asked := said.get(one)) and asked.issues)]
    if len(bad) < len(numbers):
        return
    last = said.get(numbers[0])
    why = last.issues if last is not None and last.issues else wrong[numbers[0]].what
    raise NotNextLegError(
        f"{release.service_id} {release.version} was never well in {here.title}: {lower_first(why)}",
        fields=[("/version", "was never good there")],
    )


async def may_enter_next(
    session: Session,
    service: ServiceRow,
    version: str,
    release: ReleaseRow | None,
    stop: Stop,
    kind: PromotionKind,
) -> str | None:
    """Where the release comes from, in words, if the stop is one it may enter now.

    Its next leg is the one after the furthest it has landed in, or a lane of that one it has not entered; a
    backfill enters what it skipped, a rollback where it has been.

    Raises:
        NotNextLegError: for any other.
        AlreadyRunsError: when it runs there now.
    """
    legs, here = stop.route.legs, stop.environment
    landed = await landscape.landings(session, release.id) if release else {}
    running = await landscape.running(session, service.id, here) if release else None
    if running is not None and release is not None and running.release_id == release.id:
        raise AlreadyRunsError(
            f"{service.id} {version} already runs in {here.title}.", fields=[("/to", "already runs there")]
        )
    if stop.preview:
        return None
    furthest = max((one.position for one in legs if one.environment_id in landed), default=-1)
    entered = here.id in landed
    left = [
        one.environment.title
        for one in legs
        if one.position == furthest and not one.one_is_enough and one.environment_id not in landed
    ]
    if left and stop.position == furthest + 1 and kind not in ("backfill", "rollback"):
        raise NotNextLegError(
            f"{service.id} {version} has to land in {listed(left)} first.",
            fields=[("/to", "not the next leg")],
        )
    allowed = {
        "backfill": furthest > stop.position and not entered,
        "rollback": entered,
    }.get(kind, stop.position == furthest + 1 or (stop.position == furthest and not entered))
    if allowed and kind == "rollback" and release is not None:
        await _must_have_been_good(session, release, here)
    if allowed:
        return listed([one.title for one in stop.before() if one.id in landed]) or None
    following = [one.environment.title for one in legs if one.position == furthest + 1]
    detail = f"{service.id} {version} is at the end of its route."
    if kind in ("backfill", "rollback"):
        why = "has not skipped" if kind == "backfill" else "never landed in"
        detail = f"{service.id} {version} {why} {here.title}."
    elif following:
        detail = f"{service.id} {version} goes to {listed(following, 'or')} next, not to {here.title}."
    raise NotNextLegError(detail, fields=[("/to", "not the next leg")])
