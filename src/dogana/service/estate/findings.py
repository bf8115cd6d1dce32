"""Findings followed up: what scans found in what runs, where, since when, and what mends it."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from dogana.core.document import Instant
from dogana.core.findings import Accepted, FindingKey, gravity
from dogana.core.kept_lists import not_all
from dogana.core.words import lasting, listed
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.estate.layout import Layout, layout
from dogana.service.estate.matrix import read_runs
from dogana.service.shapes import Named, View, named
from dogana.store import estate, findings, lookup, people, promotions
from dogana.store.estate import Runs
from dogana.store.lookup import Found, Scan
from dogana.store.tables.estate import AcceptedFindingRow

_MOST = 1000


class Mending(View):
    """A promotion under way whose release does not have the finding any more."""

    promotion: int
    version: str
    environment: Named


class AcceptedView(View):
    """That a finding is accepted, or that somebody asked for it."""

    id: int
    asked_by: Named
    granted_by: Named | None
    """Absent while a second person has to agree."""
    reason: str
    until: Instant
    holds: bool
    """Whether it covers the finding now."""
    mine_to_grant: bool


class FollowedFinding(View):
    """One finding of a service, wherever it runs."""

    service: Named
    name: str
    message: str
    severity: str
    file: str
    places: list[Named]
    since: Instant | None
    """When a scan reported it first."""
    age: str | None
    mended_by: list[Mending]
    accepted: AcceptedView | None


class Followed(View):
    """Every finding in what runs, the gravest first, and what is not known."""

    at: Instant
    lines: list[FollowedFinding]
    more: int
    """How many further ones there are."""
    unknown: list[str]
    """What was not scanned, or not wholly; sentences."""


async def followed(
    backend: Backend, actor: Actor, *, service: str | None, environment: str | None
) -> Followed:
    """What scans found in what runs now."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        plan = await layout(session)
        shown = plan.narrowed(services=[service] if service else None, environment=environment)
        runs = await read_runs(session, shown, now)
        waiting = [one for one in await estate.under_way(session) if (one.service, one.environment) in runs]
        releases = {run.release for run in runs.values()}
        coming = await promotions.releases_of(session, [one.promotion for one in waiting])
        everything = {*releases, *coming.values()}
        found = await lookup.findings_of(session, everything)
        scans = await lookup.scans_of(session, everything)
        first = await lookup.first_found(
            session, [one.id for one in shown.services], {one.name for one in found}
        )
        accepted = {
            FindingKey(one.service_id, one.name, one.file): one for one in await findings.standing(session)
        }
        names = await people.names(session)
    whole = _whole(scans)
    by_release: dict[int, list[Found]] = defaultdict(list)
    for one in found:
        by_release[one.release].append(one)
    mending: dict[str, list[tuple[Mending, int]]] = defaultdict(list)
    titles = {column.id: column.name for column in plan.columns}
    for move in waiting:
        if (release := coming[move.promotion]) in whole:
            comes = Mending(
                promotion=move.promotion, version=move.version, environment=named(move.environment, titles)
            )
            mending[move.service].append((comes, release))
    lines = [
        _line(key, some, shown, first, mending[key.service], by_release, accepted.get(key), actor, names, now)
        for key, some in _grouped(runs.values(), by_release).items()
    ]
    lines.sort(key=lambda one: (gravity(one.severity), one.since or now, one.service.name, one.name))
    return Followed(
        at=now,
        lines=lines[:_MOST],
        more=max(len(lines) - _MOST, 0),
        unknown=_unknown(runs.values(), scans, shown),
    )


Where = tuple[Runs, Found]


def _grouped(runs: Iterable[Runs], by_release: Mapping[int, list[Found]]) -> dict[FindingKey, list[Where]]:
    found: dict[FindingKey, list[Where]] = defaultdict(list)
    for run in runs:
        for one in by_release.get(run.release, ()):
            found[FindingKey(run.service, one.name, one.file)].append((run, one))
    return found


