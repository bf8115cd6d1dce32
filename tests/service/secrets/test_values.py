"""A secret that is kept goes where it was meant for, and nowhere else."""

import json
from typing import Any

import httpx
import pytest
from tests.world import World

from dogana.core.errors import InvalidError, RefusedError
from dogana.core.time.windows import Calendar
from dogana.demo.cast import ACTORS
from dogana.service.calendars import shared
from dogana.service.exchange import parties
from dogana.service.sources import connection_test, registry
from dogana.service.sources.registry import SourceView
from dogana.service.views import ledger as ledger_pages
from dogana.sources.settings import GitSettings
from dogana.store.ledger import EntryFilter

DARIO = ACTORS["dario"]
HERE = "https://tickets.corvale.example/{key}"
ELSEWHERE = "https://evil.example/{key}"


class Listening(httpx.AsyncBaseTransport):
    """Everybody outside: answers, and notes what was sent to whom."""

    def __init__(self) -> None:
        self.heard: list[tuple[str, str | None]] = []

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        self.heard.append(
            (request.url.host, request.headers.get("authorization") or request.headers.get("x-key"))
        )
        return httpx.Response(200, json={"status": "done"})


async def keep(world: World, secret: str | None = None, kind: str = "tickets", **settings: Any) -> SourceView:
    await world.seconded(
        registry.keep(
            world.backend,
            DARIO,
            "other",
            kind=kind,
            title="Other",
            settings={"projects": ["OTHER"], **settings} if kind == "tickets" else settings,
            secret=secret,
            expected=None,
        )
    )
    return next(one for one in await registry.all_sources(world.backend, DARIO) if one.id == "other")


async def tried(world: World, source: str | None = "other", secret: str | None = None, **settings: Any):
    return await connection_test.run(
        world.backend,
        DARIO,
        kind="tickets",
        given={"projects": ["OTHER"], **settings},
        secret=secret,
        source=source,
        asked="OTHER-1",
    )


@pytest.fixture
def outside(world: World) -> Listening:
    listening = Listening()
    client = httpx.AsyncClient(transport=listening)
    object.__setattr__(world.backend, "client", client)
    object.__setattr__(world.backend.tracker, "_client", client)
    return listening


MOVED = [
    {"address": ELSEWHERE},
    {"address": HERE.replace("https", "http")},
    {"address": HERE.replace("corvale.example", "corvale.example:8443")},
    {"address": HERE.replace("/{key}", "/other/{key}")},
    {"address": "https://tickets.corvale.example@evil.example/{key}"},
    {"address": HERE, "header": "X-Key"},
    {"address": HERE, "user": "somebody"},
]


@pytest.mark.parametrize("change", MOVED)
async def test_a_kept_secret_is_typed_again_for_another_address(
    world: World, outside: Listening, change: dict[str, str]
):
    """Neither a trial nor a change sends it anywhere else; typed again it goes there, once that is meant."""
    await keep(world, "Bearer kept", address=HERE)
    for attempt in (tried(world, **change), keep(world, **change)):
        with pytest.raises(InvalidError) as refused:
            await attempt
        assert [place for place, _ in refused.value.fields] == ["/secret"]
    assert outside.heard == []
    (kept,) = [one for one in await registry.all_sources(world.backend, DARIO) if one.id == "other"]
    assert kept.settings["address"] == HERE
    await tried(world, secret="typed", **change)
    assert "kept" not in str(outside.heard)
    assert (await keep(world, "typed", **change)).has_secret
    assert not (await keep(world, "", address=ELSEWHERE)).has_secret


async def test_what_says_not_where_it_goes_may_change_without_it(world: World, outside: Listening):
    """And a trial of what is kept sends it where it was meant for."""
    await keep(world, "Bearer kept", address=HERE)
    assert (await keep(world, address=HERE, seconds=9, status="/fields/status")).has_secret
    await tried(world, address=HERE)
    assert outside.heard == [("tickets.corvale.example", "Bearer kept")]


async def test_a_source_does_not_become_another_kind(world: World, outside: Listening):
    """Its secret would go along; nor is it lent to a trial of another kind."""
    await keep(world, "Bearer kept", address=HERE)
    with pytest.raises(InvalidError):
        await keep(world, kind="metrics", address="https://tickets.corvale.example")
    with pytest.raises(InvalidError):
        await connection_test.run(
            world.backend,
            DARIO,
            kind="metrics",
            given={"address": HERE},
            secret=None,
            source="other",
            asked="up",
        )
    assert outside.heard == []


async def test_each_trial_and_change_is_an_entry_without_the_secret(world: World, outside: Listening):
    """Who sent what where, and what was set up before; never what it is sent with."""
    await keep(world, "Bearer kept", address=HERE)
    await tried(world, source=None, secret="Bearer typed", address=ELSEWHERE)
    await keep(world, "Bearer other", address=ELSEWHERE)
    page = await ledger_pages.ledger_page(world.backend, DARIO, EntryFilter(), 100)
    told = {entry.action: entry for entry in reversed(page.entries)}
    assert told["try source"].says == f"Dario Conti tried a source at {ELSEWHERE}; it answered."
    details = told["set source"].details
    assert (details["old"]["settings"]["address"], details["new"]["settings"]["address"]) == (HERE, ELSEWHERE)
    assert details["secret"] == "set anew"
    everything = json.dumps([entry.model_dump(mode="json") for entry in page.entries])
    assert "kept" not in everything.replace('"kept"', "")
    assert "Bearer" not in everything


@pytest.mark.parametrize(
    ("address", "below"),
    [
        ("https://git.corvale.example/team/app", True),
        ("https://git.corvale.example/team", True),
        ("https://git.corvale.example/team-other/app", False),
        ("https://git.corvale.example.evil.example/team/app", False),
        ("https://git.corvale.example@evil.example/team/app", False),
        ("https://git.corvale.example:8443/team/app", False),
        ("http://git.corvale.example/team/app", False),
        ("https://git.corvale.example/team/../other", False),
        ("https://git.corvale.example/team/%2e%2e/other", False),
        ("https://evil.example/https://git.corvale.example/team/app", False),
    ],
)
def test_a_repository_is_sent_a_secret_only_below_its_source(address: str, below: bool):
    """What begins with the same letters may be somebody else's."""
    settings = GitSettings(address="https://git.corvale.example/team")
    assert settings.holds(address) is below


async def test_a_followed_address_takes_over_no_calendar_of_policy_owners(world: World):
    """An administrator would loosen it by the way."""
    calendar = Calendar.model_validate({"title": "Feasts", "zone": "Europe/Rome", "windows": []})
    await shared.keep_calendar(world.backend, ACTORS["marco"], "feasts", calendar)
    with pytest.raises(InvalidError, match="policy owners"):
        await keep(world, kind="calendar", address="https://calendars.example/a.ics", calendar="feasts")
    made = await keep(world, kind="calendar", address="https://calendars.example/a.ics", calendar="storms")
    assert made.settings["calendar"] == "storms"


async def test_events_come_in_the_name_of_a_machine_alone(world: World):
    """Or an administrator would act as somebody by sending events in their name."""
    with pytest.raises(RefusedError, match="no machine"):
        await world.seconded(parties.set_sender(world.backend, DARIO, "x", title="X", person="ilse"))
    await world.seconded(parties.set_sender(world.backend, DARIO, "x", title="X", person="pipeline"))
