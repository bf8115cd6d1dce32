"""Trying a source: it is asked something, and what came back is shown; nothing is kept."""

import time
from collections.abc import Awaitable, Callable
from datetime import timedelta
from typing import Any

from dogana.core.errors import InvalidError, RepositoryError
from dogana.core.record.actions import Action
from dogana.core.words import lower_first
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.sealing import about_source
from dogana.service.shapes import View
from dogana.service.sources.calendars import fetched
from dogana.service.sources.registry import must_stay, settings_of
from dogana.sources.http import UnreadError
from dogana.sources.settings import (
    CalendarSettings,
    Configured,
    GitSettings,
    MetricsSettings,
    RepositoryAt,
    ScrapeSettings,
    SourceKind,
    SourceSettings,
    TrackerSettings,
)
from dogana.store import sources


class ResultLine(View):
    """One thing that came back."""

    label: str
    value: str


class ConnectionTest(View):
    """What came of asking a source something."""

    works: bool
    says: str
    lines: list[ResultLine]
    milliseconds: int


_WINDOW = timedelta(minutes=10)

_SHOWN = 12

_NAME = "the source"


async def run(
    backend: Backend,
    actor: Actor,
    *,
    kind: SourceKind,
    given: dict[str, Any],
    secret: str | None,
    source: str | None,
    asked: str,
) -> ConnectionTest:
    """Ask a source something.

    Args:
        backend: the outside.
        actor: who tries it.
        kind: what it is.
        given: its settings.
        secret: what authenticates us; that of `source` where None.
        source: one that is set up already.
        asked: a ticket's key, a query, a repository's address; not needed for pages and calendars.

    Raises:
        InvalidError: when the settings cannot be used, or it must be said what to ask.
    """
    actor.must(Right.ADMINISTER)
    settings = settings_of(kind, given)
    if secret is None and source is not None:
        async with backend.database.transaction() as session:
            row = await sources.source(session, source)
        if row is not None and row.secret is not None:
            must_stay(row, kind, settings)
            secret = backend.sealer.open(row.secret, about_source(row.id))
    began = time.monotonic()
    try:
        lines = await _ask(
            backend, kind, Configured(source or "trial", _NAME, settings, secret or None), asked
        )
        failed = None
    except (UnreadError, RepositoryError) as exc:
        lines, failed = [], str(exc)
    except InvalidError as exc:
        if exc.fields and exc.fields[0][0] == "/ask":
            raise
        lines = [ResultLine(label=pointer.strip("/"), value=why) for pointer, why in exc.fields]
        failed = lower_first(exc.detail).removesuffix(".")
    await _say(backend, actor, kind, source, settings, works=failed is None)
    return ConnectionTest(
        works=failed is None,
        says=failed or "It answered.",
        lines=lines[:_SHOWN],
        milliseconds=round((time.monotonic() - began) * 1000),
    )


async def _say(
    backend: Backend,
    actor: Actor,
    kind: SourceKind,
    source: str | None,
    settings: SourceSettings,
    *,
    works: bool,
) -> None:
    """Each trial is an entry: it may send a secret somewhere."""
    where = settings.plain()["address"]
    says = f"{actor.name} tried a source at {where}; {'it answered' if works else 'it did not answer'}."
    details = {"source": source, "kind": kind, "settings": settings.plain()}
    async with backend.database.transaction() as session:
        record(session, actor, Action.TRY_SOURCE, says, backend.clock(), details=details)


async def _ask(backend: Backend, kind: SourceKind, at: Configured[Any], asked: str) -> list[ResultLine]:
    if kind in UNASKED:
        return await UNASKED[kind](backend, at)
    if not asked.strip():
        raise InvalidError("Say what to ask it.", fields=[("/ask", "needed")])
    return await ASKED[kind](backend, at, asked.strip())


async def _page(backend: Backend, at: Configured[ScrapeSettings]) -> list[ResultLine]:
    found = await backend.metrics.page(at)
    if not found:
        raise UnreadError("it shows none of these metrics")
    return [ResultLine(label=f"{s.name} {_labels(s.labels)}".strip(), value=f"{s.value:g}") for s in found]


async def _calendar(backend: Backend, at: Configured[CalendarSettings]) -> list[ResultLine]:
    calendar = await fetched(backend, at)
    return [
        ResultLine(label=window.name, value=window.every or f"{window.from_:%d %b %Y %H:%M}")
        for window in calendar.windows
        if window.every or window.from_
    ]


async def _query(backend: Backend, at: Configured[MetricsSettings], query: str) -> list[ResultLine]:
    reading = await backend.metrics.series(at, query, "", _WINDOW)
    if reading.value is None:
        raise UnreadError(reading.unknown or "nothing came back")
    values = reading.value.values
    shown = ", ".join(f"{value:g}" for value in values[-_SHOWN:])
    return [
        ResultLine(label="Values in ten minutes", value=str(len(values))),
        ResultLine(label="Latest", value=shown),
    ]


async def _ticket(backend: Backend, at: Configured[TrackerSettings], key: str) -> list[ResultLine]:
    reading = await backend.tracker.tickets(at, (at.settings.key_in(key) or key,))
    if reading.value is None:
        raise UnreadError(reading.unknown or "nothing came back")
    (ticket,) = reading.value
    if ticket.status is None:
        return [ResultLine(label=key, value="it has no such ticket")]
    blockers = "not told" if ticket.blockers_told is False else ", ".join(ticket.open_blockers) or "none"
    shown = ticket.plain() | {"open_blockers": blockers}
    shown.pop("blockers_told", None)
    return [ResultLine(label=name.replace("_", " "), value=str(value)) for name, value in shown.items()]


async def _repository(backend: Backend, at: Configured[GitSettings], address: str) -> list[ResultLine]:
    if not at.settings.holds(address):
        raise InvalidError(
            "The repository does not lie below the source's address.",
            fields=[("/ask", "begins otherwise")],
        )
    where = RepositoryAt(address, tuple(at.headers().items()))
    revision = await backend.repositories.head(where)
    origin = await backend.repositories.origin(where, revision)
    if origin.value is None:
        raise UnreadError(origin.unknown or "nothing came back")
    return [
        ResultLine(label="HEAD", value=revision),
        ResultLine(label="branches that hold it", value=", ".join(origin.value.branches) or "none"),
        ResultLine(label="tags on it", value=", ".join(tag.name for tag in origin.value.tags) or "none"),
    ]


def _labels(labels: dict[str, str]) -> str:
    return ", ".join(f"{name} {value}" for name, value in sorted(labels.items()))


UNASKED: dict[SourceKind, Callable[[Backend, Configured[Any]], Awaitable[list[ResultLine]]]] = {
    "scrape": _page,
    "calendar": _calendar,
}
"""How the kinds are tried of which there is but one thing to read."""
ASKED: dict[SourceKind, Callable[[Backend, Configured[Any], str], Awaitable[list[ResultLine]]]] = {
    "tickets": _ticket,
    "metrics": _query,
    "git": _repository,
}
"""How the others are tried, with what is asked."""
