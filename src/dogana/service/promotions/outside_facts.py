"""Asking the outside systems for what a promotion is inspected from."""

import asyncio
from dataclasses import dataclass
from datetime import datetime, timedelta

from dogana.core.change import Change, Origin
from dogana.core.facts import Facts, Monitor, Reading, Series, Ticket
from dogana.core.policy.document import Policy
from dogana.core.rules.base import Watched
from dogana.core.words import listed
from dogana.service.backend import Backend
from dogana.service.sources.registry import ReadOutcome, Sources
from dogana.service.sources.scraping import scraped
from dogana.sources.history import named_tickets
from dogana.sources.settings import MetricsSettings, RepositoryAt, ScrapeSettings

_MOST_TICKETS = 500

_CHANGE_GOOD_FOR = timedelta(minutes=10)
"""How long a change that was read counts while its repository cannot be reached."""


@dataclass(frozen=True, kw_only=True)
class FactsRequest:
    """What to ask about one promotion."""

    sources: Sources
    repository: RepositoryAt
    base: str | None
    """The revision that runs in the target; None for nothing."""
    revision: str
    names: str
    """Where tickets may be named besides the commits: the note and the branch asked for."""
    watched: tuple[Watched, ...]
    signatures_matter: bool
    """Whether the policy looks at who signed the commits."""
    origin_matters: bool
    """Whether the policy looks at where the revision stands in its repository."""

    @classmethod
    def between(cls, sources: Sources, repository: RepositoryAt, base: str, revision: str) -> "FactsRequest":
        """What lies between two commits, with its tickets, for the sake of no policy."""
        return cls(
            sources=sources,
            repository=repository,
            base=base,
            revision=revision,
            names="",
            watched=(),
            signatures_matter=False,
            origin_matters=False,
        )


@dataclass(frozen=True, kw_only=True)
class Outside:
    """What the outside systems said."""

    change: Reading[Change]
    origin: Reading[Origin] | None
    tickets: Reading[tuple[Ticket, ...]]
    monitors: tuple[Monitor, ...]
    key_forms: str | None = None
    """How the trackers' keys were written when tickets were looked for."""
    read: tuple[ReadOutcome, ...] = ()
    """How reading each source came out."""

    @classmethod
    def known(cls, facts: Facts) -> "Outside":
        """What they said when these facts were gathered."""
        return cls(
            change=facts.change,
            origin=facts.origin,
            tickets=facts.tickets,
            monitors=facts.monitors,
            key_forms=facts.key_forms,
        )

    @classmethod
    def unread(cls, at: datetime, why: str) -> "Outside":
        """That nobody ever asked them."""
        change = Reading[Change](source="the repository", read_at=at, unknown=why)
        tickets = Reading[tuple[Ticket, ...]](source="the ticket tracker", read_at=at, unknown=why)
        return cls(change=change, origin=None, tickets=tickets, monitors=())


def watched(policy: Policy, target: str, before: list[str]) -> tuple[Watched, ...]:
    """What the metrics server must be asked for the policy's sake, once each."""
    return tuple(dict.fromkeys(watched for rule in policy.rules for watched in rule.watched(target, before)))


async def gather(backend: Backend, asked: FactsRequest, known: Facts | None = None) -> Outside:
    """Ask the outside systems; takes as long as they take, holds no transaction.

    Args:
        backend: the sources.
        asked: what to ask.
        known: earlier facts. What they say of the change holds while its two ends are the same and the
            repository still has them; what they say of tickets holds for a while when a tracker fails.
    """
    change = await _change(backend, asked, known)
    read: list[ReadOutcome] = []
    if change.value is not None:
        found = {*change.value.ticket_keys, *named_tickets(asked.names)}
        named = tuple(sorted({key for one in found if (key := asked.sources.ticket_key(one))}))
        change = change.model_copy(update={"value": change.value.model_copy(update={"ticket_keys": named})})
        tickets = await _tickets(backend, asked, named, known, read)
    else:
        tickets = Reading[tuple[Ticket, ...]](
            source=change.source, read_at=change.read_at, unknown="the change could not be read"
        )
    monitors = await asyncio.gather(*(_monitor(backend, asked, one, read) for one in asked.watched))
    origin = (
        await backend.repositories.origin(asked.repository, asked.revision) if asked.origin_matters else None
    )
    return Outside(
        change=change,
        origin=origin,
        tickets=tickets,
        monitors=tuple(monitors),
        key_forms=asked.sources.key_forms,
        read=tuple(read),
    )


