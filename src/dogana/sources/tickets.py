"""A ticket tracker with a JSON API: `GET {base}/tickets/{key}` answers the ticket or 404."""

import asyncio
from urllib.parse import quote

import httpx
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from tenacity import AsyncRetrying, retry_if_exception_type, stop_after_attempt, wait_random_exponential

from dogana.clock import Clock
from dogana.core.facts import Reading, Ticket

SOURCE = "the ticket tracker"
_AT_ONCE = 8
_ATTEMPTS = 2


class _Answer(BaseModel):
    """What we read of the tracker's answer; what else it says is its own."""

    model_config = ConfigDict(extra="ignore")

    title: str = Field(max_length=500)
    status: str = Field(max_length=60)
    kind: str | None = Field(default=None, max_length=60)
    link: str | None = Field(default=None, max_length=1000, pattern=r"^https?://")
    open_blockers: tuple[str, ...] = Field(default=(), max_length=100)


class HttpTracker:
    """The tracker at one address."""

    def __init__(self, client: httpx.AsyncClient, base: str, clock: Clock) -> None:
        self._client = client
        self._base = base.rstrip("/")
        self._clock = clock

    async def tickets(self, keys: tuple[str, ...]) -> Reading[tuple[Ticket, ...]]:
        """The present state of some tickets, all of them or none: half an answer counts as no answer."""
        read_at = self._clock()
        if keys and not self._base:
            return Reading(source=SOURCE, read_at=read_at, unknown="no tracker is set up")
        gate = asyncio.Semaphore(_AT_ONCE)

        async def one(key: str) -> Ticket:
            async with gate:
                return await self._ticket(key)

        try:
            found = await asyncio.gather(*(one(key) for key in keys))
        except httpx.TimeoutException:
            return Reading(source=SOURCE, read_at=read_at, unknown="it did not answer in time")
        except httpx.HTTPStatusError as exc:
            answer = f"it answered {exc.response.status_code} {exc.response.reason_phrase}".strip()
            return Reading(source=SOURCE, read_at=read_at, unknown=answer)
        except httpx.HTTPError:
            return Reading(source=SOURCE, read_at=read_at, unknown="it cannot be reached")
        except ValidationError:
            return Reading(source=SOURCE, read_at=read_at, unknown="its answer cannot be understood")
        return Reading(source=SOURCE, read_at=read_at, value=tuple(found))

    async def _ticket(self, key: str) -> Ticket:
        retrying = AsyncRetrying(
            stop=stop_after_attempt(_ATTEMPTS),
            wait=wait_random_exponential(multiplier=0.05, max=0.5),
            retry=retry_if_exception_type(httpx.ConnectError),
            reraise=True,
        )
        response: httpx.Response = await retrying(
            self._client.get, f"{self._base}/tickets/{quote(key, safe='')}"
        )
        if response.status_code == httpx.codes.NOT_FOUND:
            return Ticket(key=key)
        response.raise_for_status()
        answer = _Answer.model_validate_json(response.content)
        return Ticket(key=key, **answer.model_dump())
