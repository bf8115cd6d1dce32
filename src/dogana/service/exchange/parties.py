"""Who sends events and who is told of them, each with the secret that signs them."""

import base64
import os
from typing import Any, Literal

from standardwebhooks.webhooks import EmptyWebhookSecretError, Webhook

from dogana.core.errors import InvalidError, NotFoundError, RefusedError, UnknownNameError
from dogana.core.record.actions import Action
from dogana.core.words import counted
from dogana.service import dual_control
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import ALONE, CONFIRMED, ProposedChange
from dogana.service.ledger.entries import record
from dogana.service.sealing import about_party
from dogana.service.shapes import ChangeOutcome, Named, View
from dogana.store import Session, exchange, people
from dogana.store.database import hold
from dogana.store.tables.exchange import SenderRow, SubscriberRow
from dogana.store.tables.people import PersonRow


class SenderView(View):
    """A system that sends events, and as whom."""

    id: str
    title: str
    person: Named
    binary: bool
    """Whether events are taken whose attributes stand in headers, which are not signed."""


class SubscriberView(View):
    """A system that is told of what happens."""

    id: str
    title: str
    address: str
    actions: list[str]
    """The kinds of entry it is told of; all where empty."""


_SECRET = "whsec_"  # noqa: S105 - how such secrets begin (Standard Webhooks)
_Party = Literal["sender", "subscriber"]


class MadeSender(ChangeOutcome):
    """What came of letting a system send events."""

    secret: str
    """What signs its events, which is not shown again; it is good for nothing before this is made."""


async def set_sender(
    backend: Backend,
    actor: Actor,
    name: str,
    *,
    title: str,
    person: str,
    binary: bool = False,
    secret: str | None = None,
) -> MadeSender:
    """Let a system send events as somebody; gives the secret that signs them, made anew where none is given.

    Whoever has the secret acts as that machine: to hand out another takes a second person, where there is
    one, and so does another machine, and taking what is not signed.

    Raises:
        UnknownNameError: for an unknown person.
        RefusedError: for one who is no machine.
        InvalidError: for a secret that signs nothing.
        ConflictError: while another change of it waits.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        await hold(session, "senders held")
        row = await exchange.sender(session, name)
        old, kept = _settings(row), await opened(backend, session, "sender", name)
        new = {"title": title, "person": person, "binary": binary}
        owner = await _machine(session, person)
        change = ProposedChange(
            kind="sender",
            subject=name,
            title=f"events of {title} in the name of {owner.name}",
            old=old,
            new=new,
            secret=signing(secret),
        )
        wider = row is None or change.secret != kept or person != row.person_id or (binary and not row.binary)
        waits = await dual_control.ask(backend, session, actor, change) if wider else None
        if waits is None:
            await _set_sender(backend, session, actor, change, ALONE if wider else "")
        return MadeSender(waits=waits, alone=wider and waits is None, secret=change.secret or "")


async def confirmed(backend: Backend, session: Session, actor: Actor, change: ProposedChange) -> None:
    """Let a system send events as it was confirmed; whoever asked for it has its secret.

    Raises:
        ConflictError: when it is not as it was any more.
        UnknownNameError, RefusedError: when whose name they come in is no machine any more.
    """
    await hold(session, "senders held")
    dual_control.must_be_as_it_was(_settings(await exchange.sender(session, change.subject)), change)
    await _set_sender(backend, session, actor, change, CONFIRMED)


async def _machine(session: Session, person: str) -> PersonRow:
    owner = await people.person(session, person)
    if owner is None:
        raise UnknownNameError(f"There is nobody called {person}.", fields=[("/person", "unknown")])
    if not owner.machine:
        raise RefusedError(f"{owner.name} is no machine; events come in the name of one.")
    return owner


async def _set_sender(
    backend: Backend, session: Session, actor: Actor, change: ProposedChange, how: str
) -> None:
    new = change.new or {}
    owner = await _machine(session, new["person"])
    row = await exchange.sender(session, change.subject) or SenderRow(id=change.subject)
    row.title, row.person_id, row.binary = new["title"], new["person"], new["binary"]
    says = f"{actor.name} let {row.title} send events as {owner.name}.{how}"
    _keep(backend, session, actor, "sender", row, change.old, says, change.secret)


async def set_subscriber(
    backend: Backend,
    actor: Actor,
    name: str,
    *,
    title: str,
    address: str,
    actions: list[str],
    secret: str | None = None,
) -> tuple[SubscriberView, str]:
    """Have a system told of what happens; gives the secret that signs its events, made anew if none is given.

    Raises:
        InvalidError: for a secret that signs nothing.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        row = await exchange.subscriber(session, name)
        old = _settings(row)
        row = row or SubscriberRow(id=name)
        row.title, row.address, row.actions = title, address, actions
        what = counted(len(actions), "kind of entry", "kinds of entry") if actions else "everything"
        says = f"{actor.name} has {title} told of {what}."
        kept = _keep(backend, session, actor, "subscriber", row, old, says, secret)
        return _subscriber(row), kept