def _line(
    key: FindingKey,
    some: Sequence[Where],
    shown: Layout,
    first: Mapping[tuple[str, str, str], datetime],
    mending: Sequence[tuple[Mending, int]],
    by_release: Mapping[int, list[Found]],
    row: AcceptedFindingRow | None,
    actor: Actor,
    names: Mapping[str, str],
    now: datetime,
) -> FollowedFinding:
    worst = min((one for _, one in some), key=lambda one: gravity(one.severity))
    ids = {run.environment for run, _ in some}
    since = first.get((key.service, key.name, key.file))
    return FollowedFinding(
        service=next(Named(id=one.id, name=one.title) for one in shown.services if one.id == key.service),
        name=key.name,
        message=worst.message,
        severity=worst.severity,
        file=key.file,
        places=[Named(id=column.id, name=column.name) for column in shown.columns if column.id in ids],
        since=since,
        age=lasting(now - since) if since else None,
        mended_by=[
            comes
            for comes, release in mending
            if comes.environment.id in ids
            and not any((one.name, one.file) == key[1:] for one in by_release.get(release, ()))
        ],
        accepted=accepted_view(row, worst.severity, actor, names, now) if row else None,
    )


def accepted_of(row: AcceptedFindingRow) -> Accepted:
    """What is accepted, for the core."""
    return Accepted(severity=row.severity, until=row.until, granted_at=row.granted_at, ended_at=row.ended_at)


def accepted_view(
    row: AcceptedFindingRow, severity: str, actor: Actor, names: Mapping[str, str], now: datetime
) -> AcceptedView:
    """That a finding as grave as this is accepted, as somebody sees it."""
    waits = row.granted_at is None and now < row.until
    return AcceptedView(
        id=row.id,
        asked_by=named(row.asked_by_id, names),
        granted_by=named(row.granted_by_id, names) if row.granted_by_id else None,
        reason=row.reason,
        until=row.until,
        holds=accepted_of(row).holds(severity, now),
        mine_to_grant=waits and Right.DECIDE in actor.rights and actor.id != row.asked_by_id,
    )


def severity_where_it_runs(key: FindingKey, runs: Iterable[Runs], found: Iterable[Found]) -> str | None:
    """How grave a finding is at its worst where it runs; None where it runs nowhere."""
    by_release: dict[int, list[Found]] = defaultdict(list)
    for one in found:
        by_release[one.release].append(one)
    some = _grouped(runs, by_release).get(key, [])
    return min((one.severity for _, one in some), key=gravity, default=None)


def not_whole(scan: Scan) -> str | None:
    """Why what a scan lists may not be all; None where it is."""
    if scan.unknown:
        return f"cannot be relied on: {scan.unknown}"
    return not_all(scan.counts, "findings", scan.findings)


def _whole(scans: Iterable[Scan]) -> set[int]:
    """The releases of which what scans list is all there is."""
    good: dict[int, bool] = {}
    for one in scans:
        if one.kind == "scan" or "critical" in one.counts:
            good[one.release] = good.get(one.release, True) and not_whole(one) is None
    return {release for release, well in good.items() if well}


def _unknown(runs: Iterable[Runs], scans: Iterable[Scan], shown: Layout) -> list[str]:
    by_release: dict[int, list[Scan]] = defaultdict(list)
    for one in scans:
        by_release[one.release].append(one)
    places: dict[int, list[Runs]] = defaultdict(list)
    for run in runs:
        places[run.release].append(run)
    services = {one.id: one.title for one in shown.services}
    titles = {column.id: column.name for column in shown.columns}
    said = []
    for release, some in places.items():
        where = listed(sorted(titles[run.environment] for run in some))
        name = f"{services[some[0].service]} {some[0].version}, which runs in {where}"
        own = by_release.get(release, [])
        if not any(one.kind == "scan" for one in own):
            said.append(f"{name}, came with no scan.")
        said += [f"{one.name} of {name}, {why}." for one in own if (why := not_whole(one))]
    return sorted(said)
