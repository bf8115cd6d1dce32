"""Hundreds of acts in any order: whatever departed was let in, as a judge of another make finds it."""

import random
from collections import Counter
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import pytest
from tests.world import REVIEWERS, TICKETS, World, artifact

from dogana.core.errors import DoganaError
from dogana.core.facts import Report
from dogana.core.record.replay import replayed
from dogana.demo.cast import ACTORS
from dogana.service.configuration import proposals
from dogana.service.delivery import course
from dogana.service.landscape import closings, evidence
from dogana.service.ledger import audit
from dogana.service.people import leaving, stand_ins
from dogana.service.people.stand_ins import WantedStandIn
from dogana.service.promotions import decisions, refreshing, waivers
from dogana.store import promotions

pytestmark = pytest.mark.thorough
SCAN = {
    "id": "scan",
    "kind": "evidence",
    "title": "Nothing found",
    "name": "scan",
    "holds": "content.high == 0",
}
DESK, LEADS, CONTROL = ("ilse", "tomas"), ("henrik", "yuki"), ("tomas", "adaeze")
VERSIONS = ("1.1.0", "1.2.0", "1.3.0")
FRESH = timedelta(minutes=15)
"""For how long what a tracker said counts."""


@dataclass
class Word:
    """Somebody's approval, on what was there then."""

    on: tuple[Any, ...]
    sits_for: str


@dataclass
class Pending:
    """What the judge knows of one promotion."""

    version: str
    words: dict[str, Word] = field(default_factory=dict)
    waived_until: datetime | None = None


@dataclass
class Judge:
    """Keeps what happened in its own simple way, and says what may go."""

    now: datetime
    scans: dict[str, int] = field(default_factory=dict)
    open_since: dict[str, datetime | None] = field(default_factory=dict)
    """Since when the ticket of a version has not been done; None while it is."""
    pending: dict[int, Pending] = field(default_factory=dict)
    closed_until: dict[int, datetime] = field(default_factory=dict)
    disabled: set[str] = field(default_factory=set)
    stand_ins: list[tuple[str, str, datetime, datetime]] = field(default_factory=list)

    def shown(self, version: str) -> tuple[Any, ...]:
        """What an approval is bound to that changes here."""
        return (self.scans.get(version),)

    def why_not(self, number: int) -> str | None:
        """Why a promotion may not depart now; None where it may."""
        one = self.pending[number]
        if any(self.now < until for until in self.closed_until.values()):
            return "the bench is closed"
        if self.scans.get(one.version) != 0:
            return "no good scan"
        since = self.open_since.get(one.version)
        waived = one.waived_until is not None and self.now < one.waived_until
        if since is not None and self.now - since > FRESH and not waived:
            return "its ticket is not done"
        return None if self.seated(one) else "too few seats are taken"

    def seated(self, one: Pending) -> bool:
        """Whether a lead and somebody of the desk sit, who are two, for two."""
        sitting = {
            (who, word.sits_for)
            for who, word in one.words.items()
            if word.on == self.shown(one.version) and not {who, word.sits_for} & self.disabled
        }
        return any(
            a[1] in DESK and b[1] in LEADS and a[0] != b[0] and a[1] != b[1] for a in sitting for b in sitting
        )


