"""Incidents: told by people, events and a real alert manager; they restart the soak and stop what goes in."""

import asyncio
import json
import shutil
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import httpx
import pytest
from tests.cli.test_steer import process
from tests.service.courses.moving import PLAN, ROLLOUT, Moving
from tests.serving import Outside, served
from tests.waiting import comes
from tests.world import NOW, REVIEWERS, World

from dogana.core.errors import AgainError, ConflictError, ExcludedError, InvalidError
from dogana.core.health.course import Move
from dogana.demo.cast import ACTORS
from dogana.demo.cluster import free_port
from dogana.demo.past_sources import SimulatedClock
from dogana.service.landed import alerts, incidents
from dogana.service.landed.incidents import IncidentView, Told
from dogana.service.views import desk

ILSE, HENRIK, PIPELINE = ACTORS["ilse"], ACTORS["henrik"], ACTORS["pipeline"]
SOAK = {"id": "soak", "kind": "soak", "title": "Hours", "at_least": "PT3H"}


async def opened(world: World, what: str = "bills show twice") -> IncidentView:
    return await incidents.open_by_hand(
        world.backend, ILSE, service="taps-portal", environment="bench", what=what
    )


async def test_one_is_opened_acknowledged_noted_and_closed(world: World):
    """It is bound to what landed before it; the soak counts from when it was closed."""
    await world.adopt("rehearsal", REVIEWERS, SOAK)
    landed = await world.landed("bench")
    waits = (await world.ask("rehearsal")).number

    async def soak():
        finding = next(one for one in (await world.refresh(waits)).findings if one.rule == "soak")
        return finding.outcome, finding.clears_at

    with pytest.raises(InvalidError):
        await opened(world, " ")
    world.clock.now += timedelta(hours=4)
    assert (await soak())[0] == "met"
    one = await opened(world)
    assert (one.landing, one.landing_name) == (landed.number, "Taps portal 1.2.0")
    assert one.says.endswith("nobody is at it yet.")
    assert (await soak()) == ("unmet", None)
    await incidents.acknowledge(world.backend, HENRIK, one.number)
    with pytest.raises(ConflictError, match="already"):
        await incidents.acknowledge(world.backend, ILSE, one.number)
    await incidents.add_note(world.backend, HENRIK, one.number, text="the second bill is a copy")
    for n in range(6):
        await incidents.add_note(world.backend, HENRIK, one.number, text=f"bill {n} is a copy")
    (shown,) = (await desk.desk(world.backend, ACTORS["wanjiru"])).incidents
    assert ([note.text for note in shown.notes][-1], shown.earlier_notes) == ("bill 5 is a copy", 2)
    whole = await incidents.incident(world.backend, ACTORS["wanjiru"], one.number)
    assert (len(whole.notes), whole.earlier_notes) == (7, 0)
    assert "Henrik Solberg is at it" in shown.says
    world.clock.now += timedelta(hours=1)
    closed = await incidents.close(world.backend, ILSE, one.number, reason="The copy is gone")
    assert [closed.notes[n].text for n in (0, -1)] == ["the second bill is a copy", "The copy is gone"]
    assert await soak() == ("pending", world.clock.now + timedelta(hours=3))
    assert (await desk.desk(world.backend, ILSE)).incidents == []
    with pytest.raises(ConflictError, match="closed"):
        await incidents.close(world.backend, ILSE, one.number, reason="again")
    await world.sequence()
    assert (await world.verified()).verified


async def test_who_asked_for_what_went_wrong_or_wrote_it_does_not_say_that_it_is_over(world: World):
    """The soak counts from then; what they saw they write to it."""
    landed = await world.landed("bench")
    author = (await world.dossier(landed.number)).authors[0].id
    one = await opened(world)
    for who in ("noor", author):
        part = replace(ACTORS[who], rights=ILSE.rights)
        with pytest.raises(ExcludedError, match="does not close it"):
            await incidents.close(world.backend, part, one.number, reason="nothing to see")
        noted = await incidents.add_note(world.backend, part, one.number, text="The copy is gone")
        assert not noted.may_close
    (seen,) = await incidents.latest(world.backend, ILSE, closed=False)
    assert seen.may_close
    assert (await incidents.close(world.backend, ILSE, one.number, reason="The copy is gone")).closed


