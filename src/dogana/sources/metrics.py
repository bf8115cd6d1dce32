"""Metrics: a server with the Prometheus HTTP API, and pages in the OpenMetrics text format."""

import asyncio
import math
import re
from collections.abc import Hashable, Iterable, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any, Generic, Literal, NamedTuple, SupportsFloat, TypeVar

import httpx
from prometheus_client.openmetrics.parser import text_string_to_metric_families as read_openmetrics
from prometheus_client.parser import text_string_to_metric_families as read_prometheus
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from dogana.clock import Clock
from dogana.core.facts import ENDLESS, Reading, Series
from dogana.core.health import counters as health
from dogana.sources.http import HttpRequest, UnreadError, answer, answered, ask, plain_json
from dogana.sources.settings import Configured, MetricsSettings, ScrapeSettings

_VALUES = 60
_MOST = 2000
_OPENMETRICS = b"# EOF"
_SELECTOR = re.compile(r"^\s*([A-Za-z_:][A-Za-z0-9_:]*)\s*(?:\{([^{}]*)\})?\s*$")
_LABEL = re.compile(r'\s*([A-Za-z_][A-Za-z0-9_]*)\s*=\s*"([^"\\]*)"\s*(?:,|$)')


class _Range(BaseModel):
    model_config = ConfigDict(extra="ignore")

    values: list[tuple[float, str]]


class _Instant(BaseModel):
    model_config = ConfigDict(extra="ignore")

    value: tuple[float, str]


class _Vector(_Instant):
    metric: dict[str, str]


R = TypeVar("R", _Range, _Instant, _Vector)


class _Data(BaseModel, Generic[R]):
    model_config = ConfigDict(extra="ignore")

    result: list[R]


class _Answer(BaseModel, Generic[R]):
    model_config = ConfigDict(extra="ignore")

    status: Literal["success"]
    warnings: list[str] = []
    is_partial: bool = Field(default=False, alias="isPartial")
    """Whether a server that asks others did not hear from all of them, as some say it."""
    data: _Data[R]


class Sample(NamedTuple):
    """One value on a page of metrics."""

    name: str
    labels: dict[str, str]
    value: float
    measured_at: datetime | None = None
    """Where the page says so; None for what it measures as it is asked."""


class Bucket(NamedTuple):
    """What was shown in one step of time."""

    at: datetime
    """Its middle."""
    mean: float
    low: float
    high: float


class HttpMetrics:
    """Metrics, asked over HTTP."""

    def __init__(self, client: httpx.AsyncClient, clock: Clock) -> None:
        self._client = client
        self._clock = clock

    async def series(
        self, server: Configured[MetricsSettings], query: str, environment: str, window: timedelta
    ) -> Reading[Series]:
        """What a query shows of an environment over a window up to now, at most 60 values of each series.

        Several series are one: a limit holds for each of them, and what it shows is as old as the oldest of
        their last samples. What is no number is none; what is infinite is larger than any limit.
        """
        at = self._clock()
        text = query.replace("$environment", environment)
        span = {"start": (at - window).timestamp(), "end": at.timestamp()}
        step = max(window.total_seconds() / _VALUES, 1)
        try:
            asked: dict[str, str | float] = {"query": text, **span, "step": step}
            ranges: list[_Range] = await self._asked(server, "query_range", asked, _Range)
            samples = [
                (n, datetime.fromtimestamp(stamp, UTC), float(number))
                for n, one in enumerate(ranges)
                for stamp, number in one.values
            ]
            own: datetime | None = None
            if samples and _SELECTOR.match(text):
                # A server goes on showing a sample for minutes; of a plain series it tells the sample's own
                # time.
                asked = {"query": f"timestamp({text})", "time": at.timestamp()}
                stamps: list[_Instant] = await self._asked(server, "query", asked, _Instant)
                times = [datetime.fromtimestamp(float(one.value[1]), UTC) for one in stamps]
                own = min(times, default=None)
            series, read_at = series_of(samples, at)
        except UnreadError as exc:
            return Reading(source=server.title, read_at=at, unknown=str(exc))
        except (ValueError, OverflowError, OSError):
            return Reading(source=server.title, read_at=at, unknown="its answer cannot be understood")
        return Reading(source=server.title, read_at=min(read_at, own or read_at), value=series)

    async def stretch(
        self,
        server: Configured[MetricsSettings],
        query: str,
        environment: str,
        start: datetime,
        end: datetime,
        step: timedelta,
    ) -> Reading[tuple[Bucket, ...]]:
        """What a query showed of an environment from one instant to another, in steps.

        Each step tells the mean, the lowest and the highest of what was shown in it, of all series together,
        so that no peak is lost between two of them.
        """
        text = f"({query.replace('$environment', environment)})"
        seconds = max(round(step.total_seconds()), 1)
        plain = _SELECTOR.match(text[1:-1]) is not None
        over = f"{text[1:-1] if plain else text}[{seconds}s{'' if plain else f':{max(seconds // 5, 1)}s'}]"
        asked: list[dict[str, str | float]] = [
            {
                "query": f"{how}({how}_over_time({over}))",
                # Each step looks back, so the first one ends a step after the start.
                "start": start.timestamp() + seconds,
                "end": end.timestamp(),
                "step": seconds,
            }
            for how in ("avg", "min", "max")
        ]
        at = self._clock()
        try:
            answers = await asyncio.gather(
                *(self._asked(server, "query_range", one, _Range) for one in asked)
            )
            return Reading(source=server.title, read_at=at, value=_buckets(answers, seconds))
        except UnreadError as exc:
            return Reading(source=server.title, read_at=at, unknown=str(exc))
        except (ValueError, OverflowError, OSError):
            return Reading(source=server.title, read_at=at, unknown="its answer cannot be understood")

    async def vector(
        self, server: Configured[MetricsSettings], query: str, at: datetime
    ) -> Reading[tuple[health.Sample, ...]]:
        """What a query gives at an instant, series by series, as the server tells it."""
        try:
            asked: dict[str, str | float] = {"query": query, "time": at.timestamp()}
            found: list[_Vector] = await self._asked(server, "query", asked, _Vector)
            samples = tuple(health.Sample(metric=one.metric, value=one.value) for one in found)
        except UnreadError as exc:
            return Reading(source=server.title, read_at=at, unknown=str(exc))
        except ValueError:
            return Reading(source=server.title, read_at=at, unknown="its answer cannot be understood")
        if len(samples) > health.MOST_SERIES:
            many = f"it gives more than {health.MOST_SERIES} series"
            return Reading(source=server.title, read_at=at, unknown=many)
        return Reading(source=server.title, read_at=at, value=samples)

    async def _asked(
        self,
        server: Configured[MetricsSettings],
        what: str,
        params: dict[str, str | float],
        kind: type[R],
    ) -> list[Any]:
        settings = server.settings
        question = HttpRequest(
            address=f"{settings.address.rstrip('/')}/api/v1/{what}",
            headers=server.headers(),
            params=params,
            seconds=settings.seconds,
        )
        response = _answer(await ask(self._client, question))
        found = _Answer[kind].model_validate(await plain_json(response))  # type: ignore[valid-type]
        if found.warnings:
            raise UnreadError(f"its answer is not whole: {found.warnings[0][:200]}")
        if found.is_partial:
            raise UnreadError("its answer is not whole, as it says itself")
        return found.data.result

    async def page(self, page: Configured[ScrapeSettings]) -> list[Sample]:
        """The values on a page, of the metrics that are to be kept.

        Raises:
            UnreadError: when it cannot be read or holds something else.
        """
        settings = page.settings
        accept = "application/openmetrics-text; version=1.0.0, text/plain; version=0.0.4;q=0.5"
        headers = {"Accept": accept, **page.headers()}
        response = await answer(
            self._client, HttpRequest(address=settings.address, headers=headers, seconds=settings.seconds)
        )
        return samples_in(response.content, settings.names, response.headers.get("Content-Type", ""))


