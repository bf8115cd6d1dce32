"""The evidence that comes with releases: what it says, and the file it was read from."""

from dataclasses import dataclass
from datetime import datetime

from dogana.core.errors import InvalidError, NotFoundError, UnknownNameError
from dogana.core.facts import Report, in_the_future
from dogana.core.record.actions import Action
from dogana.core.record.canonical import digest, digest_bytes
from dogana.core.words import spoken
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.sources.reports import FORMATS, LARGEST, Format, content_of
from dogana.sources.reports.common import Content
from dogana.store import Session, landscape, lookup, schedule
from dogana.store.tables.landscape import ReleaseRow, ReportFileRow, ReportRow

_MOST_CONTENT = 256 << 10
"""Bytes of what is said of a report without the file it was read from."""


@dataclass(frozen=True, kw_only=True)
class File:
    """A file as it was sent."""

    name: str
    media_type: str
    body: bytes


@dataclass(frozen=True, kw_only=True)
class SentReport:
    """A report as somebody sends it, before it is read."""

    name: str
    form: Format
    file: File
    produced_at: datetime | None
    """When the sender says that it was made; now where they say nothing."""
    by: str
    """Who made it; empty where the sender does not say."""


async def attach(
    backend: Backend, actor: Actor, service: str, version: str, report: Report, file: File | None = None
) -> None:
    """Keep a piece of evidence with a release; a later one of the same name takes its place.

    Raises:
        UnknownNameError: for a release that is not on record.
        InvalidError: for one that is dated after now: it would be the latest for good; or too large.
    """
    actor.must(Right.REQUEST)
    now = backend.clock()
    if in_the_future(report.produced_at, now):
        raise InvalidError("Evidence is not dated after now.", fields=[("/produced_at", "has not come yet")])
    if file is None and len(report.model_dump_json()) > _MOST_CONTENT:
        most = f"at most {_MOST_CONTENT >> 10} KiB; more is sent as the file it came in"
        raise InvalidError("The content of a report is too large.", fields=[("/content", most)])
    async with backend.database.transaction() as session:
        await write_report(session, actor, await _release(session, service, version), report, file, now)
        schedule.inspection(session, now, service=service)


async def write_report(
    session: Session, actor: Actor, release: ReleaseRow, report: Report, file: File | None, now: datetime
) -> None:
    """Keep a piece of evidence with a release, and record it."""
    row = ReportRow(
        release_id=release.id,
        name=report.name,
        kind=report.kind,
        produced_at=report.produced_at,
        made_by=report.maker or (report.by if report.by != actor.name else None),
        sent_by=actor.name,
        sender_id=actor.id,
        unknown=report.unknown,
        content=report.content,
        link=report.link,
    )
    session.add(row)
    await session.flush()
    await lookup.keep(session, row)
    details = {
        "evidence": report.name,
        "kind": report.kind,
        "service": release.service.id,
        "version": release.version,
        "content": digest(report.content),
    }
    if file is not None:
        made = ReportFileRow(
            report_id=row.id,
            name=file.name,
            media_type=file.media_type,
            digest=digest_bytes(file.body),
            size=len(file.body),
            body=file.body,
        )
        session.add(made)
        details["file"] = made.digest
    says = f"{actor.name} attached {spoken(report.name)} to {release.service.title} {release.version}."
    record(session, actor, Action.ATTACH, says, now, details=details)


async def upload(
    backend: Backend,
    actor: Actor,
    service: str,
    version: str,
    sent: SentReport,
) -> Report:
    """Read a report and keep it, with its bytes, with a release.

    Raises:
        UnusableReportError: when it is not what it is said to be.
        UnknownNameError: for a release that is not on record.
    """
    actor.must(Right.REQUEST)
    report = await read_report(backend, actor, sent)
    await attach(backend, actor, service, version, report, sent.file)
    return report


async def read_report(backend: Backend, actor: Actor, sent: SentReport) -> Report:
    """What a report says that somebody sends.

    Raises:
        UnusableReportError: when it is not what it is said to be.
    """
    if len(sent.file.body) > LARGEST:
        raise InvalidError(f"A report is at most {LARGEST >> 20} MiB.")
    if not sent.file.body:
        raise InvalidError("There is nothing in it.")
    read = await backend.pool.run(content_of, sent.form, sent.file.body)
    if sent.form == "file":
        body = sent.file.body
        read = Content(content={"file": sent.file.name, "size": len(body), "digest": digest_bytes(body)})
    return Report.model_validate(
        {
            "name": sent.name,
            "kind": FORMATS[sent.form].kind,
            "produced_at": sent.produced_at or backend.clock(),
            "by": actor.name,
            "sender": actor.id,
            "maker": sent.by or None,
            "content": read.content,
            "unknown": read.unknown,
        }
    )


async def raw(backend: Backend, actor: Actor, service: str, version: str, name: str) -> File:
    """The file that the latest evidence of a name was read from.

    Raises:
        NotFoundError: when there is none, or it came without a file.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        release = await _release(session, service, version)
        row = next((one for one in await landscape.reports(session, release.id) if one.name == name), None)
        file = await landscape.report_file(session, row.id) if row else None
        if file is None:
            raise NotFoundError(f"{service} {version} has no file {name}.")
        return File(name=file.name, media_type=file.media_type, body=file.body)


async def _release(session: Session, service: str, version: str) -> ReleaseRow:
    release = await landscape.release(session, service, version)
    if release is None:
        raise UnknownNameError(f"{service} {version} is not on record.", fields=[("/version", "unknown")])
    return release
