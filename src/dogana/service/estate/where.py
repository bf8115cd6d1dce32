"""Where is it? In which releases a ticket, commit, component or artifact is, and how far it has come."""

import asyncio
import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Literal

from dogana.core.document import Instant
from dogana.core.parts_list import not_all_parts
from dogana.core.versions import Version
from dogana.core.words import counted, sentence
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.estate.layout import Layout, layout
from dogana.service.estate.matrix import read_runs
from dogana.service.shapes import Named, View
from dogana.service.sources.registry import Sources, load
from dogana.store import Session, landscape, lookup
from dogana.store.estate import Runs
from dogana.store.lookup import Carries, Scan
from dogana.store.tables.landscape import ServiceRow
from dogana.store.tables.promotions import PENDING, State

Kind = Literal["ticket", "commit", "artifact", "component", "release"]

_MOST, _MOST_PARTS = 500, 5000
_COMMIT = re.compile(r"^[0-9a-f]{7,64}$")
_DIGEST = re.compile(r"^sha(256|512):[0-9a-f]{64,128}$")
_BELOW = re.compile(r"^(?P<name>\S.*?)\s*(?:(?P<how><|below|@)\s*(?P<version>\S+))?$")
_REPOSITORIES_AT_ONCE = 4


class Stop(View):
    """How far something has come at one environment."""

    environment: Named
    version: str
    """Of the release that holds it."""
    promotion: int | None
    state: Literal["runs", "landed", "moving", "halted", "waiting", "cleared", "taken back"]
    """`landed` where something else took its place since."""
    at: Instant | None
    """Since when it has been there; when it was asked for, of what has not landed."""
    says: str | None
    """What holds it there."""


class Track(View):
    """One service that something is in, along its route."""

    service: Named
    stops: list[Stop]
    missing: list[Named]
    """Environments of its route that it has not come to, nor is on its way to."""
    holds: list[str]
    """Of a component, the versions of it that run."""
    says: str
    """How far it has come, to go after the service's name."""


class Whereabouts(View):
    """Where something is."""

    asked: str
    kind: Kind | None
    """What it was taken for; absent where nothing holds it."""
    tracks: list[Track]
    unknown: list[str]
    """What could not be read, so that it may be in more; sentences."""


async def where(backend: Backend, actor: Actor, asked: str) -> Whereabouts:
    """Find something by what it is called; repositories are asked where it looks like a commit."""
    actor.must(Right.READ)
    wanted, now = asked.strip(), backend.clock()
    async with backend.database.transaction() as session:
        plan = await layout(session)
        runs = await read_runs(session, plan, now)
        sources = await load(backend, session)
        key = sources.ticket_key(wanted) or sources.ticket_key(wanted.upper())
        carriers = await lookup.bringing_ticket(session, key, _MOST) if key else []
        more = "promotions with it, of which these are the last"
        if carriers:
            return _told(asked, "ticket", tracks_of(carriers, plan, runs), _cut(carriers, _MOST, more))
        if _DIGEST.match(wanted.lower()):
            releases = await lookup.with_artifact(session, wanted.lower(), _MOST)
            carriers = await lookup.of_releases(session, releases, _MOST)
            tracks = tracks_of(carriers, plan, runs, itself=True)
            unread = _cut(carriers, _MOST, more) or _cut(releases, _MOST, "releases with it")
            return _told(asked, "artifact", tracks, unread)
        carriers = await _release(session, plan, wanted)
        if carriers:
            tracks = tracks_of(carriers, plan, runs, itself=True)
            return _told(asked, "release", tracks, _cut(carriers, _MOST, more))
        tracks, unknown = await _component(session, plan, runs, wanted)
        if tracks:
            return _told(asked, "component", tracks, unknown)
    if _COMMIT.match(wanted.lower()):
        return await _commit(backend, plan, runs, sources, asked, wanted.lower())
    return _told(asked, None, [], unknown)


def _told(asked: str, kind: Kind | None, tracks: Sequence[Track], unknown: Sequence[str]) -> Whereabouts:
    return Whereabouts(asked=asked, kind=kind if tracks else None, tracks=list(tracks), unknown=list(unknown))


