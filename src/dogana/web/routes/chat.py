"""Rooms of the chat, and who one is there."""

from http import HTTPStatus

from dogana.core.document import EnvironmentId, Slug
from dogana.service.chat import rooms
from dogana.service.chat.rooms import ChatView, CodeView, KeptRoom, RoomAddress
from dogana.web.access import Administrator, Oneself, Reader, UsesBackend
from dogana.web.routing import MISSING, Body, Title, router_of

router = router_of("chat")


class WantedRoom(Body):
    """A room, and what it is told of."""

    title: Title
    address: RoomAddress
    """What the homeserver calls it, its id or an alias; or an address of the web, posted to and signed."""
    service: Slug | None = None
    environment: EnvironmentId | None = None


@router.get("/chat")
async def chat(actor: Reader, backend: UsesBackend) -> ChatView:
    """Whether there is a chat, its rooms, and who one is there."""
    return await rooms.view(backend, actor)


@router.put("/chat/rooms/{name}", responses=MISSING)
async def keep_room(name: Slug, wanted: WantedRoom, actor: Administrator, backend: UsesBackend) -> KeptRoom:
    """Have a room told of promotions."""
    return await rooms.keep(
        backend,
        actor,
        name,
        title=wanted.title,
        address=wanted.address,
        service=wanted.service,
        environment=wanted.environment,
    )


@router.delete("/chat/rooms/{name}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def drop_room(name: Slug, actor: Administrator, backend: UsesBackend) -> None:
    """Tell a room no more."""
    await rooms.drop(backend, actor, name)


@router.post("/chat/code")
async def make_code(actor: Oneself, backend: UsesBackend) -> CodeView:
    """A code to be said in a room, which shows who one is here."""
    return await rooms.make_code(backend, actor)


@router.delete("/chat/link", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def unlink(actor: Oneself, backend: UsesBackend) -> None:
    """Be nobody in the chat any more."""
    await rooms.unlink(backend, actor)