@pytest.mark.parametrize(
    ("asked", "state", "move", "orders"),
    [
        (None, "moving", Move.WAIT, [10]),
        ("go on", "moving", Move.WAIT, [10]),
        ("roll back", "halted", None, [10, 0]),
    ],
)
async def test_it_stops_what_goes_in_as_the_plan_says(world: World, asked, state, move, orders):
    """Once: an alert that is told again does not stop what a person let go on."""
    moving = await Moving.into(world, PLAN.model_copy(update={"on_incident": asked}))
    await moving.set_to(10)
    told = Told(
        source="alerts", name="a", service="taps-portal", environment="bench", what="slow", detected_at=NOW
    )
    for _ in range(2):
        async with world.backend.database.transaction() as session:
            row = await incidents.take(world.backend, session, PIPELINE, told)
            assert row.landing == moving.number
    view = await moving.view()
    stands_still = view.halted and "there is an incident: Slow." in view.because
    assert (stands_still, await moving.orders()) == (asked is None, orders)
    assert (await world.dossier(moving.number)).row.state == state
    assert (await world.actions(moving.number)).count("halt") == (asked is None)


async def test_what_is_told_late_or_wrongly_never_shortens_anything(world: World):
    """Over no earlier than we heard of it; what begins once more is open again; the future is refused."""
    now = world.clock.now

    async def tell(name: str = "a", **times: datetime) -> tuple[datetime | None, datetime | None]:
        told = Told(source="s", name=name, service="taps-portal", environment="bench", what="", **times)
        async with world.backend.database.transaction() as session:
            row = await incidents.take(world.backend, session, PIPELINE, told)
            return row.detected_at, row.resolved_at

    hour = timedelta(hours=1)
    assert await tell(detected_at=now - 5 * hour) == (now - 5 * hour, None)
    assert await tell(resolved_at=now - 6 * hour) == (now - 5 * hour, None)
    assert await tell(resolved_at=now - 4 * hour) == (now - 5 * hour, now)
    world.clock.now += hour
    again = world.clock.now
    assert await tell(detected_at=again) == (again, None)
    assert await tell(resolved_at=now - 4 * hour) == (again, None)
    assert await tell("b", resolved_at=now) == (None, again)
    assert await tell("b", detected_at=now - hour) == (now - hour, again)
    for wrong in (
        {"detected_at": again + hour},
        {"detected_at": again, "resolved_at": again - hour},
    ):
        with pytest.raises(InvalidError):
            await tell("c", **wrong)


