"""One look at what watches a course: the metrics server is asked, or the address itself."""

import asyncio
import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import quote

import structlog
from jsonpointer import JsonPointerException, resolve_pointer

from dogana.core.facts import Reading
from dogana.core.health.counters import Answer
from dogana.core.health.readings import Arm, Look
from dogana.core.health.watches import (
    ComparedQuantileWatch,
    ComparedShareWatch,
    LevelWatch,
    ProbeWatch,
    QuantileWatch,
    ShareWatch,
    Watch,
)
from dogana.service.backend import Backend
from dogana.service.sources.registry import ReadOutcome, Sources
from dogana.sources.http import HttpRequest, NotAskedError, UnreadError, ask, plain_json
from dogana.sources.settings import MetricsSettings, ScrapeSettings

_log = structlog.get_logger("dogana.worker")
_PLAIN_VERSION = re.compile(r"^[A-Za-z0-9][A-Za-z0-9._+~:-]*$")
_LONGEST = 280
_SHOWN = 60


@dataclass(frozen=True, kw_only=True)
class Subject:
    """What is looked at."""

    environment: str
    service: str
    version: str
    incumbent: str | None
    """The version whose place it takes; None where none ran there."""


@dataclass(frozen=True, kw_only=True)
class Looked:
    """What one round of looks found, and how the sources did."""

    looks: tuple[Look, ...]
    read: tuple[ReadOutcome, ...]


class UnaskableError(Exception):
    """A query that cannot be put; its text says why."""


async def look_at(
    backend: Backend, sources: Sources, subject: Subject, watches: Sequence[Watch], at: datetime
) -> Looked:
    """Ask for everything at once; what cannot be read says why, and holds up nothing else."""
    read: list[ReadOutcome] = []
    looks = await asyncio.gather(*(_look(backend, sources, subject, one, at, read) for one in watches))
    return Looked(looks=tuple(looks), read=tuple(read))


async def _look(
    backend: Backend,
    sources: Sources,
    subject: Subject,
    watch: Watch,
    at: datetime,
    read: list[ReadOutcome],
) -> Look:
    try:
        if isinstance(watch, ProbeWatch):
            failed = await _probe(backend, subject, watch)
            return Look(at=at, monitor=watch.name, failed=failed[:_LONGEST])
        versions = [subject.version, subject.incumbent] if watch.compared else [subject.version]
        arms = [await _arm(backend, sources, subject, watch, one, at, read) for one in versions]
        return Look(
            at=at, monitor=watch.name, candidate=arms[0], incumbent=arms[-1] if watch.compared else Arm()
        )
    except (UnaskableError, UnreadError) as exc:
        return Look(at=at, monitor=watch.name, unknown=str(exc)[:_LONGEST] or "it cannot be read")
    except Exception as exc:  # noqa: BLE001 - what one monitor is answered hides nothing from another
        _log.warning("a look failed", monitor=watch.name, exc_info=True)
        return Look(at=at, monitor=watch.name, unknown=f"it cannot be judged ({type(exc).__name__})")


async def _arm(
    backend: Backend,
    sources: Sources,
    subject: Subject,
    watch: Watch,
    version: str | None,
    at: datetime,
    read: list[ReadOutcome],
) -> Arm:
    """What is counted of one version."""
    if version is None:
        raise UnaskableError("nothing ran there before that it could be compared with")

    async def answer(query: str) -> Answer:
        return await _asked(backend, sources, watch.source, put_into(query, subject, version), at, read)

    match watch:
        case ShareWatch() | ComparedShareWatch():
            bad, every = await asyncio.gather(answer(watch.bad), answer(watch.all))
            return Arm(bad=bad, all=every)
        case QuantileWatch() | ComparedQuantileWatch():
            return Arm(buckets=await answer(watch.buckets))
        case LevelWatch():
            return Arm(level=await answer(watch.query))
        case ProbeWatch():
            raise UnaskableError("a probe asks no metrics source")


async def _asked(
    backend: Backend,
    sources: Sources,
    source: str | None,
    query: str,
    at: datetime,
    read: list[ReadOutcome],
) -> Answer:
    meter = sources.meter(source)
    if meter is None:
        raise UnaskableError(f"no source {source or 'of metrics'} is set up")
    if isinstance(meter.settings, ScrapeSettings):
        raise UnaskableError(f"{meter.title} is a page, which cannot be asked while a release goes in")
    reading: Reading[Answer] = await backend.metrics.vector(meter.of(MetricsSettings), query, at)
    read.append(ReadOutcome(source=meter.id, at=reading.read_at, reason=reading.unknown))
    if reading.value is None:
        raise UnreadError(f"{meter.title}: {reading.unknown}")
    return reading.value


def put_into(query: str, subject: Subject, version: str) -> str:
    """A query with what its names stand for.

    Raises:
        UnaskableError: for a version that would not stay inside its quotation marks.
    """
    for one in (version, subject.incumbent or version):
        if not _PLAIN_VERSION.match(one):
            raise UnaskableError(f"the version {one[:_SHOWN]!r} cannot be put into a query")
    return (
        query.replace("$environment", subject.environment)
        .replace("$service", subject.service)
        .replace("$version", version)
        .replace("$incumbent", subject.incumbent or "")
    )


async def _probe(backend: Backend, subject: Subject, watch: ProbeWatch) -> str:
    """How one request of our own failed; empty where it did not.

    Raises:
        NotAskedError: for an address that cannot be asked, which the newcomer is not to blame for.
    """
    address = watch.address.replace("$environment", quote(subject.environment, safe="")).replace(
        "$version", quote(subject.version, safe="")
    )
    asked = HttpRequest(address=address, seconds=watch.within.total_seconds(), tries=1)
    try:
        response = await ask(backend.client, asked)
    except NotAskedError:
        raise
    except UnreadError as exc:
        return str(exc)
    if response.status_code != watch.status:
        return f"status {response.status_code} instead of {watch.status}"
    if watch.pointer is None:
        # In UTF-8 whatever it says of itself: it may name an encoding that nobody can read.
        held = watch.holds is None or watch.holds in response.content.decode(errors="replace")
        return "" if held else f"the answer does not hold {watch.holds!r}"
    try:
        found = resolve_pointer(await plain_json(response), watch.pointer)
        said = found if isinstance(found, str) else json.dumps(found)
    except (ValueError, TypeError, JsonPointerException):
        return f"there is nothing at {watch.pointer} in the answer"
    return "" if watch.holds is None or said == watch.holds else f"{watch.pointer} is {said[:_SHOWN]}"
