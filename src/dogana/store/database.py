"""Connections, transactions, and notices between processes over LISTEN/NOTIFY."""

import json
from collections.abc import AsyncGenerator, AsyncIterator, Awaitable, Callable, Collection, Iterable, Sequence
from contextlib import asynccontextmanager
from datetime import datetime
from typing import Any, TypeVar

import psycopg
from sqlalchemy import (
    ARRAY,
    CTE,
    ColumnElement,
    Select,
    any_,
    func,
    literal,
    literal_column,
    make_url,
    select,
    text,
)
from sqlalchemy.exc import ArgumentError, DataError, IntegrityError, OperationalError
from sqlalchemy.ext.asyncio import AsyncSession, async_sessionmaker, create_async_engine
from sqlalchemy.orm import QueryableAttribute

from dogana.core.errors import CONSTRAINTS, AgainError, AwayError, DoganaError, InvalidError

CHANNEL = "dogana"
KEPT: dict[str, Any] = {"key_share": True}
"""How a row is locked whose key stays as it is: what refers to it can be written meanwhile."""
_TRIES = 5
_LOT = 2000
_UNKEEPABLE = "It holds a character that cannot be kept, or a number out of range."
_Act = Callable[[AsyncSession], Awaitable[None]]
_TRY_AGAIN = frozenset({"40001", "40P01"})
_MEANWHILE = frozenset({"23505", "23503"})
"""A name that somebody else took, or something referred to that somebody else let go (SQLSTATE)."""
_COLUMN = TypeVar("_COLUMN")


def among(column: QueryableAttribute[_COLUMN], values: Iterable[_COLUMN]) -> ColumnElement[bool]:
    """Whether a column has one of some values, sent as one parameter however many they are.

    One alone is compared as it is: with a list, whose length is not known, a query is planned each time.
    """
    found = list(values)
    if len(found) == 1:
        return column == found[0]
    return column == any_(literal(found, ARRAY(column.type)))


def from_then(column: QueryableAttribute[Any], instant: ColumnElement[Any] | datetime) -> ColumnElement[bool]:
    """Whether something was at an instant or later.

    With an end, though it is none: between any two instants a plan reckons with little, and is kept. With a
    single one it reckons with a third of the past, and is made anew each time.
    """
    return column.between(instant, literal_column("'infinity'"))


def written(*parts: CTE) -> Select[int]:
    """Insertions as parts of a question, as what is given with one by itself is taken for its columns."""
    return select(literal(1)).add_cte(*parts)


def is_address(url: str) -> bool:
    """Whether a text is an address that a `Database` can be made with."""
    try:
        return make_url(url).drivername == "postgresql+psycopg"
    except ArgumentError:
        return False


async def in_lots(
    session: AsyncSession, query: Select[*tuple[Any, ...]]
) -> AsyncIterator[list[tuple[Any, ...]]]:
    """The rows of a query without parameters, however many, a lot of them at a time.

    The driver's own cursor: every layer between takes longer for a row than to check what is in it.

    Args:
        session: the transaction; the rows are those of this instant of it.
        query: what is asked.
    """
    connection = await session.connection()
    driver = (await connection.get_raw_connection()).driver_connection
    if not isinstance(driver, psycopg.AsyncConnection):
        raise TypeError("rows are streamed by psycopg alone")
    text = query.compile(dialect=connection.dialect, compile_kwargs={"literal_binds": True})
    async with driver.cursor(name="in_lots", binary=True) as cursor:
        await cursor.execute(str(text).encode())
        while rows := await cursor.fetchmany(_LOT):
            yield rows