async def test_alerts_of_a_real_alert_manager_open_and_end_incidents(
    world: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    """Told to its own API, posted by itself; what names no service is refused and stops no other."""
    monkeypatch.setattr(SimulatedClock, "__call__", lambda _: datetime.now(UTC))
    await world.adopt("bench", ROLLOUT)
    token = await world.token(
        ACTORS["dario"], person="pipeline", title="t", scopes=("read", "deploy"), days=1
    )
    program, port = shutil.which("prometheus-alertmanager"), free_port()
    assert program is not None
    async with served(Outside(), world.app()) as ours, httpx.AsyncClient() as client:
        hook = {
            "url": f"{ours.url}/api/alerts",
            "http_config": {"authorization": {"credentials": token}},
        }
        route = {"receiver": "dogana", "group_wait": "100ms", "group_interval": "1s", "group_by": ["..."]}
        config = tmp_path / "alertmanager.yml"
        config.write_text(
            json.dumps({"route": route, "receivers": [{"name": "dogana", "webhook_configs": [hook]}]})
        )
        command = (
            program,
            f"--config.file={config}",
            f"--storage.path={tmp_path / 'data'}",
            f"--web.listen-address=127.0.0.1:{port}",
            "--cluster.listen-address=",
        )
        async with process(*command), asyncio.timeout(60):
            alert = {
                "labels": {"alertname": "Slow", "service": "taps-portal", "environment": "bench"},
                "annotations": {"summary": "Pages take four seconds"},
                "startsAt": datetime.now(UTC).isoformat(),
            }
            nowhere = {**alert, "labels": {"alertname": "Lost"}}

            async def posted() -> bool:
                told = await client.post(f"http://127.0.0.1:{port}/api/v2/alerts", json=[nowhere, alert])
                return told.raise_for_status().is_success

            async def latest(over: bool) -> IncidentView | None:
                found = await incidents.latest(world.backend, ILSE, closed=True)
                return found[0] if found and (found[0].over_at is not None) == over else None

            await comes(posted)
            assert (await comes(partial(latest, over=False))).what == "Pages take four seconds."
            ended = alert | {"endsAt": datetime.now(UTC).isoformat()}
            await client.post(f"http://127.0.0.1:{port}/api/v2/alerts", json=[ended])
            assert (
                "its source says; nobody has closed it yet." in (await comes(partial(latest, over=True))).says
            )
            assert len(await incidents.latest(world.backend, ILSE, closed=False)) == 1


async def test_alerts_that_were_cut_off_or_are_bad_are_said_and_stop_no_other(world: World):
    token = await world.token(
        ACTORS["dario"], person="pipeline", title="t", scopes=("read", "deploy"), days=1
    )
    place = {"service": "taps-portal", "environment": "bench"}

    def alert(name: str, **labels: str) -> dict:
        return {
            "status": "firing",
            "labels": {"alertname": name, **labels},
            "startsAt": NOW.isoformat(),
            "endsAt": "0001-01-01T00:00:00Z",
            "fingerprint": name,
        }

    sent = {
        "version": "4",
        "receiver": "dogana",
        "groupKey": "{}",
        "truncatedAlerts": 3,
        "commonLabels": place,
        "alerts": [
            alert("a", **place),
            alert("b", service="taps-portal", environment="nowhere"),
            alert("c", **place) | {"annotations": {"summary": "c", "description": "x" * 9000}},
            {"status": "firing", "labels": ["no", "labels"]},
        ],
    }
    transport = httpx.ASGITransport(world.app())
    async with httpx.AsyncClient(
        transport=transport, base_url="http://dogana", headers={"Authorization": f"Bearer {token}"}
    ) as client:
        answer = await client.post("/api/alerts", json=sent)
        refused = [one["pointer"] for one in answer.json()["fields"]]
        assert (answer.status_code, refused) == (422, ["/alerts/1", "/alerts/3"])
        ended = {**sent["alerts"][0], "status": "resolved"}
        lying = await client.post("/api/alerts", json={**sent, "truncatedAlerts": 0, "alerts": [ended]})
        assert lying.status_code == 422
    found = await incidents.latest(world.backend, ILSE, closed=False)
    assert [one.what for one in found] == [
        "3 more alerts were cut off by the alert manager.",
        "C.",
        "A.",
    ]


async def test_an_alert_that_could_not_be_taken_for_a_while_is_sent_again(
    world: World, monkeypatch: pytest.MonkeyPatch
):
    """An alert manager sends again what was answered with a trouble of ours, and nothing else."""
    labels = alerts.Labels(service="service", environment="environment")
    place = {"service": "taps-portal", "environment": "bench"}
    told = tuple(
        alerts.Alert(
            status="firing",
            labels=place,
            annotations={"summary": f"{name} is slow"},
            starts_at=NOW,
            ends_at=None,
            fingerprint=name,
        )
        for name in ("a", "b")
    )
    notice = alerts.Notice(receiver="dogana", group="{}", common=place, alerts=told, cut_off=0)
    taken = alerts.take

    async def busy(backend, session, actor, one):
        if one.name.startswith("a "):
            raise AgainError
        return await taken(backend, session, actor, one)

    monkeypatch.setattr(alerts, "take", busy)
    with pytest.raises(AgainError):
        await alerts.take_alerts(world.backend, ACTORS["pipeline"], notice, labels)
    monkeypatch.setattr(alerts, "take", taken)
    await alerts.take_alerts(world.backend, ACTORS["pipeline"], notice, labels)
    found = await incidents.latest(world.backend, ILSE, closed=False)
    assert sorted(one.what for one in found) == ["A is slow.", "B is slow."]
