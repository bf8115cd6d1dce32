"""Telling other systems: every ledger entry as a CloudEvent, signed (Standard Webhooks), until it is taken.

What has to be told is written with the entry itself, so nothing is told that did not happen and nothing that
happened is forgotten.
"""

import asyncio
import json
from datetime import datetime, timedelta
from time import monotonic
from typing import Any

import structlog
from cloudevents.core.bindings.http import to_structured
from cloudevents.core.formats.json import JSONFormat
from cloudevents.core.v1.event import CloudEvent
from standardwebhooks.webhooks import Webhook

from dogana.core.document import Instant
from dogana.core.errors import DoganaError, InvalidError, NotFoundError
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.counting import DELIVERIES
from dogana.service.retrying import again_after
from dogana.service.sealing import about_party
from dogana.service.shapes import View
from dogana.sources.http import HttpRequest, UnreadError, read
from dogana.store import exchange
from dogana.store.database import announce
from dogana.store.tables.exchange import DeliveryRow
from dogana.store.tables.ledger import EntryRow


class DeliveryView(View):
    """Something a subscriber is still to be told, or that was given up."""

    id: int
    subscriber: str
    says: str
    at: Instant
    attempts: int
    next_attempt_at: Instant
    dead_at: Instant | None
    reason: str | None


_SECONDS = 5.0

_LEASE = timedelta(seconds=60)

_AT_ONCE = 20

_KEPT = timedelta(days=7)

_SPOKEN = {Action.LAND.value: "service.deployed.0.2.0", Action.ROLL_BACK.value: "service.rolledback.0.2.0"}
"""The steps that the CDEvents vocabulary has a word for."""

_log = structlog.get_logger("dogana.worker")


async def deliveries(backend: Backend, actor: Actor, *, dead: bool, limit: int) -> list[DeliveryView]:
    """What could not be told and was given up, or what is still to be told."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [_delivery(row) for row in await exchange.deliveries(session, dead=dead, limit=limit)]


async def resend(backend: Backend, actor: Actor, number: int) -> None:
    """Try a delivery again from the start.

    Raises:
        NotFoundError: when there is none.
        InvalidError: when it was made.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        row = await exchange.delivery(session, number)
        if row is None:
            raise NotFoundError(f"There is no delivery {number}.")
        if row.delivered_at is not None:
            raise InvalidError("It has been delivered.")
        row.dead_at, row.attempts, row.next_attempt_at = None, 0, backend.clock()


async def send_due(backend: Backend) -> bool:
    """Tell what is due; whether there may be more."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        rows = await exchange.claim(session, now, _LEASE, _AT_ONCE)
    theirs: dict[str, list[DeliveryRow]] = {}
    for row in rows:
        theirs.setdefault(row.subscriber_id, []).append(row)
    await asyncio.gather(*(_send_in_order(backend, of_one) for of_one in theirs.values()))
    return len(rows) == _AT_ONCE


async def forget_old(backend: Backend) -> None:
    """Let go of what was delivered a week ago."""
    async with backend.database.transaction() as session:
        await exchange.forget_delivered(session, backend.clock() - _KEPT)


async def _send_in_order(backend: Backend, claimed: list[DeliveryRow]) -> None:
    """Tell one subscriber what is due: an order to a deployer must not overtake the one before it.

    One that is slow or does not take something is told the rest at once: the order is lost then anyway, and
    it must not keep what is due for others.
    """
    began = monotonic()
    for number, row in enumerate(claimed, start=1):
        if not await _send(backend, row) or monotonic() - began > _SECONDS:
            await asyncio.gather(*(_send(backend, other) for other in claimed[number:]))
            return


async def _send(backend: Backend, claimed: DeliveryRow) -> bool:
    """Tell one thing; whether it was taken."""
    reason = await _told(backend, claimed)
    async with backend.database.transaction() as session:
        row = await exchange.delivery(session, claimed.id)
        if row is None:
            return reason is None
        now = backend.clock()
        row.attempts += 1
        row.reason = reason
        if reason is None:
            row.delivered_at = now
        elif (wait := again_after(row.attempts)) is None:
            row.dead_at = now
        else:
            row.next_attempt_at = now + wait
        outcome = "delivered" if reason is None else "given up" if row.dead_at else "failed"
        announce(session, "delivery")
    DELIVERIES.labels(outcome).inc()
    return reason is None


async def _told(backend: Backend, claimed: DeliveryRow) -> str | None:
    """Why an entry could not be told; None once it was. Whatever it is, it is no matter of the others."""
    subscriber = claimed.subscriber
    try:
        secret = backend.sealer.open(subscriber.secret, about_party("subscriber", subscriber.id))
        question = message(claimed.entry, subscriber.address, secret, backend.clock(), backend.source)
        await read(backend.client, question)
    except UnreadError as exc:
        return str(exc)
    except DoganaError as exc:
        return exc.detail
    except Exception as exc:  # noqa: BLE001 - one delivery that fails stops no other
        _log.exception("not told", delivery=claimed.id)
        return f"a fault of the program, {type(exc).__name__}"
    return None


def message(entry: EntryRow, address: str, secret: str, at: datetime, source: str) -> HttpRequest:
    """One entry as a signed request; the same entry has the same id each time it is sent."""
    name = f"entry-{entry.id}"
    made = to_structured(event_of(entry, source), JSONFormat())
    body = made.body.decode()
    headers = dict(made.headers) | signature(secret, name, at, body)
    return HttpRequest(
        address=address, method="POST", headers=headers, body=body.encode(), seconds=_SECONDS, tries=1
    )


def signature(secret: str, name: str, at: datetime, body: str) -> dict[str, str]:
    """The headers that sign what is posted (Standard Webhooks), under the name that is good once."""
    return {
        "webhook-id": name,
        "webhook-timestamp": str(int(at.timestamp())),
        "webhook-signature": Webhook(secret).sign(name, at, body),
    }


def event_of(entry: EntryRow, source: str) -> CloudEvent:
    """An entry as an event: in the vocabulary's own words where it has some, else as one of ours."""
    body: dict[str, Any] = json.loads(entry.body)
    spoken = _SPOKEN.get(entry.action)
    about_one = "promotion" if entry.promotion is not None else "record"
    kind = (
        f"dev.cdevents.{spoken}"
        if spoken
        else f"dev.cdeventsx.dogana-{about_one}.{entry.action.replace(' ', '')}.1.0.0"
    )
    name = f"entry-{entry.id}"
    subject: dict[str, Any] = {
        "id": f"promotion/{entry.promotion}" if entry.promotion else name,
        "content": {},
    }
    if spoken:
        subject = {"id": entry.service_id, "content": {"environment": {"id": entry.environment_id}}}
    context = {"version": "0.4.1", "id": name, "source": source, "type": kind, "timestamp": body["at"]}
    return CloudEvent(
        {
            "specversion": "1.0",
            "id": name,
            "source": source,
            "type": kind,
            "subject": str(subject["id"]),
            "time": entry.at,
            "datacontenttype": "application/json",
            "sequence": f"{entry.id:019d}",
        },
        {"context": context, "subject": subject, "customData": body},
    )


def _delivery(row: DeliveryRow) -> DeliveryView:
    return DeliveryView(
        id=row.id,
        subscriber=row.subscriber.title,
        says=json.loads(row.entry.body)["says"],
        at=row.entry.at,
        attempts=row.attempts,
        next_attempt_at=row.next_attempt_at,
        dead_at=row.dead_at,
        reason=row.reason,
    )