async def _change(backend: Backend, asked: FactsRequest, known: Facts | None) -> Reading[Change]:
    at = asked.repository
    before = known.change.value if known is not None else None
    if (
        known is None
        or before is None
        or (before.base, before.revision) != (asked.base, asked.revision)
        or (known.repository, known.paths or ()) != (at.address, at.paths)
        or known.key_forms != asked.sources.key_forms
        or (asked.signatures_matter and not before.signatures_read)
    ):
        return await _read_change(backend, asked)
    still = await backend.repositories.check(at, asked.revision)
    if still.value:
        return known.change.model_copy(update={"read_at": still.read_at})
    if still.value is None and still.read_at - known.change.read_at <= _CHANGE_GOOD_FOR:
        return known.change
    return await _read_change(backend, asked)


async def _read_change(backend: Backend, asked: FactsRequest) -> Reading[Change]:
    return await backend.repositories.change(
        asked.repository, asked.base, asked.revision, signatures=asked.signatures_matter
    )


async def _tickets(
    backend: Backend, asked: FactsRequest, keys: tuple[str, ...], known: Facts | None, read: list[ReadOutcome]
) -> Reading[tuple[Ticket, ...]]:
    """The tickets of every tracker; one that fails is what is said, unless what it said last still counts."""
    now = backend.clock()
    if len(keys) > _MOST_TICKETS:
        many = f"{len(keys)} tickets are named; {_MOST_TICKETS} are read"
        return Reading(source="the ticket tracker", read_at=now, unknown=many)
    by_tracker: dict[str, list[str]] = {}
    for key in keys:
        tracker = asked.sources.tracker_of(key)
        if tracker is None:
            return Reading(source="the ticket tracker", read_at=now, unknown=f"none is set up for {key}")
        by_tracker.setdefault(tracker.id, []).append(key)
    asking = [one for one in asked.sources.trackers if one.id in by_tracker]
    answers = await asyncio.gather(
        *(backend.tracker.tickets(one, tuple(by_tracker[one.id])) for one in asking)
    )
    read += [
        ReadOutcome(source=one.id, at=said.read_at, reason=said.unknown)
        for one, said in zip(asking, answers, strict=True)
    ]
    failed = next((n for n, said in enumerate(answers) if said.value is None), None)
    if failed is not None:
        last = known.tickets if known else None
        usable = last and last.value is not None and {one.key for one in last.value} == set(keys)
        if last and usable and now - last.read_at <= asking[failed].settings.good_for:
            return last
        return answers[failed]
    found = sorted((one for said in answers for one in said.value or ()), key=lambda one: one.key)
    source = listed([one.title for one in asking]) or "the ticket tracker"
    return Reading(
        source=source,
        read_at=min((said.read_at for said in answers), default=now),
        value=tuple(found),
    )


async def _monitor(
    backend: Backend, asked: FactsRequest, watched: Watched, read: list[ReadOutcome]
) -> Monitor:
    meter = asked.sources.meter(watched.source)
    if meter is None:
        called = f"no source {watched.source}" if watched.source else "no source of metrics"
        reading: Reading[Series] = Reading(
            source="the metrics source", read_at=backend.clock(), unknown=f"{called} is set up"
        )
    elif isinstance(meter.settings, ScrapeSettings):
        page = meter.of(ScrapeSettings)
        reading = await scraped(backend, page, watched.query, watched.environment, watched.window)
    else:
        server = meter.of(MetricsSettings)
        reading = await backend.metrics.series(server, watched.query, watched.environment, watched.window)
        read.append(ReadOutcome(source=meter.id, at=reading.read_at, reason=reading.unknown))
    return Monitor(
        environment=watched.environment,
        query=watched.query,
        window=watched.window,
        source=watched.source,
        reading=reading,
    )
