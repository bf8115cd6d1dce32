"""What is asked for at the same time is done together, and nobody pays for what another one asked."""

import asyncio
from collections.abc import Sequence

import pytest

from dogana.service.coalescing import Batcher


class _RefusedError(Exception):
    """What the tests refuse with."""


async def test_a_refused_one_is_refused_alone() -> None:
    served: list[list[int]] = []

    async def serve(asked: Sequence[int]) -> list[int]:
        served.append(list(asked))
        await asyncio.sleep(0)
        if 3 in asked:
            raise _RefusedError
        return [one * 10 for one in asked]

    together: Batcher[int, int] = Batcher()
    given = await asyncio.gather(*(together.ask(n, serve) for n in range(6)), return_exceptions=True)

    assert [one for n, one in enumerate(given) if n != 3] == [0, 10, 20, 40, 50]
    assert isinstance(given[3], _RefusedError)
    assert served[0] == [0, 1, 2, 3, 4, 5]


async def test_those_who_came_before_are_waited_for() -> None:
    """Who asks again after each answer is served together with the others, however the first ones came."""
    served: list[int] = []

    async def serve(asked: Sequence[int]) -> list[int]:
        served.append(len(asked))
        await asyncio.sleep(0.005)
        return list(asked)

    together: Batcher[int, int] = Batcher()

    async def client(n: int) -> None:
        for _ in range(5):
            await asyncio.sleep(0.0005 * n)
            await together.ask(n, serve)

    await asyncio.gather(*(client(n) for n in range(8)))
    assert sum(served) == 40
    assert served[0] == 1
    assert max(served) > 4
    assert len(served) < 20


async def test_who_no_longer_waits_keeps_nobody_waiting() -> None:
    async def serve(asked: Sequence[int]) -> list[int]:
        await asyncio.sleep(0.05)
        return list(asked)

    together: Batcher[int, int] = Batcher()
    with pytest.raises(TimeoutError):
        await asyncio.wait_for(together.ask(1, serve), 0.01)
    assert await asyncio.wait_for(together.ask(2, serve), 5) == 2