async def _release(session: Session, plan: Layout, wanted: str) -> list[Carries]:
    """What brings a release that is named by service and version, or by its version alone."""
    *name, version = wanted.split() or [""]
    called = " ".join(name).casefold()
    asked = {
        (one.id, version)
        for one in plan.services
        if not called or called in (one.id.casefold(), one.title.casefold())
    }
    found = [release.id for release in (await landscape.releases_named(session, asked)).values()]
    return await lookup.of_releases(session, found, _MOST)


async def _component(
    session: Session, plan: Layout, runs: Mapping[tuple[str, str], Runs], wanted: str
) -> tuple[list[Track], list[str]]:
    """Where a component runs, of any version, of one (`name@1.2`), or of those below one (`name < 1.2`)."""
    named = _BELOW.match(wanted)
    if named is None:
        return [], []
    releases = {run.release for run in runs.values()}
    parts = await lookup.parts_named(session, named["name"], releases, _MOST_PARTS)
    unknown = _cut(parts, _MOST_PARTS, "components of that name")
    holding: dict[int, set[str]] = {}
    for part in parts:
        fits = _fits(part.version, named["how"], named["version"])
        if fits is None:
            unknown.append(f"{part.name} {part.version} cannot be compared with {named['version']}.")
        if fits is not False:
            holding.setdefault(part.release, set()).add(part.version)
    scans = await lookup.scans_of(session, releases)
    lists: dict[int, list[Scan]] = {}
    for scan in scans:
        if scan.kind == "components":
            lists.setdefault(scan.release, []).append(scan)
    tracks = []
    for service in plan.services:
        own = {place: run for place, run in runs.items() if place[0] == service.id}
        held = {place[1]: run for place, run in own.items() if run.release in holding}
        for release, version in sorted({(run.release, run.version) for run in own.values()}):
            unknown += [
                sentence(f"{service.title} {version}{why}") for why in _not_listed(lists.get(release, []))
            ]
        if held:
            versions = set().union(*(holding[run.release] for run in held.values()))
            tracks.append(_running(service, held, plan, sorted(versions)))
    return tracks, list(dict.fromkeys(unknown))


def _cut(found: Sequence[object], most: int, what: str) -> list[str]:
    """That there may be more than was looked at."""
    return (
        [f"There may be more than {most:,} {what}; others were not looked at."] if len(found) >= most else []
    )


def _not_listed(lists: Sequence[Scan]) -> list[str]:
    """Why a release may hold more than its lists of components name, to go after what it is called."""
    if not lists:
        return [" came with no list of components"]
    told = [(one.name, not_all_parts(one.counts, one.unknown, one.parts)) for one in lists]
    return [f": {name} {why}" for name, why in told if why]


def _fits(version: str, how: str | None, wanted: str | None) -> bool | None:
    """Whether a version is the one asked for, or below it; None where that cannot be told."""
    if how is None or wanted is None:
        return True
    if how == "@":
        return version == wanted
    try:
        return Version(version) < Version(wanted)
    except ValueError:
        return None


async def _commit(
    backend: Backend,
    plan: Layout,
    runs: Mapping[tuple[str, str], Runs],
    sources: Sources,
    asked: str,
    commit: str,
) -> Whereabouts:
    """Where what runs holds a commit, as each service's repository tells it."""
    async with backend.database.transaction() as session:
        revisions = await landscape.revisions(session, {run.release for run in runs.values()})
    few = asyncio.Semaphore(_REPOSITORIES_AT_ONCE)

    async def ask(service: ServiceRow) -> tuple[ServiceRow, frozenset[str], str | None]:
        own = {revisions[run.release] for (name, _), run in runs.items() if name == service.id}
        async with few:
            said = await backend.repositories.holding(sources.repository(service.repository), commit, own)
        return service, frozenset(said.value or ()), said.unknown

    # Where nothing runs, nothing that runs can hold it.
    running = [one for one in plan.services if any(name == one.id for name, _ in runs)]
    tracks, unknown = [], []
    for service, held, why in await asyncio.gather(*map(ask, running)):
        if why is not None:
            unknown.append(f"The repository of {service.title} could not be read: {why}.")
        there = {
            place: run
            for (name, place), run in runs.items()
            if name == service.id and revisions[run.release] in held
        }
        if there:
            tracks.append(_running(service, there, plan, []))
    return _told(asked, "commit", tracks, unknown)


