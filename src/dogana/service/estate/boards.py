"""Boards: somebody's own choice of services and charts, shared by a link, shown on a wall."""

import secrets
from datetime import datetime, timedelta
from typing import Annotated

from pydantic import Field, StringConstraints

from dogana.core.document import Document, EnvironmentId, Instant, Slug
from dogana.core.errors import ConflictError, InvalidError, NotFoundError, RefusedError, SignedOutError
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right, rights_of
from dogana.service.backend import Backend
from dogana.service.estate import charts
from dogana.service.estate.charts import Line
from dogana.service.estate.matrix import Estate, matrix
from dogana.service.estate.occurrences import Occurrence, occurrences
from dogana.service.hashing import secret_digest
from dogana.service.ledger.entries import record
from dogana.service.shapes import Named, View, named
from dogana.store import Session, boards, landscape, people
from dogana.store.tables.estate import BoardRow

_MOST = 50
WALL_LASTS = timedelta(days=90)


class Chart(Document):
    """A monitor of an environment."""

    environment: EnvironmentId
    monitor: Annotated[str, StringConstraints(min_length=1, max_length=60)]


class EstateBoard(Document):
    """What somebody wants to see together."""

    title: Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00]*$")]
    services: tuple[Slug, ...] = Field(default=(), max_length=60)
    """Every one where none is named."""
    charts: tuple[Chart, ...] = Field(default=(), max_length=12)
    hours: Annotated[int, Field(ge=1, le=24 * 90)] = 24
    """How far back the charts go."""


class EstateBoardView(View):
    """A board, with whose it is."""

    id: int
    board: EstateBoard
    owner: Named
    mine: bool
    wall_until: Instant | None
    """Until when its wall shows it; absent where it hangs on none."""


class Wall(View):
    """The address of a board on a wall; shown once."""

    secret: str
    until: Instant


class Hanging(View):
    """One chart as it hangs."""

    environment: Named
    line: Line
    occurrences: list[Occurrence]


class ShownBoard(View):
    """A board as it is now."""

    title: str
    owner: str
    zone: str
    estate: Estate
    start: Instant
    """Of the charts; their end is when the estate was read."""
    charts: list[Hanging]


async def mine(backend: Backend, actor: Actor) -> list[EstateBoardView]:
    """One's own boards, by name."""
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        names = await people.names(session)
        return [_view(row, actor, names) for row in await boards.of_owner(session, actor.id)]


