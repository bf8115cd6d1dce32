"""Boards of services and charts, and the walls they hang on."""

from http import HTTPStatus
from typing import Annotated

from fastapi import Path, Query

from dogana.service.estate import boards
from dogana.service.estate.boards import EstateBoard, EstateBoardView, ShownBoard, Wall
from dogana.web.access import Oneself, Reader, UsesBackend
from dogana.web.idempotency import REPEATABLE
from dogana.web.routing import DECIDED, MISSING, Id, router_of

router = router_of("boards")
Points = Annotated[int, Query(ge=10, le=2000)]


@router.get("/boards")
async def list_boards(actor: Oneself, backend: UsesBackend) -> list[EstateBoardView]:
    """One's own boards, by name."""
    return await boards.mine(backend, actor)


@router.post("/boards", dependencies=REPEATABLE, responses=DECIDED)
async def make_board(new: EstateBoard, actor: Oneself, backend: UsesBackend) -> EstateBoardView:
    """Make a board."""
    return await boards.keep(backend, actor, None, new)


@router.get("/boards/{number}", responses=MISSING)
async def get_board(number: Id, actor: Reader, backend: UsesBackend) -> EstateBoardView:
    """Anybody's board, by its link."""
    return await boards.get(backend, actor, number)


@router.get("/boards/{number}/shown", responses=MISSING)
async def show_board(number: Id, actor: Reader, backend: UsesBackend, points: Points = 400) -> ShownBoard:
    """A board as it is now."""
    return await boards.show(backend, actor, number, points=points)


@router.put("/boards/{number}", responses=DECIDED)
async def change_board(number: Id, new: EstateBoard, actor: Oneself, backend: UsesBackend) -> EstateBoardView:
    """Change one's own board."""
    return await boards.keep(backend, actor, number, new)


@router.delete("/boards/{number}", status_code=HTTPStatus.NO_CONTENT, responses=DECIDED)
async def drop_board(number: Id, actor: Oneself, backend: UsesBackend) -> None:
    """Delete one's own board."""
    await boards.drop(backend, actor, number)


@router.post("/boards/{number}/wall", responses=DECIDED)
async def hang_board(number: Id, actor: Oneself, backend: UsesBackend) -> Wall:
    """Make an address that shows the board on a wall for 90 days, to whoever has it; an earlier one ends."""
    return await boards.hang(backend, actor, number)


@router.delete("/boards/{number}/wall", status_code=HTTPStatus.NO_CONTENT, responses=DECIDED)
async def take_board_down(number: Id, actor: Oneself, backend: UsesBackend) -> None:
    """End the address of a board's wall."""
    await boards.take_down(backend, actor, number)


@router.get("/walls/{secret}")
async def read_wall(
    secret: Annotated[str, Path(max_length=200)], backend: UsesBackend, points: Points = 400
) -> ShownBoard:
    """The board of a wall, by the secret in its address."""
    return await boards.on_wall(backend, secret, points)
