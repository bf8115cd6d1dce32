"""Any ticket tracker with a JSON API, told apart by settings alone."""

import asyncio
import re
from collections.abc import Awaitable, Callable, Sequence
from functools import partial
from typing import Any
from urllib.parse import quote

import httpx
import jsonpointer

from dogana.clock import Clock
from dogana.core.facts import Reading, Ticket
from dogana.core.policy.text import UnreadableTextError
from dogana.sources.http import HttpRequest, UnreadError, answer, answered, ask, plain_json
from dogana.sources.settings import Configured, TrackerSettings

_AT_ONCE = 8
_LONGEST = 500
_MOST_BLOCKERS = 50
_MOST_FOUND, _LONGEST_KEY = 500, 60
_A_LINK = re.compile(r"^https?://\S{1,1000}$")
_MISSING = object()


class HttpTracker:
    """Trackers, asked over HTTP."""

    def __init__(self, client: httpx.AsyncClient, clock: Clock) -> None:
        self._client = client
        self._clock = clock

    async def tickets(
        self, tracker: Configured[TrackerSettings], keys: tuple[str, ...]
    ) -> Reading[tuple[Ticket, ...]]:
        """The present state of some tickets, all of them or none: half an answer counts as no answer."""
        read_at = self._clock()
        try:
            found = await _each(partial(self._ticket, tracker), keys)
        except UnreadError as exc:
            return Reading(source=tracker.title, read_at=read_at, unknown=str(exc))
        return Reading(source=tracker.title, read_at=read_at, value=found)

    async def search(self, tracker: Configured[TrackerSettings], query: str) -> Reading[tuple[str, ...]]:
        """The keys of the tickets that a query finds; all of them, or why they are not known."""
        settings, read_at = tracker.settings, self._clock()
        if settings.search is None:
            return Reading(source=tracker.title, read_at=read_at, unknown="it answers no queries")
        question = HttpRequest(
            address=settings.search.replace("{query}", quote(query, safe="")),
            headers={"Accept": "application/json", **tracker.headers()},
            seconds=settings.seconds,
        )
        try:
            response = await answer(self._client, question)
            said = await plain_json(response)
            keys = tuple(_key(one, settings) for one in _as_list(_at(said, settings.found)))
            total = _text(said, settings.found_total, needed="total" if settings.found_total else "")
            part = "next" in response.links or (total is not None and int(total) != len(keys))
        except UnreadError as exc:
            return Reading(source=tracker.title, read_at=read_at, unknown=str(exc))
        except ValueError as exc:
            why = f"its answer cannot be understood{_why(exc)}"
            return Reading(source=tracker.title, read_at=read_at, unknown=why)
        if part:
            why = f"it listed {len(keys)} of {total or 'more'}"
            return Reading(source=tracker.title, read_at=read_at, unknown=why)
        if len(keys) > _MOST_FOUND:
            many = f"it found more than {_MOST_FOUND}"
            return Reading(source=tracker.title, read_at=read_at, unknown=many)
        return Reading(source=tracker.title, read_at=read_at, value=keys)

    async def _ticket(self, tracker: Configured[TrackerSettings], key: str) -> Ticket:
        settings = tracker.settings
        ticket = await self._alone(tracker, key)
        if not settings.ask_blockers or not ticket.open_blockers:
            return ticket
        if len(ticket.open_blockers) > _MOST_BLOCKERS:
            raise UnreadError(f"{key} has more than {_MOST_BLOCKERS} blockers")
        asked = await _each(partial(self._alone, tracker), ticket.open_blockers)
        left = tuple(blocker.key for blocker in asked if blocker.status not in settings.closed)
        return ticket.model_copy(update={"open_blockers": left})

    async def _alone(self, tracker: Configured[TrackerSettings], key: str) -> Ticket:
        settings = tracker.settings
        question = HttpRequest(
            address=settings.address.replace("{key}", quote(key.removeprefix("#"), safe="")),
            headers={"Accept": "application/json", **tracker.headers()},
            seconds=settings.seconds,
        )
        response = await ask(self._client, question)
        if response.status_code in (httpx.codes.NOT_FOUND, httpx.codes.GONE):
            return Ticket(key=key)
        if not response.is_success:
            raise UnreadError(answered(response))
        try:
            said = await plain_json(response) if response.content.strip() else None
            if settings.empty_means_none and said in (None, {}, []):
                return Ticket(key=key)
            return ticket_in(settings, key, said)
        except ValueError as exc:
            raise UnreadError(f"its answer cannot be understood{_why(exc)}") from exc


