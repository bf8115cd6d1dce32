"""Setting up the landscape: what may let more through takes a second person, the rest acts at once."""

from abc import ABC, abstractmethod
from dataclasses import dataclass
from datetime import datetime
from typing import Any, ClassVar, Generic, TypeVar

from dogana.core.errors import InvalidError
from dogana.core.record.actions import Action
from dogana.core.routes import Route
from dogana.service import dual_control
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import ALONE, CONFIRMED, LandscapeKind, ProposedChange
from dogana.service.landscape.documents import (
    Environment,
    Service,
    environment_of,
    route_of,
    service_of,
    version_of,
)
from dogana.service.landscape.environments import must_travel
from dogana.service.landscape.stops import stop_of
from dogana.service.ledger.entries import record
from dogana.service.policies import drafts
from dogana.service.preconditions import Seen
from dogana.service.shapes import ChangeOutcome
from dogana.store import Session, landscape, promotions, schedule
from dogana.store.database import hold
from dogana.store.tables.landscape import EnvironmentRow, LegRow, RouteRow, ServiceRow
from dogana.store.tables.promotions import PENDING

T = TypeVar("T", Environment, Route, Service)


@dataclass
class _Part(ABC, Generic[T]):
    """A thing of one kind while it is set up: how it is read, checked, compared and written."""

    kind: ClassVar[LandscapeKind]
    session: Session
    name: str
    now: datetime

    @abstractmethod
    async def read(self) -> T | None:
        """It as it is, retired or not, locked; None where there never was one."""

    @abstractmethod
    def of(self, plain: dict[str, Any] | None) -> T:
        """One as an entry has it."""

    @abstractmethod
    async def must_go(self, wanted: T) -> None:
        """See that it goes together with the rest of the landscape.

        Raises:
            InvalidError: when it does not.
            ConflictError: when it was retired and cannot return as it was.
        """

    @abstractmethod
    async def loosens(self, old: T, wanted: T) -> bool:
        """Whether more may get through than before."""

    @abstractmethod
    async def write(self, wanted: T) -> None:
        """Put it in place of the one that is there."""


class _Environments(_Part[Environment]):
    kind = "environment"

    def of(self, plain: dict[str, Any] | None) -> Environment:
        return Environment.model_validate(plain)

    async def read(self) -> Environment | None:
        row = await landscape.environment(self.session, self.name, lock=True)
        return environment_of(row) if row else None

    async def must_go(self, wanted: Environment) -> None:
        if (wanted.departs == "by timetable") != (wanted.timetable is not None):
            raise InvalidError(
                "An environment departs by timetable if it has one, and only then.",
                fields=[("/timetable", "goes with departs: by timetable")],
            )
        if wanted.template is not None and wanted.departs != "never":
            raise InvalidError(
                "Nothing enters a template itself.", fields=[("/departs", "never, for a template")]
            )
        row = await landscape.environment(self.session, self.name)
        if row is not None and row.removed_at is not None:
            await drafts.may_return(self.session, row, self.now)

    async def loosens(self, old: Environment, wanted: Environment) -> bool:
        """What departs otherwise, who reports there, and where it is read what runs are what others go by."""
        return (
            wanted.departs != old.departs
            or (old.version_from is not None and wanted.version_from != old.version_from)
            or (old.deployers is not None and not old.deployers.include(wanted.deployers))
        )

    async def write(self, wanted: Environment) -> None:
        row = await landscape.environment(self.session, self.name)
        if row is None:
            row = EnvironmentRow(id=self.name)
            self.session.add(row)
        row.title, row.zone, row.departs = wanted.title, wanted.zone, wanted.departs
        row.timetable = wanted.timetable.plain() if wanted.timetable else None
        template = wanted.template
        row.template = (
            {"departs": template.departs, "lasts": template.lasts.total_seconds()} if template else None
        )
        row.deployers = wanted.deployers.plain() if wanted.deployers else None
        row.address, row.time_limit, row.removed_at = wanted.address, wanted.time_limit, None
        row.version_from = wanted.version_from.plain() if wanted.version_from else None


class _Routes(_Part[Route]):
    kind = "route"

    def of(self, plain: dict[str, Any] | None) -> Route:
        return Route.model_validate(plain)

    async def read(self) -> Route | None:
        row = await landscape.kept_route(self.session, self.name)
        return route_of(row) if row else None

    async def must_go(self, wanted: Route) -> None:
        flat = [one for leg in wanted.legs for one in leg]
        known = {row.id for row in await landscape.environments(self.session) if row.departs != "never"}
        unknown = sorted(set(flat) - known)
        if unknown or len(set(flat)) != len(flat):
            why = f"{', '.join(unknown)}: unknown" if unknown else "an environment stands in it twice"
            raise InvalidError("The route cannot be travelled.", fields=[("/legs", why)])
        urgent = wanted.lets_in is not None
        for one in await landscape.services(self.session):
            if self.name == (one.route_id if urgent else one.urgent_route_id):
                how = "as it always does" if urgent else "in a hurry"
                raise InvalidError(
                    f"{one.title} travels it {how}.", fields=[("/lets_in", "the wrong kind of route")]
                )
        for waiting in await promotions.in_state(self.session, PENDING):
            stop = stop_of(waiting)
            if waiting.route_id == self.name and not stop.preview and waiting.environment_id not in flat:
                raise InvalidError(
                    f"Promotion {waiting.number} waits for {waiting.environment.title}.",
                    fields=[("/legs", f"{waiting.environment_id} is waited for")],
                )

    async def loosens(self, old: Route, wanted: Route) -> bool:
        return not wanted.asks_no_less(old)

    async def write(self, wanted: Route) -> None:
        row = await landscape.kept_route(self.session, self.name)
        if row is None:
            row = RouteRow(id=self.name, title=wanted.title, legs=[])
            self.session.add(row)
        else:
            row.legs.clear()
            row.retired_at = None
            await self.session.flush()
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


