"""What is used again for a moment: asked once for all, never a trouble, never taken for newer than it is."""

import asyncio
import time
from datetime import timedelta

from tests.world import NOW

from dogana.core.facts import Reading, Series, Ticket
from dogana.sources.recent import RecentMetrics, RecentTracker
from dogana.sources.settings import Configured, MetricsSettings, TrackerSettings

TRACKER = Configured("t", "tickets", TrackerSettings(address="http://t/{key}"))
OTHER = Configured("t", "tickets", TrackerSettings(address="http://t/{key}", status="/state"))
SERVER = Configured("m", "metrics", MetricsSettings(address="http://m"))
FIVE = timedelta(minutes=5)


class Asked:
    """Answers each as often as it is asked, a minute later each time; what is down says so."""

    def __init__(self) -> None:
        self.times: list[object] = []
        self.down: set[object] = set()

    def _reading(self, key, value):
        self.times.append(key)
        at = NOW + timedelta(minutes=len(self.times))
        if key in self.down:
            return Reading(source="s", read_at=at, unknown="it is down")
        return Reading(source="s", read_at=at, value=value)

    async def tickets(self, tracker, keys):
        await asyncio.sleep(0)
        (key,) = keys
        return self._reading(key, (Ticket(key=key, status="done"),))

    async def series(self, server, query, environment, window):
        await asyncio.sleep(0)
        return self._reading((query, environment), Series(values=(1,)))


async def test_each_ticket_is_read_once_for_all_who_name_it_at_a_time():
    """And the whole is as old as its oldest."""
    asked = Asked()
    recent = RecentTracker(asked, 60)
    first, second = await asyncio.gather(
        recent.tickets(TRACKER, ("A-1", "A-2")), recent.tickets(TRACKER, ("A-2", "A-3"))
    )
    assert sorted(asked.times) == ["A-1", "A-2", "A-3"]
    assert [one.key for one in second.value or ()] == ["A-2", "A-3"]
    again = await recent.tickets(TRACKER, ("A-3", "A-1"))
    assert len(asked.times) == 3
    assert again.read_at == min(first.read_at, second.read_at)
    await recent.tickets(OTHER, ("A-1",))
    assert asked.times[-1] == "A-1", "it was set up otherwise since"


async def test_a_trouble_is_asked_again_and_makes_all_of_it_unknown():
    asked = Asked()
    asked.down = {"A-2"}
    recent = RecentTracker(asked, 60)
    for _ in range(2):
        reading = await recent.tickets(TRACKER, ("A-1", "A-2"))
        assert (reading.value, reading.unknown) == (None, "it is down")
    assert asked.times.count("A-2") == 2
    asked.down = set()
    assert len((await recent.tickets(TRACKER, ("A-1", "A-2"))).value or ()) == 2


async def test_a_tracker_that_is_away_is_not_waited_for_once_for_each_ticket():
    asked = Asked()
    keys = tuple(f"A-{n}" for n in range(100))
    asked.down = set(keys)
    assert (await RecentTracker(asked, 60).tickets(TRACKER, keys)).unknown == "it is down"
    assert len(asked.times) <= 8


async def test_a_tracker_that_hangs_keeps_nobody_from_asking_another():
    """However many of its tickets are asked for meanwhile."""
    never = asyncio.Event()

    class Hangs(Asked):
        async def tickets(self, tracker, keys):
            if tracker.id == "t":
                await never.wait()
            return await super().tickets(tracker, keys)

    recent = RecentTracker(Hangs(), 60)
    async with asyncio.timeout(5), asyncio.TaskGroup() as group:
        stuck = group.create_task(recent.tickets(TRACKER, tuple(f"A-{n}" for n in range(100))))
        await asyncio.sleep(0)
        well = Configured("u", "other tickets", TRACKER.settings)
        assert (await recent.tickets(well, ("B-1",))).value == (Ticket(key="B-1", status="done"),)
        assert not stuck.done()
        never.set()


class Slow(Asked):
    """What is down lets one wait for three seconds by a clock of the test's own."""

    def __init__(self) -> None:
        super().__init__()
        self.now = 0.0

    def _reading(self, key, value):
        self.now += 3.0 if key in self.down else 0.0
        return super()._reading(key, value)


async def test_who_lets_everybody_wait_in_vain_is_not_waited_for_for_a_moment(monkeypatch):
    """300 promotions do not wait three seconds each; then it is asked again, or once set up anew."""
    asked = Slow()
    monkeypatch.setattr(time, "monotonic", lambda: asked.now)
    recent, keys = RecentTracker(asked, 0), [f"A-{n}" for n in range(300)]
    asked.down = set(keys)
    for key in keys:
        assert (await recent.tickets(TRACKER, (key,))).unknown == "it is down"
    assert len(asked.times) == 8
    assert (await recent.tickets(OTHER, ("B-1",))).value is not None
    asked.down = set()
    asked.now += 11
    assert (await recent.tickets(TRACKER, ("A-1",))).value is not None


async def test_one_slow_ticket_among_others_keeps_none_of_them_from_being_read(monkeypatch):
    asked = Slow()
    monkeypatch.setattr(time, "monotonic", lambda: asked.now)
    recent, asked.down = RecentTracker(asked, 0), {"A-0"}
    for n in range(1, 30):
        assert (await recent.tickets(TRACKER, ("A-0",))).value is None
        assert (await recent.tickets(TRACKER, (f"A-{n}",))).value is not None


async def test_a_query_is_asked_once_for_an_environment_and_again_once_that_is_old():
    asked = Asked()
    recent = RecentMetrics(asked, 60)
    readings = await asyncio.gather(*(recent.series(SERVER, "up", "live", FIVE) for _ in range(5)))
    assert {one.read_at for one in readings} == {NOW + timedelta(minutes=1)}
    await recent.series(SERVER, "up", "bench", FIVE)
    await recent.series(SERVER, "up", "live", timedelta(minutes=6))
    assert len(asked.times) == 3
    at_once = RecentMetrics(asked, 0)
    for _ in range(2):
        await at_once.series(SERVER, "up", "live", FIVE)
    assert len(asked.times) == 5


async def test_who_gives_up_waiting_takes_nothing_from_the_others():
    asked = Asked()
    recent = RecentMetrics(asked, 60)
    impatient = asyncio.create_task(recent.series(SERVER, "up", "live", FIVE))
    patient = asyncio.create_task(recent.series(SERVER, "up", "live", FIVE))
    await asyncio.sleep(0)
    impatient.cancel()
    assert (await patient).value == Series(values=(1,))
    assert len(asked.times) == 1