async def _each(ask: Callable[[str], Awaitable[Ticket]], keys: Sequence[str]) -> tuple[Ticket, ...]:
    """Some tickets, a few at once; the first that cannot be read ends it.

    Raises:
        UnreadError: for that one.
    """
    gate = asyncio.Semaphore(_AT_ONCE)

    async def one(key: str) -> Ticket:
        async with gate:
            return await ask(key)

    tasks = [asyncio.create_task(one(key)) for key in keys]
    try:
        return tuple(await asyncio.gather(*tasks))
    finally:
        for task in tasks:
            task.cancel()


def ticket_in(settings: TrackerSettings, key: str, answer: Any) -> Ticket:
    """The ticket in an answer.

    Raises:
        ValueError: when the answer has no status, or something else than was to be expected.
    """
    own = _text(answer, settings.key, needed="key" if settings.key else "")
    if own is not None and own.casefold() != key.removeprefix("#").casefold():
        raise ValueError(f"it tells of {own}")
    blockers = _open_blockers(settings, answer)
    return Ticket(
        key=key,
        status=_text(answer, settings.status, needed="status"),
        title=_text(answer, settings.title),
        kind=_text(answer, settings.kind),
        link=_link(_text(answer, settings.link)),
        open_blockers=blockers or (),
        blockers_told=False if blockers is None else None,
    )


def _as_list(found: Any) -> list[Any]:
    if not isinstance(found, list):
        raise ValueError("what it found is no list")  # noqa: TRY004 - the answer is wrong, not our call
    return found


def _key(one: Any, settings: TrackerSettings) -> str:
    said = one if isinstance(one, str) else _text(one, settings.found_key, needed="key")
    if not said or len(said) > _LONGEST_KEY or any(map(str.isspace, said)):
        raise ValueError("what it found is no key")
    return said


def _open_blockers(settings: TrackerSettings, answer: Any) -> tuple[str, ...] | None:
    """What blocks a ticket; None where the answer does not tell."""
    listed = _at(answer, settings.blockers)
    if listed is _MISSING or listed is None:
        return () if settings.absent_means_unblocked else None
    if not isinstance(listed, list):
        raise ValueError("its blockers are no list")  # noqa: TRY004 - the answer is wrong, not our call
    out = []
    for blocker in listed:
        if isinstance(blocker, str):
            out.append(blocker)
        elif _text(blocker, settings.blocker_status) not in settings.closed:
            out.append(str(_text(blocker, settings.blocker_key, needed="key of a blocker")))
    return tuple(out)


def _at(answer: Any, pointer: str | None) -> Any:
    if pointer is None:
        return _MISSING
    try:
        return jsonpointer.resolve_pointer(answer, pointer, _MISSING)
    except jsonpointer.JsonPointerException:
        return _MISSING


def _text(answer: Any, pointer: str | None, *, needed: str = "") -> str | None:
    found = _at(answer, pointer)
    if found is _MISSING or found is None or found == "":
        if needed:
            raise ValueError(f"no {needed} at {pointer}")
        return None
    if not isinstance(found, str | int) or isinstance(found, bool):
        raise ValueError(f"no text at {pointer}")  # noqa: TRY004 - as above
    return str(found)[:_LONGEST]


def _link(found: str | None) -> str | None:
    if found is not None and not _A_LINK.match(found):
        raise ValueError("its link is no web address")
    return found


def _why(exc: Exception) -> str:
    plain = type(exc) in (ValueError, UnreadableTextError)
    return f": {exc}" if plain else ""
