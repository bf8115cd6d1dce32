"""Watches how long requests keep the event loop from everybody else."""

import gc
import re
import time
from collections.abc import Coroutine, Generator
from itertools import count
from typing import Any

MOST_SECONDS = 0.05
"""Of processor time, not of the clock: what else the machine does is no fault of the request."""
_MEASURE_SECONDS = 0.005
"""What `_measure` takes on the machine that the limit is meant for."""


def _measure() -> float:
    """By how much this machine is slower just now; at least 1.

    Processors that are shared take two or three times as long for the same work from one minute to the next.
    """
    began = time.thread_time()
    sum(number * number for number in range(50_000))
    return max(1.0, (time.thread_time() - began) / _MEASURE_SECONDS)


class Blocked:
    """What kept the event loop in each attempt of a test.

    A processor that is shared stands still now here, now there, and charges that to whoever had it;
    a step that computes too long does so each time. So a test is to blame for what all attempts show.
    """

    def __init__(self) -> None:
        self._shown: dict[str, set[str]] = {}

    def each_time(self, test: str, steps: dict[str, float]) -> dict[str, float]:
        """Of the steps of this attempt, in seconds each, those that were too long in all before it too."""
        always = self._shown.get(test, set(steps)) & set(steps)
        self._shown[test] = always
        return {step: steps[step] for step in always}


BLOCKED = Blocked()
_OF_ONE_RUN = re.compile(r"[0-9a-f-]{16,}|\d+")
"""What names one row, or somebody's token: another in each attempt."""


class _Collecting:
    """How long garbage was looked for: a test process has hundreds of megabytes, a server freezes its own."""

    def __init__(self) -> None:
        self.seconds = 0.0
        self._began = 0.0
        gc.callbacks.append(self._note)

    def _note(self, phase: str, _: dict[str, int]) -> None:
        if phase == "start":
            self._began = time.thread_time()
        else:
            self.seconds += time.thread_time() - self._began


COLLECTING = _Collecting()


class Watch:
    """Middleware that notes how many seconds each step of a request took that took longer."""

    def __init__(self, app: Any, blocked: dict[str, float]) -> None:
        self._app, self._blocked = app, blocked

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        called = f"{scope['method']} {_OF_ONE_RUN.sub('*', scope['path'])}"
        await _Steps(self._app(scope, receive, send), called, self._blocked)


class _Steps:
    def __init__(self, work: Coroutine[Any, Any, None], called: str, blocked: dict[str, float]) -> None:
        self._work, self._called, self._blocked = work, called, blocked

    def __await__(self) -> Generator[Any, Any, None]:
        sent: Any = None
        thrown: BaseException | None = None
        for step in count():
            began, collected = time.thread_time(), COLLECTING.seconds
            try:
                asked = self._work.throw(thrown) if thrown is not None else self._work.send(sent)
            except StopIteration:
                return
            finally:
                took = time.thread_time() - began - (COLLECTING.seconds - collected)
                if took > MOST_SECONDS and took > MOST_SECONDS * _measure():
                    self._blocked[f"{self._called}, step {step}"] = took
            sent = thrown = None
            try:
                sent = yield asked
            except BaseException as exc:  # noqa: BLE001 - handed on to the work, as awaiting it would
                thrown = exc
