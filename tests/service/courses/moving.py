"""Releases that go in step by step before a metrics source whose figures a test sets."""

from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

from tests.world import TICKETS, World

from dogana.core.facts import Reading
from dogana.core.health.counters import Answer, Sample
from dogana.core.rollout import Plan
from dogana.demo.cast import ACTORS
from dogana.service.courses import steering, watching
from dogana.service.courses.view import CourseView, course_view

HOLD = timedelta(minutes=5)
PLAN = Plan.model_validate(
    {
        "steps": [{"share": 10, "hold": "PT5M"}, {"share": 50, "hold": "PT5M"}, {"share": 100}],
        "watch": ["errors"],
        "on_breach": "roll back",
    }
)
ROLLOUT = {
    "id": "rollout",
    "kind": "rollout",
    "title": "A tenth first, watched",
    "first_share": 10,
    "watch": [
        {
            "name": "errors",
            "kind": "share",
            "bad": 'failed_total{version="$version",service="$service"}',
            "all": 'requests_total{version="$version",service="$service"}',
            "at_most": 0.01,
        }
    ],
    "on_breach": "roll back",
}


@dataclass
class Figures:
    """A metrics source that counts as it is told to; `away` says why it cannot be read."""

    bad: float = 0.0
    all: float = 0.0
    away: str | None = None
    asked: list[str] = field(default_factory=list)

    async def vector(self, server: Any, query: str, at: datetime) -> Reading[Answer]:
        self.asked.append(query)
        if self.away:
            return Reading(source=server.title, read_at=at, unknown=self.away)
        value = self.bad if query.startswith("failed") else self.all
        sample = Sample(metric={"pod": "a"}, value=(at.timestamp(), repr(value)))
        return Reading(source=server.title, read_at=at, value=(sample,))

    def count(self, bad: float, of: float) -> None:
        self.bad, self.all = self.bad + bad, self.all + of


@dataclass
class Moving:
    """One that moves into the bench, its deployer holding the clearance."""

    world: World
    figures: Figures
    number: int

    @classmethod
    async def into(cls, world: World, plan: Plan | None = PLAN, *rules: dict[str, Any]) -> "Moving":
        figures = Figures()
        world.backend = replace(world.backend, metrics=figures)
        await world.adopt("bench", TICKETS, *(rules or (ROLLOUT,)))
        row = await world.ask("bench", plan=plan)
        await world.depart(row.number)
        return cls(world, figures, row.number)

    async def look(
        self, after: timedelta = timedelta(seconds=10), bad: float = 0.0, of: float = 100.0
    ) -> CourseView:
        """Time passes, requests come, and the worker looks at whatever is due."""
        self.world.clock.now += after
        self.figures.count(bad, of)
        await watching.look_due(self.world.backend)
        return await self.view()

    async def view(self, who: str = "ilse") -> CourseView:
        found = await course_view(self.world.backend, ACTORS[who], self.number)
        assert found is not None
        return found

    async def set_to(self, share: int) -> None:
        await steering.report_share(self.world.backend, ACTORS["pipeline"], self.number, share)

    async def orders(self) -> list[int]:
        told = await steering.orders(self.world.backend, ACTORS["pipeline"], self.number, after=0, patience=0)
        return [one.share for one in told.orders]

    async def healthy(self, share: int, looks: int = 31) -> CourseView:
        """A step held to its end, with nothing wrong in it."""
        await self.set_to(share)
        for _ in range(looks):
            view = await self.look()
        return view
