"""A metrics server that speaks the Prometheus HTTP API: `GET {base}/api/v1/query_range`."""

import math
from datetime import timedelta

import httpx
from pydantic import BaseModel, ConfigDict, ValidationError

from dogana.clock import Clock
from dogana.core.facts import Reading, Series

SOURCE = "the metrics server"
_VALUES = 60
_MOST = 2000


class _Result(BaseModel):
    model_config = ConfigDict(extra="ignore")

    values: list[tuple[float, str]]


class _Data(BaseModel):
    model_config = ConfigDict(extra="ignore")

    result: list[_Result]


class _Answer(BaseModel):
    model_config = ConfigDict(extra="ignore")

    data: _Data


class PrometheusMetrics:
    """The metrics server at one address."""

    def __init__(self, client: httpx.AsyncClient, base: str, clock: Clock) -> None:
        self._client = client
        self._base = base.rstrip("/")
        self._clock = clock

    async def series(self, query: str, environment: str, window: timedelta) -> Reading[Series]:
        """What a query shows of an environment over a window up to now, at most 60 values of each series.

        Several series are one: a limit holds for each of them. What is no number is left out.
        """
        at = self._clock()
        if not self._base:
            return Reading(source=SOURCE, read_at=at, unknown="no metrics server is set up")
        asked: dict[str, str | float] = {
            "query": query.replace("$environment", environment),
            "start": (at - window).timestamp(),
            "end": at.timestamp(),
            "step": max(window.total_seconds() / _VALUES, 1),
        }
        try:
            response = await self._client.get(f"{self._base}/api/v1/query_range", params=asked)
            response.raise_for_status()
            answer = _Answer.model_validate_json(response.content)
        except httpx.TimeoutException:
            return Reading(source=SOURCE, read_at=at, unknown="it did not answer in time")
        except httpx.HTTPStatusError as exc:
            return Reading(source=SOURCE, read_at=at, unknown=f"it answered {exc.response.status_code}")
        except httpx.HTTPError:
            return Reading(source=SOURCE, read_at=at, unknown="it cannot be reached")
        except ValidationError:
            return Reading(source=SOURCE, read_at=at, unknown="its answer cannot be understood")
        points = sorted(point for result in answer.data.result for point in result.values)
        values = [round(number, 4) for _, text in points if math.isfinite(number := float(text))]
        return Reading(source=SOURCE, read_at=at, value=Series(values=tuple(values[-_MOST:])))
