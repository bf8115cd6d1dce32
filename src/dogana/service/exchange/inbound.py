"""Events from other systems: CloudEvents in the CDEvents vocabulary, signed (Standard Webhooks).

An event is taken once, however often it comes; one that comes before what it is about waits for it.
"""

import asyncio
import binascii
import re
from contextlib import suppress
from datetime import datetime, timedelta
from typing import Any
from urllib.parse import parse_qsl, urlsplit

import structlog
from cloudevents.core.base import BaseCloudEvent
from cloudevents.core.bindings.http import HTTPMessage, from_http
from cloudevents.core.exceptions import BaseCloudEventException
from cloudevents.core.formats.json import JSONFormat
from packageurl import PackageURL
from pydantic import ValidationError
from standardwebhooks.webhooks import Webhook, WebhookVerificationError

from dogana.core.document import Instant
from dogana.core.errors import (
    AwayError,
    BusyError,
    DoganaError,
    InvalidError,
    MovedOnError,
    NotFoundError,
    SignedOutError,
    UnknownNameError,
)
from dogana.core.facts import Artifact, Report, in_the_future
from dogana.core.policy.text import UnreadableTextError, refuse_double
from dogana.core.words import lower_first
from dogana.service.actor import Actor, Right, actor_of
from dogana.service.backend import Backend
from dogana.service.delivery import course
from dogana.service.landed import incidents
from dogana.service.landed.incidents import Told
from dogana.service.landscape import evidence, releases
from dogana.service.landscape.releases import artifacts_of
from dogana.service.promotions import checks
from dogana.service.promotions.checks import CheckResult
from dogana.service.sealing import about_party
from dogana.service.shapes import View
from dogana.store import exchange, people, promotions
from dogana.store.tables.exchange import ArrivalRow


class ArrivalView(View):
    """An event that came, and what followed from it."""

    source: str
    id: str
    sender: str
    type: str
    arrived_at: Instant
    state: str
    """Taken, waiting or refused."""
    says: str


LARGEST = 1 << 20

_IN_BODY = re.compile(r"^application/cloudevents\+json\s*(;|$)", re.IGNORECASE)
"""Structured mode (CloudEvents HTTP binding, section 3.2): all of the event is in the signed body."""

_WAITS_FOR = timedelta(hours=24)

_log = structlog.get_logger("dogana.worker")

_PREFIX = "dev.cdevents."

_CHECKED = "dev.cdeventsx.dogana-check.answered."

_PASSED = frozenset({"pass", "passed", "success"})


class _EarlyError(Exception):
    """The event is about something that has not come yet."""