async def get(backend: Backend, actor: Actor, number: int) -> EstateBoardView:
    """Anybody's board, by its link.

    Raises:
        NotFoundError: when there is none.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return _view(await _found(session, number), actor, await people.names(session))


async def keep(backend: Backend, actor: Actor, number: int | None, wanted: EstateBoard) -> EstateBoardView:
    """Make a board, or change one's own.

    Raises:
        NotFoundError, RefusedError: for one that is not there, or somebody else's.
        ConflictError: for a fifty-first.
        InvalidError: for a service that is not there.
    """
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        known = {one.id for one in await landscape.services(session)}
        unknown = sorted(set(wanted.services) - known)
        if unknown:
            raise InvalidError("There is no such service.", fields=[("/services", unknown[0])])
        if number is None:
            if len(await boards.of_owner(session, actor.id)) >= _MOST:
                raise ConflictError(f"You have {_MOST} boards; delete one first.")
            row = BoardRow(owner_id=actor.id)
            session.add(row)
        else:
            row = await _own(session, actor, number)
        row.title, row.services, row.hours = wanted.title, list(wanted.services), wanted.hours
        row.charts = [one.plain() for one in wanted.charts]
        row.changed_at = backend.clock()
        await session.flush()
        return _view(row, actor, await people.names(session))


async def drop(backend: Backend, actor: Actor, number: int) -> None:
    """Delete one's own board; its wall shows nothing from then on.

    Raises:
        NotFoundError, RefusedError: for one that is not there, or somebody else's.
    """
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        await session.delete(await _own(session, actor, number))


async def hang(backend: Backend, actor: Actor, number: int) -> Wall:
    """Make an address for a wall, which shows the board to whoever has it for 90 days; an earlier one ends.

    Raises:
        NotFoundError, RefusedError: for one that is not there, or somebody else's.
    """
    actor.must(Right.OWN)
    now, secret = backend.clock(), secrets.token_urlsafe(32)
    async with backend.database.transaction() as session:
        row = await _own(session, actor, number)
        row.wall_digest, row.wall_until = secret_digest(secret), now + WALL_LASTS
        says = f"{actor.name} put the board {row.title} on a wall."
        record(session, actor, Action.HANG_BOARD, says, now, details={"board": str(row.id)})
    return Wall(secret=secret, until=now + WALL_LASTS)


async def take_down(backend: Backend, actor: Actor, number: int) -> None:
    """End the address of a board's wall.

    Raises:
        NotFoundError, RefusedError: for one that is not there, or somebody else's.
        ConflictError: where it hangs on none.
    """
    actor.must(Right.OWN)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _own(session, actor, number)
        if row.wall_digest is None:
            raise ConflictError("It hangs on no wall.")
        row.wall_digest = row.wall_until = None
        says = f"{actor.name} took the board {row.title} off its wall."
        record(session, actor, Action.TAKE_DOWN_BOARD, says, now, details={"board": str(row.id)})


async def on_wall(backend: Backend, secret: str, points: int) -> ShownBoard:
    """The board of a wall, as its owner may see it now.

    Raises:
        SignedOutError: for an address that ended or never was, or whose owner may not look any more.
    """
    async with backend.database.transaction() as session:
        row = await boards.on_wall(session, secret_digest(secret), backend.clock())
        owner = await people.person(session, row.owner_id) if row is not None else None
    if row is None or owner is None:
        raise SignedOutError("This wall shows nothing any more. Its owner can make a new address.")
    looks = Actor(id=owner.id, name=owner.name, rights=rights_of(owner.roles) & {Right.READ}, channel="API")
    if Right.READ not in looks.rights:
        raise SignedOutError("This wall shows nothing any more: its owner may not look.")
    return await show(backend, looks, row.id, points=points)


async def show(backend: Backend, actor: Actor, number: int, *, points: int) -> ShownBoard:
    """A board as it is now.

    Raises:
        NotFoundError: when there is none.
    """
    actor.must(Right.READ)
    view = await get(backend, actor, number)
    board = view.board
    found = await matrix(
        backend,
        actor,
        at=None,
        services=board.services or None,
        group=None,
        environment=None,
        words=None,
        skip=0,
    )
    start, end = found.at - timedelta(hours=board.hours), found.at
    return ShownBoard(
        title=board.title,
        owner=view.owner.name,
        zone=found.columns[0].zone if found.columns else "UTC",
        estate=found,
        start=start,
        charts=[await _chart(backend, actor, one, start, end, points) for one in board.charts],
    )


async def _chart(
    backend: Backend, actor: Actor, one: Chart, start: datetime, end: datetime, points: int
) -> Hanging:
    """One chart; of what is not there any more it is said, and the others hang all the same."""
    environment = one.environment
    try:
        (line,) = await charts.lines(
            backend,
            actor,
            environment=environment,
            names=[one.monitor],
            start=start,
            end=end,
            points=points,
        )
        happened = await occurrences(
            backend, actor, environment=environment, service=None, start=start, end=end
        )
    except NotFoundError as exc:
        line, happened = charts.nothing(one.monitor, exc.detail), []
    async with backend.database.transaction() as session:
        place = await landscape.environment(session, environment)
    name = place.title if place is not None else environment
    return Hanging(environment=Named(id=environment, name=name), line=line, occurrences=happened)


async def _found(session: Session, number: int, *, lock: bool = False) -> BoardRow:
    row = await boards.get(session, number, lock=lock)
    if row is None:
        raise NotFoundError("There is no such board.")
    return row


async def _own(session: Session, actor: Actor, number: int) -> BoardRow:
    row = await _found(session, number, lock=True)
    if row.owner_id != actor.id:
        raise RefusedError("It is somebody else's board.")
    return row


def _view(row: BoardRow, actor: Actor, names: dict[str, str]) -> EstateBoardView:
    board = EstateBoard.model_validate(
        {"title": row.title, "services": row.services, "charts": row.charts, "hours": row.hours}
    )
    return EstateBoardView(
        id=row.id,
        board=board,
        owner=named(row.owner_id, names),
        mine=row.owner_id == actor.id,
        wall_until=row.wall_until,
    )
