"""What the record says of promotions: of several at once as of each alone, and of none that there is not."""

import json
from datetime import timedelta

from tests.world import NOW, REVIEWERS, World

from dogana.store import facts
from dogana.store.facts import OnRecord


async def on_record(world: World, *numbers: int) -> OnRecord:
    async with world.backend.database.transaction() as session:
        return await facts.of_promotions(session, numbers, NOW, NOW - timedelta(days=31), NOW)


async def test_of_several_it_says_what_it_says_of_each_alone(world: World):
    """In one statement, whatever they are of and wherever they go; one environment once."""
    await world.landed("bench", "1.1.0")
    await world.adopt("bench", REVIEWERS)
    rows = [await world.ask("rehearsal", "1.1.0")]
    rows += [await world.ask("bench", f"1.{n}.0") for n in (2, 3)]
    numbers = [row.number for row in rows]
    await world.approve(numbers[0], "ilse")
    together = await on_record(world, *numbers)
    assert set(together.own) == set(numbers)
    assert set(together.there) == {"bench", "rehearsal"}
    for row in rows:
        alone = await on_record(world, row.number)
        assert alone.own == {row.number: together.own[row.number]}
        assert alone.there == {row.environment.id: together.there[row.environment.id]}
    said = {number: json.loads(text) for number, text in together.own.items()}
    assert [one["action"] for one in said[numbers[0]]["decisions"]] == ["approve"]
    assert [one["environment"] for one in said[numbers[0]]["landings"]] == ["bench"]
    assert [one["version"] for one in said[numbers[1]]["waiting"]] == ["1.2.0", "1.3.0"]
    assert json.loads(together.there["bench"])["runs"] == {"taps-portal": "1.1.0"}
    assert [one["version"] for one in json.loads(together.there["bench"])["traffic"]] == ["1.1.0"]
    assert json.loads(together.there["rehearsal"])["traffic"] == []


async def test_of_what_there_is_not_it_says_nothing(world: World):
    waiting = await world.ask("bench", "1.1.0")
    for numbers in ((99,), (99, 98), ()):
        assert await on_record(world, *numbers) == OnRecord(own={}, there={})
    assert set((await on_record(world, 99, waiting.number)).own) == {waiting.number}