class Database:
    """One pool of connections to one PostgreSQL database."""

    def __init__(self, url: str, *, pool_size: int = 8, lasting: bool = True) -> None:
        """Connect when first asked.

        Args:
            url: of the database.
            pool_size: how many connections are kept.
            lasting: whether what is committed outlasts a failure of power at once; what can be made anew
                need not.
        """
        options = "-c timezone=UTC" if lasting else "-c timezone=UTC -c synchronous_commit=off"
        self.url = url
        self._url = make_url(url)
        self._engine = create_async_engine(
            self._url,
            pool_size=pool_size,
            max_overflow=4,
            pool_pre_ping=True,
            connect_args={"options": options},
        )
        self._sessions = async_sessionmaker(self._engine, expire_on_commit=False)

    @asynccontextmanager
    async def transaction(self) -> AsyncIterator[AsyncSession]:
        """One transaction: committed when the block ends well, rolled back otherwise.

        Raises:
            DoganaError: the domain's error for a named constraint that was violated.
            InvalidError: for a value that PostgreSQL does not take, such as a NUL in text.
            AwayError: when the connection cannot be made or is lost.
            AgainError: when PostgreSQL asks for the transaction to be tried again.
        """
        try:
            async with self._sessions.begin() as session:
                yield session
                await _finish(session)
            for tell in session.info.pop("committed", ()):
                tell()
            await self._afterwards(session.info.pop("afterwards", ()))
        except IntegrityError as exc:
            raise _domain_error(exc) from exc
        except DataError as exc:
            raise InvalidError(_UNKEEPABLE) from exc
        except OperationalError as exc:
            # A deadlock that was broken, or a serialisation that failed: whoever came second is to try again.
            again = getattr(exc.orig, "sqlstate", None) in _TRY_AGAIN
            raise (AgainError if again else AwayError) from exc

    def joined(self, session: AsyncSession) -> "Database":
        """This database, of which every transaction is part of one that is open: it ends with that one."""
        return _Joined(self.url, session)

    async def _afterwards(self, acts: Collection[_Act]) -> None:
        for _ in range(_TRIES if acts else 0):
            try:
                async with self.transaction() as session:
                    for act in acts:
                        await act(session)
            except AgainError:
                continue
            return

    async def listen(self) -> AsyncGenerator[dict[str, Any] | None, None]:
        """Every notice sent from now on, and None about every ten seconds in which there is none.

        Raises:
            AwayError: when the connection cannot be made or is lost.
        """
        dsn = self._url.set(drivername="postgresql").render_as_string(hide_password=False)
        try:
            async with await psycopg.AsyncConnection.connect(dsn, autocommit=True) as connection:
                await connection.execute(f"LISTEN {CHANNEL}")
                yield None
                while True:
                    heard = False
                    # Several may arrive at once; all of them are told.
                    async for notice in connection.notifies(timeout=10, stop_after=1):
                        heard = True
                        yield json.loads(notice.payload)
                    if not heard:
                        yield None
        except psycopg.OperationalError as exc:
            raise AwayError from exc

    async def close(self) -> None:
        """Give all connections back."""
        await self._engine.dispose()


class _Joined(Database):
    """Use cases that each open a transaction of their own become one."""

    def __init__(self, url: str, session: AsyncSession) -> None:
        self.url = url
        self._session = session

    @asynccontextmanager
    async def transaction(self) -> AsyncIterator[AsyncSession]:
        """The one that is open.

        Raises:
            DoganaError: the domain's error for a named constraint that was violated.
            InvalidError: for a value that PostgreSQL does not take.
        """
        try:
            yield self._session
            await self._session.flush()
        except IntegrityError as exc:
            raise _domain_error(exc) from exc
        except DataError as exc:
            raise InvalidError(_UNKEEPABLE) from exc


async def hold(session: AsyncSession, what: str) -> None:
    """Let nobody else who asks for the same go on until the transaction ends; what is read after it is so.

    Args:
        session: of the transaction.
        what: what it is for, and which of several: `policies held`, `bundle 7`.
    """
    await session.execute(select(func.pg_advisory_xact_lock(func.hashtextextended(what, 0))))


def announce(session: AsyncSession, kind: str, promotions: Sequence[int | None] = (None,)) -> None:
    """Tell every listening process what happened, once the transaction has committed."""
    session.info.setdefault("notices", {}).update({(kind, number): None for number in promotions})


def afterwards(session: AsyncSession, act: _Act) -> None:
    """Have something done once the transaction has committed, in one of its own.

    For what locks rows of which others hold some: it is not to wait for them with locks of its own.
    """
    session.info.setdefault("afterwards", []).append(act)


def once_committed(session: AsyncSession, tell: Callable[[], None]) -> None:
    """Have something said once the transaction has committed, and never if it does not."""
    session.info.setdefault("committed", []).append(tell)


def at_end(session: AsyncSession, act: _Act) -> None:
    """Have something done once, after all else in the transaction and before it commits."""
    session.info.setdefault("at end", {})[act] = None


async def _finish(session: AsyncSession) -> None:
    for act in session.info.pop("at end", ()):
        await act(session)
    notices = session.info.pop("notices", ())
    if notices:
        payloads = [json.dumps({"kind": kind, "promotion": number}) for kind, number in notices]
        await session.execute(
            text("SELECT pg_notify(:channel, payload) FROM unnest(CAST(:payloads AS text[])) AS payload"),
            {"channel": CHANNEL, "payloads": payloads},
        )


def _domain_error(exc: IntegrityError) -> Exception:
    name = getattr(getattr(exc.orig, "diag", None), "constraint_name", None)
    error: type[DoganaError] | None = CONSTRAINTS.get(name or "")
    if error is None and getattr(exc.orig, "sqlstate", None) in _MEANWHILE:
        # What was not there, or was, when this transaction looked: it looks again.
        error = AgainError
    return error() if error else exc