async def opened(backend: Backend, session: Session, party: _Party, name: str) -> str | None:
    """The secret that signs a system's events, to be compared; None where there is no such system."""
    row = await (exchange.sender if party == "sender" else exchange.subscriber)(session, name)
    return backend.sealer.open(row.secret, about_party(party, name)) if row is not None else None


async def drop_sender(backend: Backend, actor: Actor, name: str) -> None:
    """Take no more events of a system.

    Raises:
        NotFoundError: when there is none.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        row = await exchange.sender(session, name)
        says = f"{actor.name} takes no more events of {row.title if row else name}."
        await _drop(backend, session, actor, "sender", name, row, says)


async def drop_subscriber(backend: Backend, actor: Actor, name: str) -> None:
    """Tell a system no more; what it was still to be told is dropped.

    Raises:
        NotFoundError: when there is none.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        row = await exchange.subscriber(session, name)
        says = f"{actor.name} has {row.title if row else name} told no more."
        await _drop(backend, session, actor, "subscriber", name, row, says)


async def senders(backend: Backend, actor: Actor) -> list[SenderView]:
    """Who may send events."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        called = await people.names(session)
        return [_sender(row, called[row.person_id]) for row in await exchange.senders(session)]


async def subscribers(backend: Backend, actor: Actor) -> list[SubscriberView]:
    """Who is told of what happens."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [_subscriber(row) for row in await exchange.subscribers(session)]


def signing(given: str | None = None) -> str:
    """A secret for signing, as Standard Webhooks write it: made anew where none is given.

    Raises:
        InvalidError: for one that signs nothing.
    """
    secret = given or _SECRET + base64.b64encode(os.urandom(32)).decode()
    try:
        Webhook(secret)
    except (ValueError, EmptyWebhookSecretError) as exc:
        why = "begins with whsec_ and goes on in base64"
        raise InvalidError("The secret cannot sign events.", fields=[("/secret", why)]) from exc
    return secret


def _keep(
    backend: Backend,
    session: Session,
    actor: Actor,
    party: _Party,
    row: SenderRow | SubscriberRow,
    old: dict[str, Any] | None,
    says: str,
    given: str | None,
) -> str:
    secret = signing(given)
    row.secret = backend.sealer.seal(secret, about_party(party, row.id))
    session.add(row)
    details = {party: row.id, "old": old, "new": _settings(row)}
    record(session, actor, Action(f"set {party}"), says, backend.clock(), details=details)
    return secret


async def _drop(
    backend: Backend,
    session: Session,
    actor: Actor,
    party: _Party,
    name: str,
    row: SenderRow | SubscriberRow | None,
    says: str,
) -> None:
    if row is None:
        raise NotFoundError(f"There is no {party} {name}.")
    await session.delete(row)
    record(session, actor, Action(f"drop {party}"), says, backend.clock(), details={party: name})


def _settings(row: SenderRow | SubscriberRow | None) -> dict[str, Any] | None:
    """What an entry tells of one: everything but its secret."""
    if row is None:
        return None
    if isinstance(row, SenderRow):
        return {"title": row.title, "person": row.person_id, "binary": row.binary}
    return {"title": row.title, "address": row.address, "actions": row.actions}


def _sender(row: SenderRow, person: str) -> SenderView:
    whose = Named(id=row.person_id, name=person)
    return SenderView(id=row.id, title=row.title, person=whose, binary=row.binary)


def _subscriber(row: SubscriberRow) -> SubscriberView:
    return SubscriberView(id=row.id, title=row.title, address=row.address, actions=row.actions)
