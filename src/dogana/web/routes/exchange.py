"""Events from other systems, and to them."""

from http import HTTPStatus
from typing import Annotated

from fastapi import Query, Request
from pydantic import Field

from dogana.core.document import Slug, with_examples
from dogana.service.exchange import inbound, outbound, parties
from dogana.service.exchange.inbound import ArrivalView
from dogana.service.exchange.outbound import DeliveryView
from dogana.service.exchange.parties import MadeSender, SenderView, SubscriberView
from dogana.service.shapes import View
from dogana.sources.settings import Address
from dogana.web.access import Administrator, Reader, UsesBackend
from dogana.web.bodies import bounded
from dogana.web.routing import CONFLICT, MISSING, TOO_LARGE, UNSEALED, Body, Id, Title, router_of
from dogana.web.strict import FileRoute

router = router_of("exchange")
uploads = router_of("exchange", route_class=FileRoute)


Limit = Annotated[int, Query(ge=1, le=200)]


class NewSender(Body):
    """A system that sends events, and as whom."""

    title: Title
    person: Slug
    binary: bool = False
    """Take events in binary mode too, whose attributes stand in headers that the signature does not cover."""


class NewSubscriber(Body):
    """A system that is told of what happens."""

    model_config = with_examples(
        {"title": "Change board", "address": "https://board.example/events", "actions": ["clear", "land"]}
    )

    title: Title
    address: Address
    actions: Annotated[list[Title], Field(max_length=100, default_factory=list)]
    """The kinds of entry it is told of; all when empty."""


class MadeSubscriber(View):
    """A subscriber, with the secret that signs what it is sent, shown once."""

    subscriber: SubscriberView
    secret: str


@router.get("/senders")
async def list_senders(actor: Reader, backend: UsesBackend) -> list[SenderView]:
    """Who may send events."""
    return await parties.senders(backend, actor)


@router.put("/senders/{name}", responses=UNSEALED | CONFLICT)
async def set_sender(name: Slug, new: NewSender, actor: Administrator, backend: UsesBackend) -> MadeSender:
    """Let a system send events as somebody; its secret is made anew, which takes a second person."""
    return await parties.set_sender(
        backend, actor, name, title=new.title, person=new.person, binary=new.binary
    )


@router.delete("/senders/{name}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def drop_sender(name: Slug, actor: Administrator, backend: UsesBackend) -> None:
    """Take no more events of a system."""
    await parties.drop_sender(backend, actor, name)


@router.get("/arrivals")
async def arrivals(actor: Reader, backend: UsesBackend, limit: Limit = 50) -> list[ArrivalView]:
    """The events that came, the latest first, and what followed from each."""
    return await inbound.arrivals(backend, actor, limit)


@uploads.post(
    "/hooks/{sender}",
    status_code=HTTPStatus.ACCEPTED,
    responses=TOO_LARGE,
    openapi_extra={
        "requestBody": {
            "content": {"application/cloudevents+json": {"schema": {"type": "object"}}},
            "required": True,
        }
    },
)
async def take_event(sender: Slug, request: Request, backend: UsesBackend) -> ArrivalView:
    """Take in a CloudEvent, structured or binary, signed as Standard Webhooks have it."""
    return await inbound.take(backend, sender, dict(request.headers), await bounded(request, inbound.LARGEST))


@router.get("/subscribers")
async def list_subscribers(actor: Reader, backend: UsesBackend) -> list[SubscriberView]:
    """Who is told of what happens."""
    return await parties.subscribers(backend, actor)


@router.put("/subscribers/{name}", responses=UNSEALED)
async def set_subscriber(
    name: Slug, new: NewSubscriber, actor: Administrator, backend: UsesBackend
) -> MadeSubscriber:
    """Have a system told of what happens; its secret is made anew."""
    subscriber, secret = await parties.set_subscriber(
        backend, actor, name, title=new.title, address=new.address, actions=new.actions
    )
    return MadeSubscriber(subscriber=subscriber, secret=secret)


@router.delete("/subscribers/{name}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def drop_subscriber(name: Slug, actor: Administrator, backend: UsesBackend) -> None:
    """Tell a system no more."""
    await parties.drop_subscriber(backend, actor, name)


@router.get("/deliveries")
async def deliveries(
    actor: Reader, backend: UsesBackend, *, dead: bool = True, limit: Limit = 50
) -> list[DeliveryView]:
    """What could not be told and was given up; or what is still to be told."""
    return await outbound.deliveries(backend, actor, dead=dead, limit=limit)


@router.post("/deliveries/{number}/resend", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def resend(number: Id, actor: Administrator, backend: UsesBackend) -> None:
    """Try it again from the start."""
    await outbound.resend(backend, actor, number)