async def arrivals(backend: Backend, actor: Actor, limit: int) -> list[ArrivalView]:
    """The events that came, the latest first."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [_view(row) for row in await exchange.arrivals(session, limit)]


async def take(backend: Backend, name: str, headers: dict[str, str], body: bytes) -> ArrivalView:
    """Take an event in.

    Raises:
        SignedOutError: when it is not signed by the sender, or too long ago.
        InvalidError: when it is no CloudEvent, is not signed as a whole, or came under a used `webhook-id`.
    """
    async with backend.database.transaction() as session:
        sender = await exchange.sender(session, name)
    if sender is None:
        raise SignedOutError("There is no such sender, or the signature is wrong.")
    headers = {field.lower(): value for field, value in headers.items()}
    _verify(backend.sealer.open(sender.secret, about_party("sender", name)), headers, body)
    try:
        await asyncio.to_thread(refuse_double, body.decode(errors="replace"))
    except UnreadableTextError as exc:
        raise InvalidError(f"The event cannot be used: {exc}.") from exc
    if not sender.binary and not _IN_BODY.match(headers.get("content-type", "")):
        raise InvalidError(
            "Send the event in structured mode, as application/cloudevents+json: headers are not signed."
        )
    event = _read(headers, body)
    now = backend.clock()
    row = ArrivalRow(
        sender_id=name,
        source=event.get_source(),
        event_id=event.get_id(),
        delivery=headers["webhook-id"],
        type=event.get_type(),
        body=_data(event) | {"time": (event.get_time() or now).isoformat()},
        arrived_at=now,
        state="waiting",
        says="",
    )
    key = (name, row.source, row.event_id)
    async with backend.database.transaction() as session:
        first = await exchange.keep_arrival(session, row)
        known = await exchange.arrival(session, key)
    if known is None or (not first and known.type != row.type):
        raise InvalidError("Another event came under this webhook-id, or this one as another type.")
    return await _apply(backend, key) if first else _view(known)


async def retry(backend: Backend) -> None:
    """Try those again that came too early, all of them: what they are about may have come."""
    last: ArrivalRow | None = None
    while True:
        async with backend.database.transaction() as session:
            waiting = await exchange.waiting(session, last)
        for row in waiting:
            with suppress(NotFoundError):
                await _apply(backend, (row.sender_id, row.source, row.event_id))
        if not waiting:
            return
        last = waiting[-1]


def _verify(secret: str, headers: dict[str, str], body: bytes) -> None:
    try:
        Webhook(secret).verify(body, headers, json_parse=False)
    except (WebhookVerificationError, ValueError, binascii.Error) as exc:
        raise SignedOutError("There is no such sender, or the signature is wrong.") from exc


def _read(headers: dict[str, str], body: bytes) -> BaseCloudEvent:
    try:
        event = from_http(HTTPMessage(headers, body), JSONFormat())
        _data(event)
    except (BaseCloudEventException, ValueError, TypeError, KeyError, AttributeError, RecursionError) as exc:
        raise InvalidError("This is no CloudEvent.") from exc
    return event


def _data(event: BaseCloudEvent) -> dict[str, Any]:
    data = event.get_data()
    if not isinstance(data, dict):
        raise InvalidError("The event carries no JSON object.")
    return data


async def _apply(backend: Backend, key: tuple[str, str, str]) -> ArrivalView:
    """Do what an event says, and keep how that came out; what may pass is tried again for a day.

    Raises:
        NotFoundError: where it is gone, or its sender is.
        AwayError: when not even that can be kept; it waits as it was.
    """
    async with backend.database.transaction() as session:
        row = await exchange.arrival(session, key)
        sender = await exchange.sender(session, row.sender_id) if row else None
        person = await people.person(session, sender.person_id) if sender else None
    if row is None or person is None:
        raise NotFoundError("The event is not there any more, or whoever may send it.")
    waits = "refused" if backend.clock() - row.arrived_at > _WAITS_FOR else "waiting"
    try:
        state, says = "taken", await _act(backend, actor_of(person, "API"), row)
    except (_EarlyError, AwayError, BusyError) as exc:
        state, says = waits, str(exc)
    except DoganaError as exc:
        state, says = "refused", exc.detail
    except (ValidationError, KeyError, TypeError, ValueError, AttributeError) as exc:
        state, says = "refused", f"It does not say what such an event has to say: {exc}"[:300]
    except Exception:  # noqa: BLE001 - one event stops no other
        _log.exception("not applied", sender=row.sender_id, id=row.event_id)
        state, says = waits, "Something went wrong here; the log says what."
    async with backend.database.transaction() as session:
        kept = await exchange.arrival(session, key)
        if kept is None:
            raise NotFoundError("The event is not there any more.")
        kept.state, kept.says = state, says
        return _view(kept)


async def _act(backend: Backend, actor: Actor, row: ArrivalRow) -> str:
    kind = row.type.removeprefix(_PREFIX) if row.type.startswith(_PREFIX) else ""
    subject, own = row.body["subject"], row.body.get("customData") or {}
    content, at = subject.get("content") or {}, datetime.fromisoformat(row.body["time"])
    if in_the_future(at, row.arrived_at):
        raise InvalidError("The event is dated after now.")
    if row.type.startswith(_CHECKED):
        return await _checked(backend, actor, row.sender_id, subject["id"], own, at)
    if kind.startswith("artifact.published."):
        return await _published(backend, actor, subject["id"], own)
    if kind.startswith("testsuiterun.finished."):
        return await _tested(backend, actor, content, own, at, row.source)
    if kind.startswith("service.deployed."):
        return await _deployed(backend, actor, subject["id"], content, own)
    if kind.startswith(("incident.detected.", "incident.resolved.")):
        return await _incident(backend, actor, kind.split(".")[1], subject["id"], content, at, row.source)
    return "Nothing follows from an event of this type."


async def _published(backend: Backend, actor: Actor, package: str, own: dict[str, Any]) -> str:
    own_words = {key: own[key] for key in ("name", "size") if key in own}
    artifact = Artifact.model_validate(artifact_named(package).plain() | own_words)
    try:
        await releases.register(
            backend,
            actor,
            own["service"],
            own["version"],
            revision=own["revision"],
            artifacts=(artifact,),
        )
    except UnknownNameError as exc:
        raise _EarlyError(exc.detail) from exc
    return f"{artifact.name} is on record with {own['service']} {own['version']}."


def artifact_named(package: str) -> Artifact:
    """What a package URL (ECMA-427) names: its digest is its version, or stands among its checksums.

    Raises:
        ValueError: when it names no SHA-256, or several.
    """
    read = PackageURL.from_string(package)
    # Of two qualifiers of one name the last would be kept.
    keys = [key for key, _ in parse_qsl(urlsplit(package).query)]
    if len(keys) != len(set(keys)):
        raise ValueError("a qualifier of the package URL stands twice")
    qualifiers = dict(read.qualifiers)
    sums = (qualifiers.get("checksum") or read.version or "").split(",")
    digests = {one for one in sums if one.startswith("sha256:")}
    if len(digests) != 1:
        raise ValueError("the subject is a package URL with one sha256")
    return Artifact.model_validate(
        {"name": read.name, "digest": digests.pop(), "size": 0, "link": qualifiers.get("download_url")}
    )


async def _tested(
    backend: Backend,
    actor: Actor,
    content: dict[str, Any],
    own: dict[str, Any],
    at: datetime,
    source: str,
) -> str:
    passed = content["outcome"] in _PASSED
    counts = {key: int(own[key]) for key in ("suites", "passed", "failed", "skipped") if key in own}
    agrees = passed == (counts.get("failed", 0) == 0) or "failed" not in counts
    report = Report.model_validate(
        {
            "name": own.get("name", "test-report"),
            "kind": "tests",
            "produced_at": at,
            "by": actor.name,
            "maker": source[:200],
            "content": {"outcome": content["outcome"], "failed": 0 if passed else 1} | counts,
            "unknown": None if agrees else "its outcome and its count of failures disagree",
        }
    )
    try:
        await evidence.attach(backend, actor, own["service"], own["version"], report)
    except UnknownNameError as exc:
        raise _EarlyError(exc.detail) from exc
    return f"{report.name} is with {own['service']} {own['version']}."


async def _checked(
    backend: Backend, actor: Actor, check: str, about: str, own: dict[str, Any], at: datetime
) -> str:
    number = int(about.removeprefix("promotion/"))
    return await checks.answer(backend, actor, check, number, CheckResult.model_validate(own), at)


async def _deployed(
    backend: Backend, actor: Actor, service: str, content: dict[str, Any], own: dict[str, Any]
) -> str:
    environment = content["environment"]["id"]
    async with backend.database.transaction() as session:
        number = await promotions.moving(session, service, environment)
        row = await promotions.get(session, number) if number is not None else None
    if row is None or row.release.version != own["version"]:
        raise _EarlyError(f"{service} {own['version']} is not moving into {environment}.")
    landed = artifacts_of(row.release)
    if content.get("artifactId"):
        told = artifact_named(content["artifactId"])
        others = tuple(one for one in landed if one.name != told.name)
        size = next((one.size for one in landed if one.name == told.name), 0)
        landed = (*others, Artifact(name=told.name, digest=told.digest, size=size))
    try:
        await course.land(backend, actor, row.number, artifacts=landed, note="")
    except MovedOnError as exc:
        raise _EarlyError(exc.detail) from exc
    return f"Promotion {row.number} landed."


async def _incident(
    backend: Backend,
    actor: Actor,
    what: str,
    name: str,
    content: dict[str, Any],
    at: datetime,
    source: str,
) -> str:
    actor.must(Right.DEPLOY)
    told = Told(
        source=source,
        name=name,
        service=content["service"]["id"],
        environment=content["environment"]["id"],
        what=str(content.get("description") or ""),
        detected_at=at if what == "detected" else None,
        resolved_at=at if what == "resolved" else None,
    )
    async with backend.database.transaction() as session:
        row = await incidents.take(backend, session, actor, told)
        return f"{row.service.title} in {row.environment.title}: {lower_first(row.what)} It was {what}."


def _view(row: ArrivalRow) -> ArrivalView:
    return ArrivalView(
        source=row.source,
        id=row.event_id,
        sender=row.sender_id,
        type=row.type,
        arrived_at=row.arrived_at,
        state=row.state,
        says=row.says,
    )
