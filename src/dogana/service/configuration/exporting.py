"""The present set-up as a document."""

from contextlib import suppress
from typing import Any

from dogana.core.errors import InvalidError
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.chat import rooms
from dogana.service.configuration.document import KEPT, Room, Sender, Setup, Source, Subscriber, Value
from dogana.service.exchange import parties
from dogana.service.landscape import environments
from dogana.service.messages import choosing
from dogana.service.people import members
from dogana.service.secrets import values
from dogana.service.sources import registry


async def export(backend: Backend, actor: Actor) -> Setup:
    """Everything as it is set up now; its secrets stay where they are.

    Previews come and go by themselves, so they are left out.
    """
    actor.must(Right.ADMINISTER)
    services = await environments.services(backend, actor)
    sealed = [
        Value(service=one.service, environment=one.environment, name=one.name, value=KEPT)
        for service in services
        for one in await values.names(backend, actor, service)
    ]
    told = await choosing.of_house(backend, actor)
    return Setup(
        groups={one.id: members.Group(title=one.name) for one in await members.groups(backend, actor)},
        people=await members.all_members(backend, actor),
        environments={
            name: one
            for name, one in (await environments.environments(backend, actor)).items()
            if "/" not in name
        },
        routes=await environments.routes(backend, actor),
        services=services,
        sources={
            one.id: Source(
                kind=one.kind,
                title=one.title,
                settings=one.settings,
                secret=KEPT if one.has_secret else None,
            )
            for one in await registry.all_sources(backend, actor)
        },
        senders={
            one.id: Sender(title=one.title, person=one.person.id, binary=one.binary)
            for one in await parties.senders(backend, actor)
        },
        subscribers={
            one.id: Subscriber(title=one.title, address=one.address, actions=tuple(one.actions))
            for one in await parties.subscribers(backend, actor)
        },
        rooms={
            one.id: Room(
                title=one.title, address=one.address, service=one.service, environment=one.environment
            )
            for one in (await rooms.view(backend, actor)).rooms
        },
        group_messages=told.groups,
        everybody=told.insisted if told.insisted.kinds else None,
        values=tuple(sealed),
    )


def present(document: Setup) -> dict[str, dict[str, Any]]:
    """What a document names, part by part, as plain values; sealed values under their whole name."""
    plain = document.plain()
    parts: dict[str, dict[str, Any]] = {
        name: dict(plain.get(name, {}))
        for name in Setup.model_fields
        if name not in {"format", "everybody", "values"}
    }
    parts["everybody"] = {"told": plain["everybody"]} if document.everybody is not None else {}
    # As they are kept, whatever their order and what is left out, so that the same is seen to be the same.
    parts["people"] = {name: members.plain(one) for name, one in document.people.items()}
    for name, source in document.sources.items():
        with suppress(InvalidError):
            parts["sources"][name]["settings"] = registry.settings_of(source.kind, source.settings).plain()
    return parts | {"values": {address(one): one.plain() for one in document.values}}


def address(value: Value) -> str:
    """A sealed value under its whole name."""
    return f"{value.service}/{value.environment or '*'}/{value.name}"
