"""Outside systems over real HTTP, that can be made slow, wrong, lying or gone while they are asked."""

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from typing import Any

import uvicorn
from starlette.requests import Request
from starlette.responses import PlainTextResponse, RedirectResponse, Response, StreamingResponse

from dogana.demo.cluster import free_port
from dogana.tasks import end

Answer = Callable[[Request], Awaitable[Response]]


class Outside:
    """One address that answers as it is told to."""

    def __init__(self) -> None:
        self.port = free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self.mood = "well"
        self.asked: list[Request] = []
        self.answer: Answer | None = None

    async def __call__(self, scope, receive, send) -> None:
        if scope["type"] != "http":
            return
        request = Request(scope, receive)
        await request.body()
        self.asked.append(request)
        await (await self._respond(request))(scope, receive, send)

    async def _respond(self, request: Request) -> Response:
        if self.mood == "slow":
            await asyncio.sleep(3)
        if self.mood == "broken":
            return PlainTextResponse("down for repairs", 500)
        if self.mood == "wrong":
            return PlainTextResponse("<html>Sign in first</html>")
        if self.mood == "huge":
            return PlainTextResponse("x" * (17 << 20))
        if self.mood == "elsewhere":
            return RedirectResponse("http://10.0.0.1/secrets")
        assert self.answer is not None
        answer = await self.answer(request)
        if self.mood == "in part":
            answer.status_code = 206
        return _broken_off(bytes(answer.body)) if self.mood == "breaking off" else answer


def _broken_off(body: bytes) -> Response:
    """Half of an answer, after which the connection ends."""

    async def half() -> AsyncIterator[bytes]:
        yield body[: len(body) // 2]
        raise ConnectionError("the cable was cut")

    return StreamingResponse(half())


@asynccontextmanager
async def served(outside: Outside, app: Any = None) -> AsyncIterator[Outside]:
    """Listening while the block lasts, on the same port each time; or another application there."""
    config = uvicorn.Config(
        app or outside,
        host="127.0.0.1",
        port=outside.port,
        log_level="critical",
        lifespan="off" if app is None else "on",
        timeout_graceful_shutdown=1,
    )
    server = uvicorn.Server(config)
    server.install_signal_handlers = lambda: None  # type: ignore[method-assign]
    task = asyncio.create_task(server.serve())
    async with asyncio.timeout(10):
        while not server.started:
            await asyncio.sleep(0.01)
    try:
        yield outside
    finally:
        server.should_exit = True
        await asyncio.wait([task], timeout=5)
        await end([task])
