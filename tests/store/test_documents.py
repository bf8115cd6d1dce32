"""Documents as they are stored: the same text comes back; what waits keeps its parts, nothing else does."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import func, select
from tests.world import World

from dogana.service.promotions import refreshing
from dogana.store import documents, promotions
from dogana.store.packing import packed, unpacked
from dogana.store.tables.documents import DocumentRow, FactsPartRow


@given(st.text())
def test_a_text_comes_back_as_it_was(text):
    assert unpacked(packed(text)) == text


@given(st.text(min_size=1), st.data())
def test_what_was_changed_is_no_text_or_another(text, data):
    """Never a crash of another kind."""
    body = bytearray(packed(text))
    at = data.draw(st.integers(0, len(body) - 1))
    body[at] ^= data.draw(st.integers(1, 255))
    try:
        unpacked(bytes(body))
    except ValueError:
        return


def test_a_frame_that_says_it_is_huge_sets_nothing_aside():
    """Its size stands in its head, for whoever can write there."""
    data = bytearray(packed("x" * 300))
    data[4] |= 0xC0
    with pytest.raises(ValueError, match=r"longer than any|unpacked"):
        unpacked(bytes(data))


async def count(world: World, table: type) -> int:
    async with world.backend.database.transaction() as session:
        return await session.scalar(select(func.count()).select_from(table)) or 0


async def test_reading_again_what_did_not_change_stores_nothing(world: World):
    """Neither for good nor for a while; the times of reading stand with what waits."""
    row = await world.waiting()
    await world.refresh(row.number)
    before = await count(world, DocumentRow), await count(world, FactsPartRow)
    for _ in range(3):
        world.clock.now += timedelta(minutes=1)
        await world.refresh(row.number)
    assert (await count(world, DocumentRow), await count(world, FactsPartRow)) == before
    async with world.backend.database.transaction() as session:
        found = await promotions.with_facts(session, row.number)
    assert found is not None
    assert f'"read_at":"{world.clock.now:%Y-%m-%dT%H:%M:%SZ}"' in (found.facts or "")


async def test_parts_go_once_nothing_that_waits_has_them(world: World):
    """And what decisions rest on stays: the file of what is over reads as before."""
    row = await world.waiting()
    world.clock.now += timedelta(hours=2)
    assert await refreshing.forget_parts(world.backend) == 0 or await world.dossier(row.number)
    await world.refresh(row.number)
    await world.approve(row.number, "ilse")
    await world.approve(row.number, "henrik")
    await world.land(row.number)
    before = await world.dossier(row.number)
    assert before.row.state == "landed"
    world.clock.now += timedelta(hours=2)
    await refreshing.forget_parts(world.backend)
    assert await count(world, FactsPartRow) == 0
    after = await world.dossier(row.number)
    assert (after.findings, after.change) == (before.findings, before.change)


async def test_facts_that_are_not_whole_are_read_anew(world: World):
    """Silence is no fact: whoever opens it, or decides, has it inspected first."""
    row = await world.waiting()
    async with world.backend.database.transaction() as session:
        await session.execute(FactsPartRow.__table__.delete())
        found = await promotions.with_facts(session, row.number)
        assert found is not None
        assert (found.facts, found.unseen) == (None, (row.number,))
    assert (await world.dossier(row.number)).row.state == "waiting"
    await world.approve(row.number, "ilse")
    async with world.backend.database.transaction() as session:
        found = await promotions.with_facts(session, row.number)
    assert found is not None
    assert found.facts is not None


async def test_documents_of_which_a_part_is_gone_are_not_there(world: World):
    """Rather than facts with a hole in them."""
    row = await world.landed()
    async with world.backend.database.transaction() as session:
        whole = await documents.facts(session, {row.facts_digest or ""})
        assert list(whole) == [row.facts_digest]
    with pytest.raises(ValueError, match="unpacked"):
        unpacked(b"no frame")
