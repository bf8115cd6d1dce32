"""Metrics: a server with the Prometheus HTTP API, and pages in the OpenMetrics text format."""

import math
import re
from datetime import timedelta
from typing import NamedTuple

import httpx
from prometheus_client.openmetrics.parser import text_string_to_metric_families as read_openmetrics
from prometheus_client.parser import text_string_to_metric_families as read_prometheus
from pydantic import BaseModel, ConfigDict, ValidationError

from dogana.clock import Clock
from dogana.core.facts import Reading, Series
from dogana.sources.http import Question, UnreadError, answered, ask, read
from dogana.sources.settings import Configured, MetricsSettings, ScrapeSettings

_VALUES = 60
_MOST = 2000
_OPENMETRICS = b"# EOF"
_SELECTOR = re.compile(r"^\s*([A-Za-z_:][A-Za-z0-9_:]*)\s*(?:\{([^{}]*)\})?\s*$")
_LABEL = re.compile(r'\s*([A-Za-z_][A-Za-z0-9_]*)\s*=\s*"([^"\\]*)"\s*(?:,|$)')


class _Result(BaseModel):
    model_config = ConfigDict(extra="ignore")

    values: list[tuple[float, str]]


class _Data(BaseModel):
    model_config = ConfigDict(extra="ignore")

    result: list[_Result]


class _Answer(BaseModel):
    model_config = ConfigDict(extra="ignore")

    data: _Data


class Sample(NamedTuple):
    """One value on a page of metrics."""

    name: str
    labels: dict[str, str]
    value: float


class HttpMetrics:
    """Metrics, asked over HTTP."""

    def __init__(self, client: httpx.AsyncClient, clock: Clock) -> None:
        self._client = client
        self._clock = clock

    async def series(
        self, server: Configured[MetricsSettings], query: str, environment: str, window: timedelta
    ) -> Reading[Series]:
        """What a query shows of an environment over a window up to now, at most 60 values of each series.

        Several series are one: a limit holds for each of them. What is no number is left out.
        """
        at, settings = self._clock(), server.settings
        question = Question(
            address=f"{settings.address.rstrip('/')}/api/v1/query_range",
            headers=server.headers(),
            params={
                "query": query.replace("$environment", environment),
                "start": (at - window).timestamp(),
                "end": at.timestamp(),
                "step": max(window.total_seconds() / _VALUES, 1),
            },
            seconds=settings.seconds,
        )
        try:
            response = _answer(await ask(self._client, question))
            found = _Answer.model_validate_json(response.content)
            points = sorted(point for result in found.data.result for point in result.values)
            values = [tidy(number) for _, text in points if math.isfinite(number := float(text))]
            series = Series(values=tuple(values[-_MOST:]))
        except UnreadError as exc:
            return Reading(source=server.title, read_at=at, unknown=str(exc))
        except ValueError:
            return Reading(source=server.title, read_at=at, unknown="its answer cannot be understood")
        return Reading(source=server.title, read_at=at, value=series)

    async def page(self, page: Configured[ScrapeSettings]) -> list[Sample]:
        """The values on a page, of the metrics that are to be kept.

        Raises:
            UnreadError: when it cannot be read or holds something else.
        """
        settings = page.settings
        accept = "application/openmetrics-text; version=1.0.0, text/plain; version=0.0.4;q=0.5"
        headers = {"Accept": accept, **page.headers()}
        body = await read(
            self._client, Question(address=settings.address, headers=headers, seconds=settings.seconds)
        )
        return samples_in(body, settings.names)


def samples_in(body: bytes, names: tuple[str, ...]) -> list[Sample]:
    """The values of some metrics on a page, in either text format.

    Raises:
        UnreadError: when the page is in neither.
    """
    parse = read_openmetrics if body.rstrip().endswith(_OPENMETRICS) else read_prometheus
    found: list[Sample] = []
    try:
        for family in parse(body.decode()):
            found += [
                Sample(sample.name, dict(sample.labels), tidy(sample.value))
                for sample in family.samples
                if sample.name in names and math.isfinite(sample.value)
            ]
    except (ValueError, KeyError, IndexError) as exc:
        raise UnreadError("its page is not in the OpenMetrics text format") from exc
    if len(found) > _MOST:
        raise UnreadError(f"its page has more than {_MOST} values of these metrics")
    return found


def selector(query: str) -> tuple[str, dict[str, str]]:
    """The name and the labels that a query for scraped values asks for.

    Raises:
        ValueError: when it is more than a name with labels.
    """
    found = _SELECTOR.match(query)
    if found is None:
        raise ValueError("values scraped from a page are asked for by name and labels alone")
    labels = found[2] or ""
    wanted = {match[1]: match[2] for match in _LABEL.finditer(labels)}
    if _LABEL.sub("", labels).strip():
        raise ValueError('labels are written name="value"')
    return found[1], wanted


def tidy(value: float) -> float:
    """A value as facts carry it: four decimals."""
    return round(value, 4)


class _Error(BaseModel):
    error: str


def _answer(response: httpx.Response) -> httpx.Response:
    """The answer itself, where it is one."""
    if response.status_code in (httpx.codes.BAD_REQUEST, httpx.codes.UNPROCESSABLE_ENTITY):
        try:
            why = _Error.model_validate_json(response.content).error[:200]
        except ValidationError:
            raise UnreadError(answered(response)) from None
        raise UnreadError(f"it cannot make sense of the query: {why}")
    if not response.is_success:
        raise UnreadError(answered(response))
    return response
