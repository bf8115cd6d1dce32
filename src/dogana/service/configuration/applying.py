"""Applying a set-up document: all of it or nothing, and as a trial first if so asked."""

from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass, field, replace
from typing import Any, Literal, get_args

from dogana.core.errors import DoganaError, InvalidError
from dogana.core.record.actions import Action
from dogana.core.record.canonical import digest_of_plain
from dogana.core.words import counted, listed
from dogana.service import dual_control
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.chat import rooms
from dogana.service.configuration.document import KEPT, SECRETS_IN, Secret, Setup, without_secrets
from dogana.service.configuration.exporting import address, export, present
from dogana.service.exchange import parties
from dogana.service.landscape import setting_up
from dogana.service.ledger.entries import record
from dogana.service.messages import choosing
from dogana.service.people import members
from dogana.service.secrets import values
from dogana.service.shapes import View
from dogana.service.sources import registry
from dogana.store import Session

Part = Literal[
    "groups",
    "people",
    "environments",
    "routes",
    "services",
    "sources",
    "senders",
    "subscribers",
    "rooms",
    "group_messages",
    "everybody",
    "values",
]
_ORDER: tuple[Part, ...] = get_args(Part)
"""Each part refers to those before it alone."""
_LONGEST = 120
_SECRETS = frozenset({"secret", "value"})


class SetupChange(View):
    """One thing that a document sets up."""

    part: Part
    id: str
    what: Literal["new", "changed", "asked for"]
    """`asked for` where a second person has to confirm it."""
    differs: list[str]
    """Each difference in words."""
    told: str | None = None
    """A secret or an invitation that was made with it; shown once."""


class Applied(View):
    """What applying a document brought, or would bring."""

    dry_run: bool
    changes: list[SetupChange]
    left: dict[Part, list[str]]
    """What is there and the document does not name; it stays as it is."""


class _TriedError(Exception):
    """Everything was tried; nothing is kept."""


@dataclass
class _Applying:
    """A document on its way into one transaction."""

    backend: Backend
    actor: Actor
    wanted: Setup
    was: dict[str, dict[str, Any]]
    session: Session
    changes: list[SetupChange] = field(default_factory=list)
    faults: list[tuple[str, str]] = field(default_factory=list)

    async def all_parts(self) -> None:
        """Set up what differs, and note each fault with its place."""
        for part in _ORDER:
            for name, one in present(self.wanted)[part].items():
                try:
                    # What fails leaves nothing behind, so that the faults of the rest are found too.
                    async with self.session.begin_nested():
                        await self._one(part, name, one)
                except DoganaError as exc:
                    at = f"/{part}/{name.replace('~', '~0').replace('/', '~1')}"
                    self.faults += [(at + pointer, why) for pointer, why in exc.fields] or [(at, exc.detail)]

    async def _one(self, part: Part, name: str, wanted: Mapping[str, Any]) -> None:
        old = self.was[part].get(name)
        differs = differences(old or {}, wanted)
        if await self._other_secret(part, name):
            differs.append("another secret")
        if old is not None and not differs:
            return
        waits, told = await _KEEP[part](self, name)
        what: Literal["new", "changed", "asked for"] = (
            "asked for" if waits else "new" if old is None else "changed"
        )
        said = differs if old is not None else []
        self.changes.append(SetupChange(part=part, id=name, what=what, differs=said, told=told))

    async def _other_secret(self, part: Part, name: str) -> bool:
        given = self.given(part, name)
        if given is not None:
            return given != await self.opened(part, name)
        # A source that is to have none, and has one.
        return (
            part == "sources"
            and self.wanted.sources[name].secret is None
            and "secret" in self.was[part].get(name, {})
        )

    def given(self, part: Part, name: str) -> str | None:
        """The secret that was sent; None where the one that is there stays, or there is to be none.

        Raises:
            InvalidError: where it is a reference still: only who applies it can look there.
        """
        if part == "values":
            held: Secret | None = next(one.value for one in self.wanted.values if address(one) == name)
        elif part in SECRETS_IN:
            held = getattr(self.wanted, part)[name].secret
        else:
            return None
        if held is None or held == KEPT:
            return None
        if isinstance(held, dict):
            return held["is"]
        raise InvalidError("A secret was sent as a reference.", fields=[("/secret", "look it up first")])

    async def opened(self, part: Part, name: str) -> str | None:
        """The secret that is there."""
        if part == "values":
            service, environment, called = name.split("/")
            return await values.opened(self.backend, self.session, service, environment, called)
        if part == "sources":
            return await registry.opened(self.backend, self.session, name)
        if part == "rooms":
            return await rooms.opened(self.backend, self.session, name)
        return await parties.opened(
            self.backend, self.session, "sender" if part == "senders" else "subscriber", name
        )