def _running(service: ServiceRow, there: Mapping[str, Runs], plan: Layout, holds: list[str]) -> Track:
    stops = [
        Stop(
            environment=Named(id=column.id, name=column.name),
            version=there[column.id].version,
            promotion=there[column.id].promotion,
            state="runs",
            at=there[column.id].since,
            says=None,
        )
        for column in plan.columns
        if column.id in there
    ]
    return _track(service, stops, plan, holds)


def tracks_of(
    carriers: Iterable[Carries],
    plan: Layout,
    runs: Mapping[tuple[str, str], Runs],
    *,
    itself: bool = False,
) -> list[Track]:
    """What carries something, service by service; `itself` where nothing later holds it as well."""
    by_service: dict[str, list[Carries]] = {}
    for one in carriers:
        by_service.setdefault(one.service, []).append(one)
    tracks = []
    for service in plan.services:
        if service.id not in by_service:
            continue
        stops = []
        for column in plan.columns:
            own = [one for one in by_service[service.id] if one.environment == column.id]
            run = runs.get((service.id, column.id))
            stop = _stop(own, Named(id=column.id, name=column.name), run, itself=itself)
            stops += [stop] if stop is not None else []
        tracks.append(_track(service, stops, plan, []))
    return tracks


def _stop(own: Sequence[Carries], environment: Named, run: Runs | None, *, itself: bool) -> Stop | None:
    """How far it has come at an environment: it came in with the first that landed, else it is under way."""
    landed = sorted((one for one in own if one.landed_at), key=lambda one: one.landed_at or one.requested_at)
    if landed:
        first, versions = landed[0], {one.version for one in landed}
        back = run is not None and _went_back_past(run, landed)
        gone = back or (itself and run is not None and run.version not in versions)
        why = (
            f"{run.version} runs there{', which went back past it' if back else ''}" if gone and run else None
        )
        return _at(first, environment, "landed" if gone else "runs", first.landed_at, why)
    for one in own:
        if one.state in (*PENDING, State.MOVING, State.HALTED):
            return _at(one, environment, one.state, one.requested_at, one.sentence)
    taken = next((one for one in own if one.state == State.ROLLED_BACK), None)
    return _at(taken, environment, "taken back", taken.requested_at, None) if taken else None


def _went_back_past(run: Runs, landed: Sequence[Carries]) -> bool:
    """Whether what runs went back to a release that came in before anything that held it."""
    since = landed[0].landed_at
    return (
        run.kind == "rollback"
        and since is not None
        and run.since > since
        and run.version not in {one.version for one in landed}
    )


def _at(one: Carries, environment: Named, state: str, at: datetime | None, says: str | None) -> Stop:
    return Stop.model_validate(
        {
            "environment": environment,
            "version": one.version,
            "promotion": one.promotion,
            "state": state,
            "at": at,
            "says": says,
        }
    )


def _track(service: ServiceRow, stops: list[Stop], plan: Layout, holds: list[str]) -> Track:
    there = {one.environment.id for one in stops}
    route = next((one for one in plan.routes if one.id == service.route_id), None)
    missing = [
        Named(id=leg.environment_id, name=leg.environment.title)
        for leg in (route.legs if route else ())
        if leg.environment_id not in there
    ]
    return Track(
        service=Named(id=service.id, name=service.title),
        stops=stops,
        missing=missing,
        holds=holds,
        says=_in_words(stops, len(missing)),
    )


def _in_words(stops: Sequence[Stop], missing: int) -> str:
    """`runs in three environments, is on its way to one, has not come to one`."""
    runs = sum(one.state == "runs" for one in stops)
    coming = sum(one.state in ("waiting", "cleared", "moving", "halted") for one in stops)
    parts = [f"runs in {counted(runs, 'environment')}"] if runs else []
    parts += [f"is on its way to {counted(coming, 'environment')}"] if coming else []
    parts += [f"has not come to {counted(missing, 'environment')}"] if missing else []
    return ", ".join(parts) or "runs nowhere"