class Walk:
    """One house, in which things happen."""

    def __init__(self, world: World, seed: int) -> None:
        self.world, self.by_chance = world, random.Random(seed)
        self.judge = Judge(world.clock.now)
        self.moving: list[int] = []
        self.departed = 0
        self.trace: list[str] = []
        self.done: Counter[str] = Counter()

    async def go(self, steps: int) -> None:
        """One act after another, each by somebody."""
        acts: list[tuple[Callable[[], Awaitable[None]], int]] = [
            (self.ask, 4),
            (self.approve, 14),
            (self.retract, 2),
            (self.turn_back, 1),
            (self.scan, 4),
            (self.ticket, 1),
            (self.wait, 4),
            (self.close_now, 1),
            (self.open_again, 4),
            (self.waive, 3),
            (self.stand_in, 2),
            (self.disable, 1),
            (self.depart, 6),
            (self.arrive, 6),
            (self.hurry, 6),
        ]
        for _ in range(steps):
            (act,) = self.by_chance.choices([act for act, _ in acts], [weight for _, weight in acts])
            name = act.__name__
            try:
                await act()
            except DoganaError as exc:
                self.trace.append(f"{name}: refused, {exc}")
            else:
                self.done[name] += 1
            await self.judged()

    async def judged(self) -> None:
        """See that whatever has departed by now may: here it does so by itself, once it is cleared."""
        async with self.world.backend.database.transaction() as session:
            rows = [await promotions.get(session, number) for number in sorted(self.judge.pending)]
            states = {row.number: row.state for row in rows if row is not None}
        for number, state in states.items():
            if state == "moving":
                assert self.judge.why_not(number) is None, (self.judge.why_not(number), self.trace[-12:])
                del self.judge.pending[number]
                self.moving.append(number)

    def any_pending(self) -> int:
        if not self.judge.pending:
            raise DoganaError("nothing waits")
        return self.by_chance.choice(sorted(self.judge.pending))

    def anybody(self, *of: str) -> str:
        return self.by_chance.choice(of or (*DESK, *DESK, *LEADS, *LEADS, "adaeze"))

    async def ask(self) -> None:
        version = self.by_chance.choice(VERSIONS)
        row = await self.world.ask("bench", version, artifacts=(artifact(byte="1"),))
        self.judge.pending.setdefault(row.number, Pending(version))

    async def hurry(self) -> None:
        """All that is missing, one after the other; or all but one."""
        number = self.any_pending()
        version = self.judge.pending[number].version
        but = self.by_chance.choice(("", "", "ticket", "scan", "desk", "leads", "open", "enabled"))
        for one in VERSIONS:
            await self.say_done(one, done=but != "ticket" or one != version)
        await self.found(version, int(but == "scan"))
        if but == "open":
            await self.close_for(30, "tomas")
        await refreshing.refresh(self.world.backend, number)
        seats = [
            who for of, who in (("desk", self.anybody(*DESK)), ("leads", self.anybody(*LEADS))) if of != but
        ]
        if but == "enabled":
            await self.approve_by(number, seats.pop())
            await self.disable()
        for who in seats:
            await self.approve_by(number, who)

    async def approve(self) -> None:
        number, who = self.any_pending(), self.anybody()
        if self.by_chance.random() < 0.5:
            await refreshing.refresh(self.world.backend, number)
        await self.approve_by(number, who)

    async def approve_by(self, number: int, who: str) -> None:
        shown = (await self.world.dossier(number, who)).mine.shown
        on = self.judge.shown(self.judge.pending[number].version)
        sheet = await decisions.approve(self.world.backend, ACTORS[who], number, shown=shown, comment="")
        (seat,) = [seat for seat in sheet.seats() if seat.taken_by == who]
        sits_for = seat.taken_for or who
        if sits_for != who:
            assert any(
                (a, b) == (who, sits_for) and start <= self.judge.now < end
                for a, b, start, end in self.judge.stand_ins
            ), self.trace
        self.judge.pending[number].words[who] = Word(on, sits_for)

    async def retract(self) -> None:
        number, who = self.any_pending(), self.anybody()
        await decisions.retract(self.world.backend, ACTORS[who], number, comment="on second thoughts")
        del self.judge.pending[number].words[who]

    async def turn_back(self) -> None:
        number, who = self.any_pending(), self.anybody()
        shown = (await self.world.dossier(number, who)).mine.shown
        await decisions.turn_back(self.world.backend, ACTORS[who], number, shown=shown, comment="no")
        del self.judge.pending[number]

    async def scan(self) -> None:
        await self.found(self.by_chance.choice(VERSIONS), self.by_chance.choice((0, 0, 0, 1)))

    async def found(self, version: str, high: int) -> None:
        report = Report(
            name="scan", kind="scan", produced_at=self.judge.now, by="a scanner", content={"high": high}
        )
        await evidence.attach(self.world.backend, ACTORS["pipeline"], "taps-portal", version, report)
        self.judge.scans[version] = high
        self.trace.append(f"a scan of {version} found {high}")

    async def ticket(self) -> None:
        await self.say_done(self.by_chance.choice(VERSIONS), done=self.by_chance.random() < 0.5)

    async def say_done(self, version: str, *, done: bool) -> None:
        self.world.tickets[f"TAPS-{version[2]}"].status = "done" if done else "open"
        since = self.judge.open_since.get(version)
        self.judge.open_since[version] = None if done else since or self.judge.now

    async def wait(self) -> None:
        self.world.clock.now += timedelta(minutes=self.by_chance.choice((1, 5, 20)))
        self.judge.now = self.world.clock.now
        for number in self.judge.pending:
            await refreshing.refresh(self.world.backend, number)

    async def close_now(self) -> None:
        await self.close_for(self.by_chance.choice((10, 30)), self.anybody(*CONTROL, "ilse"))

    async def close_for(self, minutes: int, who: str) -> None:
        until = self.judge.now + timedelta(minutes=minutes)
        shut = await closings.close_now(self.world.backend, ACTORS[who], "bench", until=until, reason="storm")
        assert who in CONTROL
        self.judge.closed_until[shut.id] = until

    async def open_again(self) -> None:
        if not self.judge.closed_until:
            raise DoganaError("nothing is closed")
        shut = self.by_chance.choice(sorted(self.judge.closed_until))
        who = ACTORS[self.anybody(*CONTROL)]
        if (await closings.open_again(self.world.backend, who, shut, reason="calm")).opened_at is not None:
            del self.judge.closed_until[shut]

    async def waive(self) -> None:
        number, first, second = self.any_pending(), self.anybody(), self.anybody()
        shown = (await self.world.dossier(number, first)).mine.shown
        until = self.judge.now + timedelta(minutes=self.by_chance.choice((5, 60)))
        more = {"until": until, "reason": "it cannot wait", "shown": shown}
        await waivers.ask_waiver(self.world.backend, ACTORS[first], number, "tickets", **more)
        asked_at = self.judge.now
        await waivers.grant_waiver(
            self.world.backend, ACTORS[second], number, "tickets", asked_at=asked_at, comment=""
        )
        assert first != second
        assert second in LEADS
        self.judge.pending[number].waived_until = until

    async def stand_in(self) -> None:
        who, other = self.anybody(), self.anybody()
        span = {"start": self.judge.now, "end": self.judge.now + timedelta(minutes=40)}
        wanted = WantedStandIn(person=who, stands_in_for=other, **span)
        await stand_ins.name_stand_in(self.world.backend, ACTORS[other], wanted)
        self.judge.stand_ins.append((who, other, *span.values()))

    async def disable(self) -> None:
        who = self.anybody("ilse", "yuki")
        if who in self.judge.disabled:
            asked = await leaving.enable(self.world.backend, ACTORS["dario"], who)
            await proposals.confirm(self.world.backend, ACTORS["marco"], asked.waits or 0)
            self.judge.disabled.discard(who)
        else:
            await leaving.remove_person(self.world.backend, ACTORS["dario"], who)
            self.judge.disabled.add(who)

    async def depart(self) -> None:
        await course.depart(self.world.backend, ACTORS["pipeline"], self.any_pending())

    async def arrive(self) -> None:
        if not self.moving:
            raise DoganaError("nothing moves")
        number = self.moving.pop()
        if self.by_chance.random() < 0.5:
            await self.world.land(number, artifact(byte="1"))
        else:
            await self.world.depart(number)
            await course.roll_back(self.world.backend, ACTORS["pipeline"], number, note="it failed")
        self.departed += 1


@pytest.mark.parametrize("seed", range(4))
async def test_whatever_departed_was_let_in(world: World, seed: int):
    """And what is on record of it verifies, and comes to the same when it is worked out again."""
    rules = [REVIEWERS, TICKETS | {"waivable": "test-leads"}, SCAN]
    document = {"format": "dogana.policy/1", "title": "Bench", "zone": "Europe/Rome", "rules": rules}
    await world.adopt_document("bench", {**document, "closes": "control-room"})
    walk = Walk(world, seed)
    await walk.go(160)
    assert walk.departed + len(walk.moving) >= 1, (walk.done, walk.trace[-40:])
    await world.sequence()
    assert (await world.verified()).verified
    behind = [one async for _, one in audit.sheets(world.backend)]
    assert behind
    assert [why for why in map(replayed, behind) if why is not None] == []
