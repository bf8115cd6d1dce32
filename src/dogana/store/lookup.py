"""Looking up which releases hold something: a component, a finding, a ticket, an artifact."""

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import case, delete, func, insert, literal, select
from sqlalchemy.dialects.postgresql import JSONB, distinct_on
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.core.findings import file_of
from dogana.store.database import among
from dogana.store.promotions import VERSION
from dogana.store.tables.estate import FindingRow, PartRow
from dogana.store.tables.landscape import ReleaseRow, ReportRow
from dogana.store.tables.promotions import PromotionRow

_SCANS = ("scan", "components")


async def keep(session: AsyncSession, report: ReportRow) -> None:
    """Let what a report lists be looked up, unless a later one of its name is there already."""
    latest = (
        select(ReportRow.id)
        .where(ReportRow.release_id == report.release_id, ReportRow.name == report.name)
        .order_by(ReportRow.produced_at.desc(), ReportRow.id.desc())
        .limit(1)
    )
    if await session.scalar(latest) != report.id:
        return
    for table in (PartRow, FindingRow):
        own = (table.release_id == report.release_id) & (table.report == report.name)
        await session.execute(delete(table).where(own))
    if report.kind not in _SCANS:
        return
    key = {"release_id": report.release_id, "report": report.name}
    parts = [
        key | {"n": n, "name": _text(one, "name"), "version": _text(one, "version")}
        for n, one in _listed(report.content, "parts")
    ]
    findings = [
        key
        | {
            "n": n,
            "severity": _text(one, "severity"),
            "name": _text(one, "name"),
            "file": file_of(_text(one, "where")),
            "place": _text(one, "where"),
            "message": _text(one, "message"),
        }
        for n, one in _listed(report.content, "findings")
    ]
    if parts:
        await session.execute(insert(PartRow), parts)
    if findings:
        await session.execute(insert(FindingRow), findings)


def _listed(content: dict[str, Any], what: str) -> list[tuple[int, dict[str, Any]]]:
    found = content.get(what)
    if not isinstance(found, list):
        return []
    return [(n, one) for n, one in enumerate(found, start=1) if isinstance(one, dict)]


def _text(one: dict[str, Any], key: str) -> str:
    return str(one.get(key) or "")[:500].replace("\x00", "")


class Part(NamedTuple):
    """A component of a release."""

    release: int
    name: str
    version: str


async def parts_named(session: AsyncSession, name: str, releases: Collection[int], most: int) -> list[Part]:
    """The components of a name that some releases hold; capitals do not count."""
    query = (
        select(PartRow.release_id, PartRow.name, PartRow.version)
        .where(func.lower(PartRow.name) == name.lower(), among(PartRow.release_id, releases))
        .order_by(PartRow.release_id, PartRow.version)
        .limit(most)
    )
    return [Part(*row) for row in await session.execute(query)]


class Found(NamedTuple):
    """Something that the scans of a release found."""

    release: int
    severity: str
    name: str
    file: str
    place: str
    message: str


async def findings_of(session: AsyncSession, releases: Collection[int]) -> list[Found]:
    """What the scans of some releases found."""
    query = select(
        FindingRow.release_id,
        FindingRow.severity,
        FindingRow.name,
        FindingRow.file,
        FindingRow.place,
        FindingRow.message,
    ).where(among(FindingRow.release_id, releases))
    return [Found(*row) for row in await session.execute(query)]


async def first_found(
    session: AsyncSession, services: Collection[str], names: Collection[str]
) -> dict[tuple[str, str, str], datetime]:
    """When each finding of some names was reported of a service first, by service, name and file."""
    query = (
        select(ReleaseRow.service_id, FindingRow.name, FindingRow.file, func.min(ReportRow.produced_at))
        .join(ReleaseRow, ReleaseRow.id == FindingRow.release_id)
        .join(
            ReportRow,
            (ReportRow.release_id == FindingRow.release_id) & (ReportRow.name == FindingRow.report),
        )
        .where(among(FindingRow.name, names), among(ReleaseRow.service_id, services))
        .group_by(ReleaseRow.service_id, FindingRow.name, FindingRow.file)
    )
    return {(service, name, file): at for service, name, file, at in await session.execute(query)}


