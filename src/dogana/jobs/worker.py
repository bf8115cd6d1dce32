"""The worker: loops that find their work in the database, so any number of workers may run.

What is due stands in the promotions' own rows; a worker that dies leaves nothing behind but work still due.
"""

import asyncio
import contextlib
from collections.abc import Awaitable, Callable

import structlog
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.core.errors import AwayError, DoganaError
from dogana.service.backend import Backend
from dogana.service.calendars import files
from dogana.service.chat import listening, posting
from dogana.service.counting import INSPECTIONS, ROUNDS, SEQUENCED
from dogana.service.courses import watching
from dogana.service.delivery import automation, ending
from dogana.service.estate import scope_changes, sightings
from dogana.service.exchange import idempotency, inbound, outbound
from dogana.service.landed import sign_offs
from dogana.service.landscape import repositories
from dogana.service.ledger import sequencer
from dogana.service.messages import entries, mailing, seats
from dogana.service.policies import drafts
from dogana.service.promotions import failures, refreshing
from dogana.service.sources import scraping
from dogana.store import schedule
from dogana.tasks import end

_log = structlog.get_logger("dogana.worker")
_IDLE_SECONDS = 1.0
_NOW_AND_THEN = 10.0
_AT_ONCE = 16


class Worker:
    """The loops, woken by notices from the database."""

    def __init__(self, backend: Backend, key: Ed25519PrivateKey, ledger_name: str) -> None:
        self._backend = backend
        self._key = key
        self._name = ledger_name
        self._inspect = asyncio.Event()
        self._sequence = asyncio.Event()
        self._tell = asyncio.Event()
        self._notify = asyncio.Event()
        self._post = asyncio.Event()
        self._follow = asyncio.Event()
        self._watch = asyncio.Event()
        self._wakes = (
            self._inspect,
            self._sequence,
            self._tell,
            self._notify,
            self._post,
            self._follow,
            self._watch,
        )

    async def run(self) -> None:
        """Work for good; a database that goes away is waited for.

        What happened while no worker ran is unknown, so everything pending is inspected first.
        """
        async with self._backend.database.transaction() as session:
            schedule.inspection(session, self._backend.clock())
        loops = [
            asyncio.create_task(self._listen()),
            asyncio.create_task(self._again(self._inspect, self.inspect_due)),
            asyncio.create_task(self._again(self._sequence, self.sequence)),
            asyncio.create_task(self._again(self._tell, self.tell)),
            asyncio.create_task(self._again(self._notify, self.notify)),
            asyncio.create_task(self._again(asyncio.Event(), self.mail)),
            asyncio.create_task(self._again(self._post, self.post)),
            asyncio.create_task(self._again(asyncio.Event(), self.listen_to_rooms)),
            asyncio.create_task(self._again(self._follow, self.follow)),
            asyncio.create_task(self._again(self._watch, self.watch)),
            asyncio.create_task(self._again(asyncio.Event(), self.look_outside)),
            asyncio.create_task(self._again(asyncio.Event(), self.look_again)),
        ]
        try:
            done, _ = await asyncio.wait(loops, return_when=asyncio.FIRST_COMPLETED)
            for loop in done:
                loop.result()
        finally:
            await end(loops)

    async def inspect_due(self) -> None:
        """Inspect everything that is due, a few at once; a slow one holds up no other."""
        going: dict[int, asyncio.Task[None]] = {}
        try:
            while True:
                async with self._backend.database.transaction() as session:
                    due = await schedule.due(session, self._backend.clock(), 2 * _AT_ONCE)
                for number in [one for one in due if one not in going][: _AT_ONCE - len(going)]:
                    going[number] = asyncio.create_task(self._refresh(number))
                if not going:
                    return
                await asyncio.wait(going.values(), return_when=asyncio.FIRST_COMPLETED)
                for number in [number for number, task in going.items() if task.done()]:
                    going.pop(number).result()
        finally:
            await end(going.values())

    async def _refresh(self, number: int) -> None:
        async with failures.kept(self._backend, number):
            await refreshing.refresh(self._backend, number)
            INSPECTIONS.inc()

    async def sequence(self) -> None:
        """Give places to what was written, until nothing waits."""
        while placed := await sequencer.sequence(self._backend, self._key, self._name):
            SEQUENCED.inc(placed)

    async def tell(self) -> None:
        """Send what other systems are to be told."""
        while await outbound.send_due(self._backend):
            continue

    async def notify(self) -> None:
        """Find out who is to be told of what happened, and of what waits for them."""
        while await entries.tell_of_entries(self._backend):
            continue
        while await seats.tell_of_seats(self._backend):
            continue

    async def mail(self) -> None:
        """Hand over the mail that is due."""
        while await mailing.mail_due(self._backend):
            continue

    async def post(self) -> None:
        """Write what changed into the rooms of the chat."""
        await posting.post_due(self._backend)

    async def listen_to_rooms(self) -> None:
        """Hear what is said in the rooms, and answer it."""
        await listening.listen(self._backend)

    async def follow(self) -> None:
        """Do what follows from what happened and from the time of day."""
        await self._each(
            drafts.begin_due,
            automation.depart_on_schedule,
            automation.depart_bundles,
            automation.follow,
            automation.end_previews,
            ending.say_overdue,
            sign_offs.remind_due,
        )

    async def watch(self) -> None:
        """Look at everything that goes in step by step."""
        await watching.look_due(self._backend)

    async def look_again(self) -> None:
        """Try events that came too early, now and then; and let go of what is long done with."""
        await self._each(
            inbound.retry,
            idempotency.forget_old,
            outbound.forget_old,
            entries.tell_of_sources,
            mailing.forget_old,
            scope_changes.follow_queries,
            refreshing.forget_parts,
        )
        await asyncio.sleep(_NOW_AND_THEN)

    async def look_outside(self) -> None:
        """Read the pages and calendars that are kept up by looking at them again and again."""
        await self._each(
            scraping.scrape_due, sightings.look_due, files.follow_addresses, repositories.look_due
        )

    async def _each(self, *works: Callable[[Backend], Awaitable[object]]) -> None:
        """One after the other; what fails of them is logged and keeps none of the rest from its turn.

        Raises:
            AwayError: when the database is away.
        """
        for work in works:
            await self._tried(work.__name__, work(self._backend))

    async def _tried(self, name: str, work: Awaitable[object]) -> bool:
        """Do some work; whatever is wrong with it is logged, and the other work goes on.

        Returns:
            False where it failed by a fault of the program.

        Raises:
            AwayError: when the database is away.
        """
        try:
            await work
        except AwayError:
            raise
        except DoganaError as exc:
            _log.warning("not done", work=name, code=exc.code, detail=exc.detail)
        except Exception:  # noqa: BLE001 - the loops stand by themselves
            ROUNDS.labels(name).inc()
            _log.exception("failed", work=name)
            return False
        return True

    async def _listen(self) -> None:
        while True:
            with contextlib.suppress(AwayError):
                async for _ in self._backend.database.listen():
                    for event in self._wakes:
                        event.set()
            await asyncio.sleep(_IDLE_SECONDS)

    async def _again(self, woken: asyncio.Event, work: Callable[[], Awaitable[None]]) -> None:
        while True:
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(_IDLE_SECONDS):
                    await woken.wait()
            woken.clear()
            try:
                went = await self._tried(work.__name__, work())
            except AwayError as exc:
                _log.warning("away", detail=exc.detail)
                went = False
            if not went:
                await asyncio.sleep(_IDLE_SECONDS)
