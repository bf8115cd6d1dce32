"""The ledger as people read it: however narrowed, all that fits is there and nothing else."""

from dataclasses import replace

import pytest
from tests.world import World

from dogana.demo.cast import ACTORS
from dogana.service.ledger import sequencer
from dogana.service.views import ledger as ledger_pages
from dogana.service.views.ledger import EntryView
from dogana.store.ledger import EntryFilter

FILTERS = {
    "promotion": lambda entry: entry.promotion,
    "actor": lambda entry: entry.actor.id,
    "environment": lambda entry: entry.environment,
    "service": lambda entry: entry.service,
    "action": lambda entry: entry.action,
}


async def every(world: World, wanted: EntryFilter, at_once: int = 200) -> list[EntryView]:
    """All that fit, page by page."""
    found: list[EntryView] = []
    while True:
        page = await ledger_pages.ledger_page(world.backend, ACTORS["wanjiru"], wanted, at_once)
        found += page.entries
        if page.next is None:
            return found
        wanted = replace(wanted, before=page.next)


@pytest.fixture
async def told(world: World) -> World:
    """A world in which people and the inspection have said this and that."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    await world.land((await world.ask("bench", "1.3.0")).number)
    return world


async def test_a_filter_gives_all_that_fits_and_nothing_else(told: World):
    entries = await every(told, EntryFilter())
    for name, of in FILTERS.items():
        values = {of(entry) for entry in entries} - {None}
        assert len(values) > 1 or name == "service"
        for value in values:
            found = await every(told, EntryFilter(**{name: value}))
            assert found == [entry for entry in entries if of(entry) == value], name
        nobody = {"promotion": 10**9}.get(name, "nothing-is-called-this")
        assert await every(told, EntryFilter(**{name: nobody})) == [], name


async def test_filters_narrow_together_and_words_are_taken_as_they_are(told: World):
    """By what they begin with, in any order; signs that a query would have a meaning for are signs."""
    entries = await every(told, EntryFilter())
    both = await every(told, EntryFilter(actor="ilse", action="approve"))
    assert both == [entry for entry in entries if (entry.actor.id, entry.action) == ("ilse", "approve")] != []
    assert await every(told, EntryFilter(words="APPROVED taps")) == both
    assert await every(told, EntryFilter(words="taps approv")) == both
    assert await every(told, EntryFilter(words="pproved")) == []
    assert await every(told, EntryFilter(words="of approved sea")) == both
    assert await every(told, EntryFilter(words="rel approved")) == []
    assert await every(told, EntryFilter(words="approved & nothing | taps")) == []
    assert await every(told, EntryFilter(words="!approved taps")) == both
    for odd in ("'", "\\", "'approved':*)", "<->", "%", "a' | 'b", "\u2014", "& | !", "\\' taps"):
        found = await every(told, EntryFilter(words=odd))
        assert len(found) < len(entries)


async def test_a_digest_is_found_by_how_it_begins_with_words_beside_it(told: World):
    """With its kind and without, as long as one likes, in capitals too; not from its middle."""
    entries = await every(told, EntryFilter())
    (one, *_) = [entry for entry in entries if entry.on]
    whole = one.on["sheet"]
    naming = [entry for entry in entries if whole in str(entry.on)]
    bare = whole.removeprefix("sha256:")
    for words in (whole, bare, bare[:16], bare[:40].upper(), f"{one.actor.name.split()[0]} {whole}"):
        assert one in await every(told, EntryFilter(words=words)), words
    assert await every(told, EntryFilter(words=whole)) == naming
    for words in (bare[1:], bare[:16] + "0" * 16, f"{whole} nobody", f"{whole} {'0' * 64}"):
        assert await every(told, EntryFilter(words=words)) == [], words


async def test_pages_follow_each_other_without_a_gap(told: World):
    whole = await every(told, EntryFilter())
    for at_once in (1, 2, 7):
        assert await every(told, EntryFilter(), at_once) == whole
    assert [entry.id for entry in whole] == sorted((entry.id for entry in whole), reverse=True)


async def test_what_is_not_sequenced_yet_has_no_index_and_is_under_no_checkpoint(told: World):
    page = await ledger_pages.ledger_page(told.backend, ACTORS["wanjiru"], EntryFilter(), 200)
    assert (page.checkpoint, {entry.index for entry in page.entries}) == (None, {None})
    while await sequencer.sequence(told.backend, told.key, "test"):
        continue
    page = await ledger_pages.ledger_page(told.backend, ACTORS["wanjiru"], EntryFilter(), 200)
    assert page.checkpoint is not None
    assert page.checkpoint.size == page.total == len(page.entries)
    assert [entry.index for entry in page.entries] == list(range(page.total - 1, -1, -1))
