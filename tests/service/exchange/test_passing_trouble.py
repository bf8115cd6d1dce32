"""What may pass loses no event: it is tried again, and nothing that waits keeps another from its turn."""

from collections.abc import Callable
from datetime import timedelta

import pytest
from tests.service.exchange.test_events import ADMIN, PUBLISHED, incident, set_up_builder
from tests.world import NOW, World

from dogana.core.errors import AgainError, BusyError, ConflictError
from dogana.service.exchange import inbound
from dogana.service.landed import incidents
from dogana.store import exchange
from dogana.store.tables.exchange import ArrivalRow


@pytest.mark.parametrize(
    ("trouble", "state"),
    [
        (AgainError, "waiting"),
        (BusyError, "waiting"),
        (ZeroDivisionError, "waiting"),
        (ConflictError, "refused"),
    ],
)
async def test_bad_news_is_not_lost_to_what_passes(
    world: World, monkeypatch: pytest.MonkeyPatch, trouble: type[Exception], state: str
):
    """An incident that the database was too busy for; once it is not, it is open."""
    sender = await set_up_builder(world)
    with monkeypatch.context() as patched:
        patched.setattr(incidents, "take", raising(trouble))
        assert (await sender.send(incident("detected", "e-7"))).state == state
    await inbound.retry(world.backend)
    (told,) = await inbound.arrivals(world.backend, ADMIN, 9)
    assert told.state == ("taken" if state == "waiting" else state)


async def test_what_never_works_is_refused_after_a_day(world: World, monkeypatch: pytest.MonkeyPatch):
    sender = await set_up_builder(world)
    monkeypatch.setattr(incidents, "take", raising(ZeroDivisionError))
    assert (await sender.send(incident("detected", "e-7"))).state == "waiting"
    world.clock.now += timedelta(hours=25)
    await inbound.retry(world.backend)
    (told,) = await inbound.arrivals(world.backend, ADMIN, 9)
    assert (told.state, told.says) == ("refused", "Something went wrong here; the log says what.")


@pytest.mark.thorough
async def test_many_that_came_too_early_keep_none_of_the_others_waiting(world: World):
    """Six hundred of what never comes, and behind them one that has come since."""
    sender = await set_up_builder(world)
    early = {"subject": {"id": "x"}, "customData": {"service": "taps-portal", "version": "9.9.9"}}
    async with world.backend.database.transaction() as session:
        for n in range(600):
            await exchange.keep_arrival(
                session,
                ArrivalRow(
                    sender_id="builder",
                    source="/builder",
                    event_id=f"early-{n}",
                    delivery=f"early-{n}",
                    type="dev.cdevents.testsuiterun.finished.0.2.0",
                    body=early | {"time": NOW.isoformat()},
                    arrived_at=NOW,
                    state="waiting",
                    says="",
                ),
            )
    world.clock.now += timedelta(minutes=1)
    late = {**PUBLISHED, "id": "late"}
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(inbound.releases, "register", raising(AgainError))
        assert (await sender.send(late)).state == "waiting"
    await inbound.retry(world.backend)
    assert (await inbound.arrivals(world.backend, ADMIN, 1))[0].state == "taken"


def raising(trouble: type[Exception]) -> Callable[..., object]:
    async def raises(*_: object, **__: object) -> None:
        raise trouble

    return raises