_Kept = tuple[bool, str | None]
"""Whether it waits for a second person, and what was made with it that is told once."""


async def _group(given: _Applying, name: str) -> _Kept:
    await members.keep_group(given.backend, given.actor, name, given.wanted.groups[name])
    return False, None


async def _person(given: _Applying, name: str) -> _Kept:
    outcome = await members.keep_person(given.backend, given.actor, name, given.wanted.people[name])
    return outcome.waits is not None, outcome.invitation


async def _environment(given: _Applying, name: str) -> _Kept:
    wanted = given.wanted.environments[name]
    outcome = await setting_up.keep_environment(given.backend, given.actor, name, wanted, None)
    return outcome.waits is not None, None


async def _route(given: _Applying, name: str) -> _Kept:
    wanted = given.wanted.routes[name]
    outcome = await setting_up.keep_route(given.backend, given.actor, name, wanted, None)
    return outcome.waits is not None, None


async def _service(given: _Applying, name: str) -> _Kept:
    wanted = given.wanted.services[name]
    outcome = await setting_up.keep_service(given.backend, given.actor, name, wanted, None)
    return outcome.waits is not None, None


async def _source(given: _Applying, name: str) -> _Kept:
    wanted = given.wanted.sources[name]
    secret = given.given("sources", name)
    if wanted.secret == KEPT and await given.opened("sources", name) is None:
        raise InvalidError("There is no secret to keep.", fields=[("/secret", "name where it stands")])
    kept = await registry.keep(
        given.backend,
        given.actor,
        name,
        kind=wanted.kind,
        title=wanted.title,
        settings=wanted.settings,
        secret="" if wanted.secret is None else secret,
        expected=None,
    )
    return kept.waits is not None, None


async def _sender(given: _Applying, name: str) -> _Kept:
    wanted, here = given.wanted.senders[name], await given.opened("senders", name)
    # One that waits with its sender stays what it is.
    waiting = await dual_control.waiting_secret(given.backend, given.session, "sender", name)
    secret = given.given("senders", name) or here or waiting
    made = await parties.set_sender(
        given.backend,
        given.actor,
        name,
        title=wanted.title,
        person=wanted.person,
        binary=wanted.binary,
        secret=secret,
    )
    return made.waits is not None, None if secret else made.secret


async def _subscriber(given: _Applying, name: str) -> _Kept:
    wanted, here = given.wanted.subscribers[name], await given.opened("subscribers", name)
    secret = given.given("subscribers", name) or here
    _, made = await parties.set_subscriber(
        given.backend,
        given.actor,
        name,
        title=wanted.title,
        address=wanted.address,
        actions=list(wanted.actions),
        secret=secret,
    )
    return False, None if secret else made


async def _room(given: _Applying, name: str) -> _Kept:
    wanted, secret = given.wanted.rooms[name], given.given("rooms", name)
    # A trial comes into a room of the chat too: whether we may is found out in no other way.
    kept = await rooms.keep(
        given.backend,
        given.actor,
        name,
        title=wanted.title,
        address=wanted.address,
        service=wanted.service,
        environment=wanted.environment,
        secret=secret,
    )
    return False, None if secret else kept.secret


async def _group_messages(given: _Applying, name: str) -> _Kept:
    await choosing.choose_for_group(given.backend, given.actor, name, given.wanted.group_messages[name])
    return False, None


async def _everybody(given: _Applying, _: str) -> _Kept:
    if given.wanted.everybody is not None:
        await choosing.insist(given.backend, given.actor, given.wanted.everybody)
    return False, None


