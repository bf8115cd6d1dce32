"""What people are told: the list, choices, and answers by a link from a mail."""

from http import HTTPStatus
from typing import Annotated, Literal

from fastapi import Path, Query
from pydantic import StringConstraints

from dogana.core.document import Slug
from dogana.core.messages.choices import Choices, GroupChoices, Insisted
from dogana.service.messages import answering, choosing, told
from dogana.service.messages.answering import Answered, AnswerPage
from dogana.service.messages.choosing import HouseChoices, OwnChoices
from dogana.service.messages.told import ToldPage
from dogana.service.shapes import Named
from dogana.web.access import Administrator, Oneself, Reader, UsesBackend
from dogana.web.routing import DECIDED, MISSING, Body, Text, router_of

router = router_of("messages")

Secret = Annotated[str, StringConstraints(min_length=20, max_length=200, pattern=r"^[A-Za-z0-9_-]+$")]
Sealed = Annotated[str, Path(min_length=20, max_length=2000, pattern=r"^[A-Za-z0-9_=-]+$")]


class AnswerLink(Body):
    """A link from a mail; it comes in the body, so that no log of addresses holds it."""

    token: Secret


class Answer(Body):
    """What somebody answers by a link."""

    token: Secret
    says: Literal["approve", "turn back"]
    comment: Text = ""


@router.get("/messages")
async def what_i_was_told(
    actor: Oneself,
    backend: UsesBackend,
    before: Annotated[int | None, Query(ge=1, lt=2**63)] = None,
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
) -> ToldPage:
    """What one was told, and what became of each of it."""
    return await told.told(backend, actor, before=before, limit=limit)


@router.get("/messages/choices")
async def my_choices(actor: Oneself, backend: UsesBackend) -> OwnChoices:
    """When one is told of what, as one chose and as it would be otherwise."""
    return await choosing.own(backend, actor)


@router.put("/messages/choices", status_code=HTTPStatus.NO_CONTENT)
async def choose(wanted: Choices, actor: Oneself, backend: UsesBackend) -> None:
    """Choose when one is told of what."""
    await choosing.choose(backend, actor, wanted)


@router.get("/messages/house")
async def house_choices(actor: Reader, backend: UsesBackend) -> HouseChoices:
    """What everybody is told of, and what groups have chosen for who has not."""
    return await choosing.of_house(backend, actor)


@router.put("/messages/house", status_code=HTTPStatus.NO_CONTENT)
async def insist(wanted: Insisted, actor: Administrator, backend: UsesBackend) -> None:
    """Have nobody choose never to be told of some kinds."""
    await choosing.insist(backend, actor, wanted)


@router.put("/messages/groups/{name}", responses=MISSING)
async def choose_for_group(
    name: Slug, wanted: GroupChoices, actor: Administrator, backend: UsesBackend
) -> Named:
    """Say when members of a group are told of what, where they have not chosen themselves."""
    return await choosing.choose_for_group(backend, actor, name, wanted)


@router.post("/answers/look", responses=MISSING)
async def look(link: AnswerLink, backend: UsesBackend) -> AnswerPage:
    """What a link from a mail asks; looking uses nothing up."""
    return await answering.look(backend, link.token)


@router.post("/answers", responses=DECIDED)
async def answer(given: Answer, backend: UsesBackend) -> Answered:
    """Approve or turn back by a link from a mail, once."""
    return await answering.answer(backend, given.token, says=given.says, comment=given.comment)


@router.post("/unsubscribe/{token}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def unsubscribe(token: Sealed, backend: UsesBackend) -> None:
    """Be mailed no more of the kinds that a mail was of, with one click (RFC 8058)."""
    await choosing.unsubscribe(backend, token)