class Scan(NamedTuple):
    """A scan of a release, or a list of its components, as far as it tells whether it is whole."""

    release: int
    name: str
    kind: str
    produced_at: datetime
    unknown: str | None
    counts: dict[str, Any]
    """Its content without what it lists."""
    findings: int
    parts: int


async def scans_of(session: AsyncSession, releases: Collection[int]) -> list[Scan]:
    """The latest scan of each name that came with some releases."""
    listed = (
        func.jsonb_array_length(
            case(
                (func.jsonb_typeof(ReportRow.content[what]) == "array", ReportRow.content[what]),
                else_=literal([], JSONB),
            )
        )
        for what in ("findings", "parts")
    )
    query = (
        select(
            ReportRow.release_id,
            ReportRow.name,
            ReportRow.kind,
            ReportRow.produced_at,
            ReportRow.unknown,
            ReportRow.content.op("-")("parts").op("-")("findings"),
            *listed,
        )
        .where(among(ReportRow.release_id, releases), ReportRow.kind.in_(_SCANS))
        .ext(distinct_on(ReportRow.release_id, ReportRow.name))
        .order_by(ReportRow.release_id, ReportRow.name, ReportRow.produced_at.desc(), ReportRow.id.desc())
    )
    return [Scan(*row) for row in await session.execute(query)]


class Carries(NamedTuple):
    """A promotion that brings something somewhere."""

    promotion: int
    service: str
    environment: str
    version: str
    state: str
    requested_at: datetime
    landed_at: datetime | None
    sentence: str | None
    """Why it waits; absent once it does not."""


async def bringing_ticket(session: AsyncSession, key: str, most: int) -> list[Carries]:
    """What brings a ticket anywhere, the latest asked for first."""
    return await _carrying(session, PromotionRow.ticket_keys.contains([key]), most)


async def bringing_tickets(
    session: AsyncSession, keys: Sequence[str], most: int
) -> list[tuple[str, Carries]]:
    """What brings some tickets anywhere, each with the ticket; the latest asked for first."""
    if not keys:
        return []
    condition = PromotionRow.ticket_keys.overlap(list(keys))
    wanted = set(keys)
    query = _CARRIES.add_columns(PromotionRow.ticket_keys).where(condition).limit(most)
    rows = [(Carries(*row[:-1]), row[-1]) for row in await session.execute(query)]
    return [(key, one) for one, own in rows for key in own if key in wanted][:most]


async def digests_of(session: AsyncSession, numbers: Sequence[int]) -> dict[int, dict[str, str | None]]:
    """What some promotions departed or ended on: the digests of their sheets and facts."""
    query = select(PromotionRow.number, PromotionRow.sheet_digest, PromotionRow.facts_digest).where(
        among(PromotionRow.number, numbers)
    )
    return {row[0]: {"sheet": row[1], "facts": row[2]} for row in await session.execute(query)}


async def of_releases(session: AsyncSession, releases: Sequence[int], most: int) -> list[Carries]:
    """What brings some releases anywhere, the latest asked for first."""
    return await _carrying(session, among(PromotionRow.release_id, releases), most)


async def with_artifact(session: AsyncSession, digest: str, most: int) -> list[int]:
    """The releases that hold an artifact of a digest."""
    query = select(ReleaseRow.id).where(ReleaseRow.artifacts.contains([{"digest": digest}]))
    return list(await session.scalars(query.order_by(ReleaseRow.id.desc()).limit(most)))


_CARRIES = select(
    PromotionRow.number,
    PromotionRow.service_id,
    PromotionRow.environment_id,
    VERSION,
    PromotionRow.state,
    PromotionRow.requested_at,
    PromotionRow.landed_at,
    PromotionRow.brief["sentence"].as_string(),
).order_by(PromotionRow.number.desc())


async def _carrying(session: AsyncSession, condition: Any, most: int) -> list[Carries]:
    return [Carries(*row) for row in await session.execute(_CARRIES.where(condition).limit(most))]
