"""The sources: setting them up, their state, and what they are to the rest as they were set up."""

import re
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, cast

import structlog
from pydantic import ValidationError

from dogana.core.document import Instant
from dogana.core.errors import InvalidError, NotFoundError, SealingError
from dogana.core.faults import reason
from dogana.core.record.actions import Action
from dogana.core.record.canonical import digest_of_plain
from dogana.core.words import lower_first
from dogana.service import dual_control
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.counting import SOURCE_READS
from dogana.service.dual_control import ALONE, CONFIRMED, ProposedChange
from dogana.service.ledger.entries import record
from dogana.service.preconditions import Seen
from dogana.service.sealing import about_source
from dogana.service.shapes import ChangeOutcome, View
from dogana.sources.settings import (
    SETTINGS,
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
from dogana.store import Session, calendars, schedule, sources
from dogana.store.database import hold
from dogana.store.tables.sources import SourceRow


class SourceView(View):
    """A source as it was set up, and how reading it goes; its secret is never shown."""

    id: str
    kind: SourceKind
    title: str
    settings: dict[str, Any]
    has_secret: bool
    version: int
    read_at: Instant | None
    """When it was last read well."""
    failing_since: Instant | None
    reason: str | None


_log = structlog.get_logger("dogana.sources")
_SEEN_AGAIN = timedelta(seconds=30)

_A_KEY = re.compile(r"^[A-Z][A-Z0-9]+-[0-9]+$")
"""What is a ticket's key wherever none is set up that claims it."""


@dataclass(frozen=True, kw_only=True)
class ReadOutcome:
    """How reading a source came out."""

    source: str
    at: datetime
    reason: str | None
    """Why it could not be read; None where it could."""


@dataclass(frozen=True, kw_only=True)
class Sources:
    """The sources that facts are gathered from."""

    trackers: tuple[Configured[TrackerSettings], ...]
    meters: tuple[Configured[MetricsSettings | ScrapeSettings], ...]
    repositories: tuple[Configured[GitSettings], ...]

    def tracker_of(self, key: str) -> Configured[TrackerSettings] | None:
        """The tracker that a ticket is kept in: by its project, else one that claims no projects."""
        able = [one for one in self.trackers if one.settings.key_in(key) == key]
        return next((one for one in able if one.settings.projects), None) or next(iter(able), None)

    def ticket_key(self, named: str) -> str | None:
        """The key of a ticket that a text names, where it is one of a tracker's, or looks like one's."""
        found = (one.settings.key_in(named) for one in self.trackers)
        return next((key for key in found if key), None) or (named if _A_KEY.match(named) else None)

    @property
    def key_forms(self) -> str | None:
        """The digest of how keys are written that are not in capitals; None where all are.

        Once it is another, what was a word may be a key.
        """
        odd = [
            [one.id, one.settings.letters, one.settings.numbered, *one.settings.projects]
            for one in self.trackers
            if one.settings.numbered or one.settings.letters != "upper"
        ]
        return digest_of_plain(odd) if odd else None

    def meter(self, name: str | None) -> Configured[MetricsSettings | ScrapeSettings] | None:
        """The source of metrics of a name, or the first."""
        return next((one for one in self.meters if name in (None, one.id)), None)

    def repository(self, address: str, paths: tuple[str, ...] = ()) -> RepositoryAt:
        """A repository with what is sent to it, and the paths in it that count."""
        sent = next((one for one in self.repositories if one.settings.holds(address)), None)
        # Without its secret it is asked as by anybody, and says no.
        headers = sent.headers() if sent is not None and sent.shut is None else {}
        return RepositoryAt(address, tuple(headers.items()), paths)


async def load(backend: Backend, session: Session) -> Sources:
    """Every source as it was set up."""
    made = [configured(backend, row) for row in await sources.sources(session)]

    def of(kind: type[SourceSettings]) -> tuple[Any, ...]:
        return tuple(one for one in made if isinstance(one.settings, kind))

    servers = sorted(of(MetricsSettings), key=lambda one: not one.settings.prefer)
    return Sources(
        trackers=of(TrackerSettings), meters=(*servers, *of(ScrapeSettings)), repositories=of(GitSettings)
    )


def configured(backend: Backend, row: SourceRow) -> Configured[SourceSettings]:
    """A source with its secret opened."""
    settings = SETTINGS[cast("SourceKind", row.kind)].model_validate(row.settings)
    try:
        secret = backend.sealer.open(row.secret, about_source(row.id)) if row.secret else None
    except SealingError as exc:
        # Only what is asked of this one cannot be known.
        return Configured(row.id, row.title, settings, shut=lower_first(exc.detail).rstrip("."))
    return Configured(row.id, row.title, settings, secret)


async def opened(backend: Backend, session: Session, name: str) -> str | None:
    """The secret of a source as it is, to be compared; None where it has none."""
    row = await sources.source(session, name)
    return configured(backend, row).secret if row is not None else None


async def note(session: Session, read: Iterable[ReadOutcome]) -> None:
    """Keep how reading sources came out, as far as it is news; of several readings of one, that it failed."""
    by_source = {one.source: one for one in sorted(read, key=lambda one: one.reason is not None)}
    for row in await sources.sources(session, by_source):
        one = by_source[row.id]
        if (
            one.reason is None
            and row.reason is None
            and row.read_at is not None
            and (one.at - row.read_at < _SEEN_AGAIN)
        ):
            continue
        if one.reason is None:
            if row.reason is not None:
                _log.info("source heals", source=row.id, failed_since=row.failing_since)
            row.read_at, row.failing_since, row.reason = one.at, None, None
        elif row.reason != one.reason:
            row.failing_since, row.reason = row.failing_since or one.at, one.reason
            _log.warning("source fails", source=row.id, reason=one.reason)
        SOURCE_READS.labels(row.id, "read" if one.reason is None else "failed").inc()


def settings_of(kind: SourceKind, given: dict[str, Any]) -> SourceSettings:
    """Settings of a kind of source.

    Raises:
        InvalidError: naming each field that cannot be used.
    """
    try:
        return SETTINGS[kind].model_validate(given)
    except ValidationError as exc:
        faults = [
            ("/settings/" + "/".join(map(str, error["loc"])), reason(error))
            for error in exc.errors(include_url=False)
        ]
        raise InvalidError("The settings cannot be used.", fields=faults) from exc


async def all_sources(backend: Backend, actor: Actor) -> list[SourceView]:
    """Every source with its state."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [view(row) for row in await sources.sources(session)]


class KeptSource(ChangeOutcome):
    """What came of setting up a source."""

    version: int | None = None
    """Which version it is now, once it is made."""


async def keep(
    backend: Backend,
    actor: Actor,
    name: str,
    *,
    kind: SourceKind,
    title: str,
    settings: dict[str, Any],
    secret: str | None,
    expected: Seen | None,
) -> KeptSource:
    """Set up a source, or change it.

    What it is called and what authenticates us act at once. Where it is asked and how its answers are read
    is what policies go by: that takes a second person, for one that is new as for one that is changed, since
    what was taken away can be set up again.

    Args:
        backend: the outside.
        actor: who.
        name: its id.
        kind: what it is; never changed.
        title: what people call it.
        settings: those of its kind.
        secret: what authenticates us; the one kept where None, none where empty.
        expected: what the caller has seen of it, if they say.

    Raises:
        ChangedError: when it is another version by now.
        InvalidError: when the settings cannot be used.
        ConflictError: while another change of it waits.
    """
    actor.must(Right.ADMINISTER)
    usable = settings_of(kind, settings)
    async with backend.database.transaction() as session:
        await hold(session, "sources held")
        row = await sources.source(session, name, lock=True)
        if expected is not None:
            expected.must_be(str(row.version) if row is not None else None)
        old = _as_set_up(row)
        new = {"kind": kind, "title": title, "settings": usable.plain()}
        says = f"a change of how {title} is read" if old else f"{title}, a new source that policies may go by"
        change = ProposedChange(kind="source", subject=name, title=says, old=old, new=new, secret=secret)
        await _must_be_sound(session, row, change)
        read_otherwise = old is None or old["settings"] != new["settings"]
        waits = await dual_control.ask(backend, session, actor, change) if read_otherwise else None
        if waits is not None:
            return KeptSource(waits=waits)
        version = await _set(backend, session, actor, change, ALONE if read_otherwise else "")
        return KeptSource(alone=read_otherwise, version=version)


async def confirmed(backend: Backend, session: Session, actor: Actor, change: ProposedChange) -> None:
    """Set up a source as it was confirmed.

    Raises:
        ConflictError: when it is not as it was any more.
        InvalidError: when it cannot be set up like this any more.
    """
    await hold(session, "sources held")
    row = await sources.source(session, change.subject, lock=True)
    dual_control.must_be_as_it_was(_as_set_up(row), change)
    await _must_be_sound(session, row, change)
    await _set(backend, session, actor, change, CONFIRMED)


def _as_set_up(row: SourceRow | None) -> dict[str, Any] | None:
    return {"kind": row.kind, "title": row.title, "settings": row.settings} if row is not None else None


async def _must_be_sound(session: Session, row: SourceRow | None, change: ProposedChange) -> None:
    wanted = change.new or {}
    usable = settings_of(wanted["kind"], wanted["settings"])
    if row is not None and row.kind != wanted["kind"]:
        raise InvalidError("What a source is stays as it is.", fields=[("/kind", f"is {row.kind}")])
    if row is not None and change.secret is None:
        must_stay(row, wanted["kind"], usable)
    _may_follow(usable, row, await calendars.calendars(session))


async def _set(backend: Backend, session: Session, actor: Actor, change: ProposedChange, how: str) -> int:
    now, name, secret, new = backend.clock(), change.subject, change.secret, change.new or {}
    row = await sources.source(session, name)
    if row is None:
        row = SourceRow(id=name, kind=new["kind"], version=0, secret=None)
        session.add(row)
    row.title, row.settings, row.version = new["title"], new["settings"], row.version + 1
    row.failing_since = row.reason = None
    if secret is not None:
        row.secret = backend.sealer.seal(secret, about_source(name)) if secret else None
    says = f"{actor.name} set up the source {row.title}.{how}"
    details = {"source": name, "kind": row.kind, "old": change.old, "new": new, "secret": _of_secret(secret)}
    record(session, actor, Action.SET_SOURCE, says, now, details=details)
    schedule.inspection(session, now)
    await session.flush()
    return row.version


async def drop(backend: Backend, actor: Actor, name: str) -> None:
    """Take a source away.

    Raises:
        NotFoundError: when there is none.
    """
    actor.must(Right.ADMINISTER)
    now = backend.clock()
    async with backend.database.transaction() as session:
        await hold(session, "sources held")
        row = await sources.source(session, name, lock=True)
        if row is None:
            raise NotFoundError(f"There is no source {name}.")
        await session.delete(row)
        says = f"{actor.name} took the source {row.title} away."
        details = {"source": name, "kind": row.kind, "old": _as_set_up(row), "new": None}
        record(session, actor, Action.DROP_SOURCE, says, now, details=details)
        schedule.inspection(session, now)


def view(row: SourceRow) -> SourceView:
    """A source without its secret."""
    return SourceView(
        id=row.id,
        kind=cast("SourceKind", row.kind),
        title=row.title,
        settings=row.settings,
        has_secret=row.secret is not None,
        version=row.version,
        read_at=row.read_at,
        failing_since=row.failing_since,
        reason=row.reason,
    )


def must_stay(row: SourceRow, kind: SourceKind, settings: SourceSettings) -> None:
    """See that a secret which is kept is sent nowhere but where it was meant for.

    Raises:
        InvalidError: when these settings would send it elsewhere.
    """
    if row.secret is None:
        return
    kept = settings_of(cast("SourceKind", row.kind), row.settings)
    if row.kind != kind or _goes_to(kept) != _goes_to(settings):
        raise InvalidError(
            "The secret that is kept was meant for another address.",
            fields=[("/secret", "type it again, for where it goes now")],
        )


def _goes_to(settings: SourceSettings) -> tuple[str, str, str | None]:
    address: str = getattr(settings, "address")  # noqa: B009 - each kind has one, of its own type
    return address, settings.header, settings.user


def _of_secret(secret: str | None) -> str:
    return "kept" if secret is None else "set anew" if secret else "none"


def _may_follow(settings: SourceSettings, row: SourceRow | None, calendars: Collection[str]) -> None:
    """See that no calendar which policy owners keep is set from an address instead.

    Raises:
        InvalidError: when it would be.
    """
    if not isinstance(settings, CalendarSettings):
        return
    if row is not None and settings.calendar == row.settings.get("calendar"):
        return
    if settings.calendar in calendars:
        raise InvalidError(
            "That calendar is kept by policy owners. Follow the address in a new one that policies name.",
            fields=[("/settings/calendar", "is kept by policy owners")],
        )