async def _value(given: _Applying, name: str) -> _Kept:
    secret = given.given("values", name)
    if secret is None:
        raise InvalidError("There is no such value to keep.", fields=[("/value", "name where it stands")])
    one = next(one for one in given.wanted.values if address(one) == name)
    await values.keep(given.backend, given.actor, one.service, one.environment, one.name, secret)
    return False, None


_KEEP: dict[Part, Callable[[_Applying, str], Awaitable[_Kept]]] = {
    "groups": _group,
    "people": _person,
    "environments": _environment,
    "routes": _route,
    "services": _service,
    "sources": _source,
    "senders": _sender,
    "subscribers": _subscriber,
    "rooms": _room,
    "group_messages": _group_messages,
    "everybody": _everybody,
    "values": _value,
}


async def apply(backend: Backend, actor: Actor, wanted: Setup, *, dry_run: bool) -> Applied:
    """Set up what a document says, in one transaction; as a trial, the same is done and nothing kept.

    Raises:
        InvalidError: with the place of every fault; nothing was kept then.
    """
    actor.must(Right.ADMINISTER)
    _must_name_each_once(wanted)
    was = present(await export(backend, actor))
    outcome = Applied(dry_run=dry_run, changes=[], left=_left(was, wanted))
    try:
        async with _within(backend) as (joined, session):
            applying = _Applying(joined, actor, wanted, was, session)
            await applying.all_parts()
            if applying.faults:
                raise InvalidError("The set-up cannot be applied; nothing was.", fields=applying.faults)
            outcome = outcome.model_copy(update={"changes": applying.changes})
            _say(backend, session, actor, wanted, applying.changes)
            if dry_run:
                raise _TriedError  # noqa: TRY301 - so that the transaction is rolled back
    except _TriedError:
        hidden = [one.model_copy(update={"told": None}) for one in outcome.changes]
        return outcome.model_copy(update={"changes": hidden})
    return outcome


@asynccontextmanager
async def _within(backend: Backend) -> AsyncIterator[tuple[Backend, Session]]:
    """A backend of which every use case joins one transaction."""
    async with backend.database.transaction() as session:
        yield replace(backend, database=backend.database.joined(session)), session


def _say(backend: Backend, session: Session, actor: Actor, wanted: Setup, changes: list[SetupChange]) -> None:
    count = {what: sum(one.what == what for one in changes) for what in ("new", "changed", "asked for")}
    parts = [counted(count[what], f"thing {what}", f"things {what}") for what in count if count[what]]
    says = f"{actor.name} applied a set-up document: {listed(parts) or 'nothing differed'}."
    on = {"document": digest_of_plain(without_secrets(wanted))}
    record(session, actor, Action.APPLY_SETUP, says, backend.clock(), on=on)


def _must_name_each_once(wanted: Setup) -> None:
    seen: set[str] = set()
    for n, one in enumerate(wanted.values):
        if address(one) in seen:
            raise InvalidError("A value stands there twice.", fields=[(f"/values/{n}", "stands there twice")])
        seen.add(address(one))


def _left(was: dict[str, dict[str, Any]], wanted: Setup) -> dict[Part, list[str]]:
    named = present(wanted)
    found = {part: sorted(set(was[part]) - set(named[part])) for part in _ORDER}
    return {part: names for part, names in found.items() if names}


def differences(old: Mapping[str, Any], new: Mapping[str, Any]) -> list[str]:
    """What differs between two plain values, field by field; secrets are compared elsewhere."""
    out = []
    for name in sorted({*old, *new} - _SECRETS):
        before, after = old.get(name), new.get(name)
        if before != after:
            out.append(f"{name.replace('_', ' ')}: {_shown(before)} becomes {_shown(after)}")
    return out


def _shown(value: Any) -> str:
    if value is None or value in ("", [], {}):
        return "nothing"
    if isinstance(value, dict):
        text = ", ".join(f"{name.replace('_', ' ')} {_shown(one)}" for name, one in value.items())
    elif isinstance(value, (list, tuple)):
        text = ", ".join(_shown(one) for one in value)
    else:
        text = {True: "yes", False: "no"}.get(value, str(value)) if isinstance(value, bool) else str(value)
    return text if len(text) <= _LONGEST else f"{text[:_LONGEST]}..."