def _buckets(answers: Sequence[Sequence[_Range]], seconds: int) -> tuple[Bucket, ...]:
    """The steps of which the mean, the lowest and the highest are known, and are numbers."""
    told = [{stamp: float(number) for one in ranges for stamp, number in one.values} for ranges in answers]
    means, lows, highs = told
    return tuple(
        Bucket(datetime.fromtimestamp(stamp - seconds / 2, UTC), mean, lows[stamp], highs[stamp])
        for stamp, mean in sorted(means.items())
        if stamp in lows and stamp in highs and all(map(math.isfinite, (mean, lows[stamp], highs[stamp])))
    )


def samples_in(body: bytes, names: tuple[str, ...], media: str = "") -> list[Sample]:
    """The values of some metrics on a page, in either text format.

    Args:
        body: the page.
        names: of the metrics.
        media: what the page says it is; one in OpenMetrics ends with a line that says so.

    Raises:
        UnreadError: when the page is in neither, or is not whole.
    """
    ended = media.startswith("application/openmetrics-text") or body.rstrip().endswith(_OPENMETRICS)
    parse = read_openmetrics if ended else read_prometheus
    if not ended and body and not body.endswith(b"\n"):
        raise UnreadError("its page is cut within a line")
    found: list[Sample] = []
    try:
        for family in parse(body.decode()):
            found += [
                Sample(sample.name, dict(sample.labels), bounded(sample.value), _stamp(sample.timestamp))
                for sample in family.samples
                if sample.name in names and not math.isnan(sample.value)
            ]
    except (ValueError, KeyError, IndexError, OverflowError, OSError) as exc:
        raise UnreadError("its page is not in the OpenMetrics text format") from exc
    if any("\0" in text for one in found for text in (*one.labels, *one.labels.values())):
        raise UnreadError("its page has labels that cannot be kept: they hold NUL")
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


def bounded(value: float) -> float:
    """A value as facts carry it: what is infinite as something larger than any limit."""
    return max(-ENDLESS, min(ENDLESS, value))


def series_of(samples: Iterable[tuple[Hashable, datetime, float]], at: datetime) -> tuple[Series, datetime]:
    """Samples of one or several series as one, and the instant as of which it says anything.

    Args:
        samples: of which series, when, what; by time within each series.
        at: the instant asked about.

    Raises:
        UnreadError: when there are more than are kept: some left out might be those that count.
    """
    last: dict[Hashable, tuple[datetime, float]] = {}
    points: list[tuple[datetime, float]] = []
    for series, when, value in samples:
        if not math.isnan(value):
            points.append((when, bounded(value)))
            last[series] = points[-1]
    if len(points) > _MOST:
        raise UnreadError(f"it shows more than {_MOST} values; ask for fewer series, or a shorter window")
    points.sort()
    lasts = tuple(value for _, value in last.values()) if len(last) > 1 else ()
    made = Series(values=tuple(value for _, value in points), last=lasts)
    return made, min((when for when, _ in last.values()), default=at)


def _stamp(seconds: SupportsFloat | None) -> datetime | None:
    return None if seconds is None else datetime.fromtimestamp(float(seconds), UTC)


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