class _Services(_Part[Service]):
    kind = "service"

    def of(self, plain: dict[str, Any] | None) -> Service:
        return Service.model_validate(plain)

    async def read(self) -> Service | None:
        row = await landscape.service(self.session, self.name, lock=True)
        return service_of(row) if row else None

    async def must_go(self, wanted: Service) -> None:
        await must_travel(self.session, wanted)

    async def loosens(self, old: Service, wanted: Service) -> bool:
        """What is read of it, whose it is, and how it travels."""
        if (wanted.repository, wanted.group) != (old.repository, old.group):
            return True
        # None is all of the repository.
        if wanted.paths and not (old.paths and set(wanted.paths) >= set(old.paths)):
            return True
        if await _asks_less(self.session, wanted.route, old.route):
            return True
        if wanted.urgent_route is None:
            return False
        return old.urgent_route is None or await _asks_less(
            self.session, wanted.urgent_route, old.urgent_route
        )

    async def write(self, wanted: Service) -> None:
        row = await landscape.service(self.session, self.name)
        if row is None:
            row = ServiceRow(id=self.name)
            self.session.add(row)
        if row.repository != wanted.repository:
            row.repository_tried_at = row.repository_failing_since = row.repository_reason = None
        row.title, row.repository, row.paths = wanted.title, wanted.repository, list(wanted.paths)
        row.route_id, row.urgent_route_id = wanted.route, wanted.urgent_route
        row.group_id, row.retired_at = wanted.group, None


async def _asks_less(session: Session, route: str, than: str) -> bool:
    if route == than:
        return False
    one, other = await landscape.route(session, route), await landscape.route(session, than)
    return not route_of(one).asks_no_less(route_of(other))


_PARTS: dict[LandscapeKind, type[_Part[Any]]] = {one.kind: one for one in (_Environments, _Routes, _Services)}


async def keep_environment(
    backend: Backend, actor: Actor, name: str, wanted: Environment, expected: Seen | None
) -> ChangeOutcome:
    """Set up an environment, or change it.

    Raises:
        ChangedError: when it is not in the state expected.
        InvalidError: when its settings do not go together.
        ConflictError: when it was retired, and its policy is laxer than its baseline by now, or while another
            change of it waits.
    """
    return await _keep(_Environments, backend, actor, name, wanted, expected)


async def keep_route(
    backend: Backend, actor: Actor, name: str, wanted: Route, expected: Seen | None
) -> ChangeOutcome:
    """Set up a route, or change it.

    Raises:
        ChangedError: when it is not in the state expected.
        InvalidError: for an unknown or repeated environment, one taken off that something waits for, or when
            it would become urgent, or cease to be, under a service.
        ConflictError: while another change of it waits.
    """
    return await _keep(_Routes, backend, actor, name, wanted, expected)


async def keep_service(
    backend: Backend, actor: Actor, name: str, wanted: Service, expected: Seen | None
) -> ChangeOutcome:
    """Set up a service, or change it.

    Raises:
        ChangedError: when it is not in the state expected.
        InvalidError: for an unknown route, or one of the wrong kind.
        ConflictError: while another change of it waits.
    """
    return await _keep(_Services, backend, actor, name, wanted, expected)


async def confirmed(
    backend: Backend, session: Session, actor: Actor, kind: LandscapeKind, change: ProposedChange
) -> None:
    """Set up what was confirmed.

    Raises:
        ConflictError: when what it replaces is not as it was any more.
        InvalidError: when it does not go together with the rest any more.
    """
    await hold(session, "landscape held")
    part = _PARTS[kind](session, change.subject, backend.clock())
    old = await part.read()
    dual_control.must_be_as_it_was(old.plain() if old else None, change)
    wanted = part.of(change.new)
    await part.must_go(wanted)
    await _set(part, actor, old, wanted, CONFIRMED)


async def _keep(
    made: type[_Part[T]], backend: Backend, actor: Actor, name: str, wanted: T, expected: Seen | None
) -> ChangeOutcome:
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        # What a change loosens hangs on the rest: a service on the routes, whose legs are environments.
        await hold(session, "landscape held")
        part = made(session, name, backend.clock())
        old = await part.read()
        if expected is not None:
            expected.must_be(version_of(old) if old is not None else None)
        await part.must_go(wanted)
        loosens = old is not None and await part.loosens(old, wanted)
        if loosens and old is not None:
            title = f"a change of the {part.kind} {wanted.title} that may let more through"
            change = ProposedChange(
                kind=part.kind, subject=name, title=title, old=old.plain(), new=wanted.plain()
            )
            waits = await dual_control.ask(backend, session, actor, change)
            if waits is not None:
                return ChangeOutcome(waits=waits)
        await _set(part, actor, old, wanted, ALONE if loosens else "")
        return ChangeOutcome(alone=loosens)


async def _set(part: _Part[T], actor: Actor, old: T | None, wanted: T, how: str) -> None:
    session, kind, name = part.session, part.kind, part.name
    await part.write(wanted)
    await session.flush()
    says = f"{actor.name} set up the {kind} {wanted.title}.{how}"
    environment = name if kind == "environment" else None
    details = {kind: name, "old": old.plain() if old else None, "new": wanted.plain()}
    record(session, actor, Action(f"set {kind}"), says, part.now, environment=environment, details=details)
    schedule.inspection(session, part.now)
