"""Requests that are sent again: under the same key the same answer, and nothing done twice."""

import asyncio
from datetime import timedelta

from dogana.core.errors import BusyError, InvalidError
from dogana.service.backend import Backend
from dogana.store import exchange
from dogana.store.tables.exchange import AnswerRow

KEPT = timedelta(hours=24)

_GIVEN_UP = timedelta(minutes=1)

_PAUSES = (0.05, 0.1, 0.2, 0.4, 0.8, 1.6, 3.2, 6.4)
"""Seconds between one look and the next at what another is answering."""


async def begin(backend: Backend, actor: str, key: str, request: str) -> tuple[int, str] | None:
    """Begin to answer a request under its key; where another does so now, wait for what that answers.

    Args:
        backend: the outside.
        actor: who sends it; keys are each sender's own.
        key: the key.
        request: digest of what is asked.

    Returns:
        The status and body that were answered before; None where it is to be answered now.

    Raises:
        InvalidError: when the key was used for another request.
        BusyError: when the same request is being worked on for long.
    """
    for pause in _PAUSES:
        try:
            return await _begun(backend, actor, key, request)
        except BusyError:
            await asyncio.sleep(pause)
    return await _begun(backend, actor, key, request)


async def _begun(backend: Backend, actor: str, key: str, request: str) -> tuple[int, str] | None:
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = AnswerRow(actor_id=actor, key=key, request=request, at=now)
        known = await exchange.begin_answer(session, row)
        if known is None:
            return None
        if known.request != request:
            raise InvalidError("This Idempotency-Key was used for another request.")
        if known.status is not None:
            return known.status, known.body or ""
        if now - known.at < _GIVEN_UP:
            raise BusyError
        known.at = now
    return None


async def end(backend: Backend, actor: str, key: str, status: int, body: str) -> None:
    """Keep what was answered, to the letter."""
    async with backend.database.transaction() as session:
        await exchange.end_answer(session, actor, key, status, body)


async def drop(backend: Backend, actor: str, key: str) -> None:
    """Nothing was done: the request may be sent again under its key."""
    async with backend.database.transaction() as session:
        await exchange.drop_answer(session, actor, key)


async def forget_old(backend: Backend) -> None:
    """Let go of answers after a day."""
    async with backend.database.transaction() as session:
        await exchange.forget_answers(session, backend.clock() - KEPT)
