"""Events in and out: signed, taken once, in any order; told until they are taken."""

import asyncio
import json
from contextlib import aclosing
from datetime import UTC, datetime, timedelta
from zlib import crc32

import pytest
from cloudevents.core.bindings.http import HTTPMessage, from_http
from cloudevents.core.formats.json import JSONFormat
from standardwebhooks.webhooks import Webhook, WebhookVerificationError
from starlette.responses import PlainTextResponse
from tests.service.courses.moving import Moving
from tests.serving import Outside, served
from tests.world import NOW, World, artifact

from dogana.core.errors import InvalidError, SignedOutError
from dogana.core.facts import Artifact
from dogana.demo.cast import ACTORS
from dogana.service.delivery import course
from dogana.service.exchange import inbound, outbound, parties
from dogana.service.landscape import evidence, releases
from dogana.sources.reachable import Reachable, guarded_client

ADMIN = ACTORS["dario"]
DIGEST = "sha256:" + "a" * 64
PACKAGE = f"pkg:generic/portal.tar.gz@1.2.0?checksum={DIGEST}"


def event(kind: str, subject: dict, name: str = "e-1", **own) -> dict:
    return {
        "specversion": "1.0",
        "id": name,
        "source": "/builder",
        "type": f"dev.cdevents.{kind}.0.2.0",
        "time": NOW.isoformat(),
        "datacontenttype": "application/json",
        "data": {"context": {}, "subject": subject, "customData": own},
    }


OWN = {"service": "taps-portal", "version": "1.2.0", "revision": "v1.2.0"}
PUBLISHED = event(
    "artifact.published",
    {"id": PACKAGE, "content": {}},
    service="taps-portal",
    version="1.2.0",
    revision="v1.2.0",
    size=1234,
)
TESTED = event(
    "testsuiterun.finished",
    {"id": "run-1", "content": {"outcome": "fail"}},
    "e-2",
    service="taps-portal",
    version="1.2.0",
    passed=300,
    failed=2,
)
FETCHED = event(
    "artifact.published",
    {"id": f"{PACKAGE}&download_url=https://builds.corvale.example/portal.tar.gz", "content": {}},
    service="taps-portal",
    version="1.2.0",
    revision="v1.2.0",
)
DEPLOYED = event(
    "service.deployed",
    {"id": "taps-portal", "content": {"environment": {"id": "bench"}, "artifactId": PACKAGE}},
    "e-3",
    version="1.2.0",
)


def incident(what: str, name: str, at: datetime = NOW) -> dict:
    content = {
        "environment": {"id": "bench"},
        "service": {"id": "taps-portal"},
        "description": "bills show twice",
    }
    made = event(f"incident.{what}", {"id": "inc-7", "content": content}, name)
    return made | {"time": at.isoformat()}


class Builder:
    """A system that sends events."""

    def __init__(self, world: World, secret: str) -> None:
        self.world, self.secret = world, secret

    def signed(self, body: str, delivery: str, at: datetime, secret: str | None = None) -> dict[str, str]:
        return {
            "Webhook-Id": delivery,
            "Webhook-Timestamp": str(int(at.timestamp())),
            "Webhook-Signature": Webhook(secret or self.secret).sign(delivery, at, body),
        }

    async def send(
        self,
        what: dict,
        *,
        off: timedelta = timedelta(0),
        secret: str | None = None,
        delivery: str | None = None,
        by: str = "builder",
    ):
        body = json.dumps(what)
        headers = self.signed(body, delivery or f"m-{crc32(body.encode())}", datetime.now(UTC) + off, secret)
        headers["Content-Type"] = "application/cloudevents+json; charset=utf-8"
        return await inbound.take(self.world.backend, by, headers, body.encode())

    async def send_in_headers(self, what: dict, *, body: str = "", **attributes: str):
        """Binary mode: the attributes stand in headers, beside what is signed."""
        body = body or json.dumps(what["data"])
        headers = self.signed(body, f"m-{what['id']}", datetime.now(UTC))
        told = {key: what[key] for key in ("specversion", "id", "source", "type", "time")} | attributes
        headers |= {f"ce-{key}": value for key, value in told.items()}
        headers["Content-Type"] = "application/json"
        return await inbound.take(self.world.backend, "builder", headers, body.encode())


async def set_up_builder(world: World) -> Builder:
    asked = parties.set_sender(world.backend, ADMIN, "builder", title="The builder", person="pipeline")
    return Builder(world, (await world.seconded(asked)).secret)


@pytest.fixture
async def builder(world: World) -> Builder:
    return await set_up_builder(world)


async def test_what_the_signature_does_not_cover_is_not_taken(world: World, builder: Builder):
    """In binary mode anybody on the way could call the same body another event."""
    await builder.send(PUBLISHED)
    with pytest.raises(InvalidError, match="structured mode"):
        await builder.send_in_headers(TESTED)
    for kind in ("", "application/cloudevents", "application/cloudevents-batch+json", "text/plain"):
        body = json.dumps(TESTED)
        headers = builder.signed(body, "m-x", datetime.now(UTC)) | {"Content-Type": kind}
        with pytest.raises(InvalidError, match="structured mode"):
            await inbound.take(world.backend, "builder", headers, body.encode())
    assert [one.id for one in await inbound.arrivals(world.backend, ADMIN, 9)] == ["e-1"]
    builder.secret = (
        await world.seconded(
            parties.set_sender(
                world.backend, ADMIN, "builder", title="The builder", person="pipeline", binary=True
            )
        )
    ).secret
    assert (await builder.send_in_headers(TESTED)).state == "taken"
    for other in ({"id": "e-9"}, {"type": DEPLOYED["type"]}, {"source": "/elsewhere"}):
        with pytest.raises(InvalidError, match="webhook-id"):
            await builder.send_in_headers(TESTED, **other)
    assert (await builder.send_in_headers(TESTED)).state == "taken"
    assert len(await inbound.arrivals(world.backend, ADMIN, 9)) == 2


async def test_a_delivery_is_good_once_and_for_its_sender(world: World, builder: Builder):
    """Sent again it is answered as then; under the same webhook-id nothing else is taken."""
    first = await builder.send(PUBLISHED, delivery="m-1")
    assert await builder.send(PUBLISHED, delivery="m-1") == first
    assert await builder.send(PUBLISHED, delivery="m-again") == first
    with pytest.raises(InvalidError, match="webhook-id"):
        await builder.send(TESTED, delivery="m-1")
    secret = (
        await world.seconded(
            parties.set_sender(world.backend, ADMIN, "other", title="Another", person="pipeline")
        )
    ).secret
    early = await builder.send({**DEPLOYED, "source": "/builder"}, secret=secret, by="other")
    assert early.state == "waiting"
    assert (await builder.send(DEPLOYED)).sender == "builder"
    twice = json.dumps(TESTED).replace('"id": "e-2"', '"id": "e-2", "id": "e-8"', 1)
    headers = builder.signed(twice, "m-t", datetime.now(UTC))
    headers["Content-Type"] = "application/cloudevents+json"
    with pytest.raises(InvalidError, match="stands twice"):
        await inbound.take(world.backend, "builder", headers, twice.encode())


async def test_what_was_built_and_tested_arrives_in_any_order(world: World, builder: Builder):
    """Test results before their release wait for it; each event is taken once."""
    early = await builder.send(TESTED)
    assert (early.state, early.says) == ("waiting", "taps-portal 1.2.0 is not on record.")
    assert (await builder.send(PUBLISHED)).state == "taken"
    await inbound.retry(world.backend)
    again = await builder.send(TESTED)
    assert again.state == "taken"
    assert len(await inbound.arrivals(world.backend, ADMIN, 9)) == 2
    release = await releases.release(world.backend, ADMIN, "taps-portal", "1.2.0")
    assert release.artifacts == [artifact()]
    assert release.evidence == ["test-report"]
    row = await world.ask("bench", artifacts=())
    (report,) = (await world.dossier(row.number)).evidence
    assert report.content == {"outcome": "fail", "passed": 300, "failed": 2}


async def test_where_a_package_can_be_fetched_is_taken_from_its_address(world: World, builder: Builder):
    """The `download_url` of a package URL; one that no browser should open is refused."""
    subject = {"id": f"{PACKAGE}&download_url=javascript:alert(1)", "content": {}}
    wrong = {**FETCHED, "id": "e-7", "data": {**FETCHED["data"], "subject": subject}}
    assert (await builder.send(wrong)).state == "refused"
    assert (await builder.send(FETCHED)).state == "taken"
    (made,) = (await releases.release(world.backend, ADMIN, "taps-portal", "1.2.0")).artifacts
    assert made.link == "https://builds.corvale.example/portal.tar.gz"


async def test_a_deployment_that_is_told_of_lands_the_promotion(world: World, builder: Builder):
    """And before it departed, the event waits."""
    assert (await builder.send(DEPLOYED)).state == "waiting"
    row = await world.ask("bench")
    await world.depart(row.number)
    await inbound.retry(world.backend)
    assert (await world.dossier(row.number)).row.state == "landed"
    (told,) = await inbound.arrivals(world.backend, ADMIN, 9)
    assert told.says == f"Promotion {row.number} landed."


async def test_an_incident_begins_the_soak_anew(world: World, builder: Builder):
    """While it is open the release is not healthy; it does not matter which of both events comes first."""
    await world.adopt("rehearsal", {"id": "soak", "kind": "soak", "title": "Hours", "at_least": "PT3H"})
    await world.landed("bench")
    world.clock.now += timedelta(hours=2)
    row = await world.ask("rehearsal")

    async def soak():
        (finding,) = (await world.refresh(row.number)).findings
        return finding.outcome, finding.clears_at

    assert await soak() == ("pending", NOW + timedelta(hours=3))
    await builder.send(incident("detected", "i-1", world.clock.now))
    assert await soak() == ("unmet", None)
    over = world.clock.now + timedelta(minutes=5)
    for number, at in (("i-2", over), ("i-2", over + timedelta(hours=9))):
        await builder.send(incident("resolved", number, at))
    assert await soak() == ("pending", over + timedelta(hours=3))
    said = [one.says for one in await inbound.arrivals(world.backend, ADMIN, 9)]
    assert sum(one.endswith("bills show twice. It was resolved.") for one in said) == 1


@pytest.mark.parametrize(
    "wrong",
    [
        {"secret": parties.signing()},
        {"off": timedelta(minutes=-6)},
        {"off": timedelta(minutes=6)},
    ],
)
async def test_what_is_not_signed_now_by_the_sender_is_refused(world: World, builder: Builder, wrong):
    """Neither another's signature nor a recording of an old one."""
    with pytest.raises(SignedOutError):
        await builder.send(PUBLISHED, **wrong)
    with pytest.raises(SignedOutError):
        await inbound.take(world.backend, "nobody", {}, b"{}")
    for headers in ({}, {"webhook-id": "1", "webhook-timestamp": "x", "webhook-signature": "v1"}):
        with pytest.raises(SignedOutError):
            await inbound.take(world.backend, "builder", headers, b"{}")


@pytest.mark.parametrize("body", [{}, {"specversion": "1.0"}, {**PUBLISHED, "data": "text"}, []])
async def test_what_is_no_event_is_refused(builder: Builder, body):
    """With the signature right and the rest wrong."""
    with pytest.raises(InvalidError):
        await builder.send(body)


@pytest.mark.parametrize(
    "data",
    [
        {"subject": {"id": "pkg:generic/x@1.0"}, "customData": {"service": "taps-portal", "version": "1"}},
        {"subject": {"id": PACKAGE}, "customData": {}},
        {"subject": {"id": f"pkg:generic/x@1?checksum={DIGEST},sha256:{'b' * 64}"}, "customData": OWN},
        {"subject": {"id": f"pkg:generic/x@1?checksum={DIGEST}&checksum={DIGEST}"}, "customData": OWN},
        {"subject": {"id": f"pkg:generic/?checksum={DIGEST}"}, "customData": OWN},
        {"subject": "text"},
        {},
        {"subject": {"id": PACKAGE}, "customData": {**PUBLISHED["data"]["customData"], "revision": "nope"}},
    ],
)
async def test_an_event_that_says_too_little_is_kept_as_refused(world: World, builder: Builder, data):
    """Its sender is told, and it stands on the list of what came."""
    arrival = await builder.send({**PUBLISHED, "data": data})
    assert arrival.state == "refused"
    assert arrival.says
    assert (await inbound.arrivals(world.backend, ADMIN, 9))[0].state == "refused"


@pytest.mark.parametrize(
    ("package", "name"),
    [
        (PACKAGE, "portal.tar.gz"),
        (f"pkg:npm/%40taps/portal@1.2.0?checksum=sha1:{'c' * 40},{DIGEST}", "portal"),
        (f"pkg:oci/portal@{DIGEST.replace(':', '%3A')}?repository_url=r.example/taps", "portal"),
    ],
)
def test_what_a_package_url_names(package, name):
    """Also below a scope, and by its digest alone."""
    found = inbound.artifact_named(package)
    assert (found.name, found.digest) == (name, DIGEST)


async def test_one_name_stands_for_one_artifact(world: World):
    """Two of one name could be told from neither of them."""
    two = tuple(Artifact(name="portal", digest=f"sha256:{c * 64}", size=1) for c in "ab")
    with pytest.raises(InvalidError, match="named twice"):
        await releases.register(
            world.backend, ACTORS["pipeline"], "taps-portal", "1.2.0", revision="v1.2.0", artifacts=two
        )


async def subscribed(world: World, address: str, *actions: str) -> str:
    _, secret = await parties.set_subscriber(
        world.backend, ADMIN, "board", title="The board", address=address, actions=list(actions)
    )
    return secret


async def test_whoever_watches_learns_that_something_could_not_be_told(world: World):
    """Also when no decision follows for a long while."""
    async with asyncio.timeout(20), aclosing(world.backend.database.listen()) as heard:
        assert await anext(heard) is None
        async with guarded_client(Reachable("127.0.0.0/8"), 5) as client:
            object.__setattr__(world.backend, "client", client)
            await subscribed(world, "http://127.0.0.1:9/events", "request")
            await world.ask("bench")
            world.clock.now = datetime.now(UTC)
            await outbound.send_due(world.backend)
        async for notice in heard:
            if notice is not None and notice["kind"] == "delivery":
                break
    (waiting,) = await outbound.deliveries(world.backend, ADMIN, dead=False, limit=9)
    assert (waiting.attempts, waiting.reason) == (1, "it cannot be reached")


async def test_every_decision_is_told_signed_and_in_the_vocabulary(world: World):
    """From the entry itself; a landing in the words that others know."""
    outside = Outside()

    async def answer(request):
        return PlainTextResponse("thanks")

    outside.answer = answer
    async with served(outside), guarded_client(Reachable("127.0.0.0/8"), 5) as client:
        object.__setattr__(world.backend, "client", client)
        secret = await subscribed(world, outside.url, "request", "land")
        row = await world.landed("bench")
        world.clock.now = datetime.now(UTC)
        await outbound.send_due(world.backend)
        bodies = [await request.body() for request in outside.asked]
        heads = [{k.lower(): v for k, v in request.headers.items()} for request in outside.asked]
    told = []
    for headers, body in zip(heads, bodies, strict=True):
        Webhook(secret).verify(body, headers)
        told.append(from_http(HTTPMessage(headers, body), JSONFormat()))
    kinds = {one.get_type(): one.get_data() for one in told}
    assert set(kinds) == {
        "dev.cdeventsx.dogana-promotion.request.1.0.0",
        "dev.cdevents.service.deployed.0.2.0",
    }
    landed = kinds["dev.cdevents.service.deployed.0.2.0"]
    assert landed["subject"] == {"id": "taps-portal", "content": {"environment": {"id": "bench"}}}
    assert landed["customData"]["promotion"] == row.number
    assert await outbound.deliveries(world.backend, ADMIN, dead=False, limit=9) == []
    with pytest.raises(WebhookVerificationError):
        Webhook(parties.signing()).verify(bodies[0], heads[0])


@pytest.mark.thorough
async def test_each_order_is_told_with_its_share(world: World):
    """A deployer may be told instead of asking: what it is to set, and that nothing is left of it."""
    moving = await Moving.into(world)
    outside = Outside()

    async def answer(request):
        return PlainTextResponse("thanks")

    outside.answer = answer
    async with served(outside), guarded_client(Reachable("127.0.0.0/8"), 5) as client:
        object.__setattr__(world.backend, "client", client)
        await subscribed(world, outside.url, "order share", "cancel")
        await moving.healthy(10)
        await course.cancel(world.backend, ACTORS["ilse"], moving.number, reason="not now")
        await outbound.send_due(world.backend)
        told = [json.loads(await request.body())["data"]["customData"] for request in outside.asked]
    said = [(one["action"], one["details"]["share"], one["promotion"]) for one in told]
    assert said == [("order share", "50", moving.number), ("cancel", "0", moving.number)]


async def test_what_is_not_taken_is_tried_again_then_given_up_and_sent_anew(world: World):
    """With growing pauses; given up it stands on a list, and a person can have it sent again."""
    outside = Outside()

    async def answer(request):
        return PlainTextResponse("thanks")

    outside.answer, outside.mood = answer, "broken"
    async with served(outside), guarded_client(Reachable("127.0.0.0/8"), 5) as client:
        object.__setattr__(world.backend, "client", client)
        await subscribed(world, outside.url, "request")
        await world.ask("bench")
        for _ in range(12):
            await outbound.send_due(world.backend)
            world.clock.now += timedelta(days=1)
        (dead,) = await outbound.deliveries(world.backend, ADMIN, dead=True, limit=9)
        assert (dead.attempts, dead.reason) == (9, "it answered 500 Internal Server Error")
        assert len(outside.asked) == 9
        assert len({request.headers["webhook-id"] for request in outside.asked}) == 1
        outside.mood = "well"
        await outbound.resend(world.backend, ADMIN, dead.id)
        await outbound.send_due(world.backend)
        assert await outbound.deliveries(world.backend, ADMIN, dead=True, limit=9) == []
        with pytest.raises(InvalidError, match="delivered"):
            await outbound.resend(world.backend, ADMIN, dead.id)


async def test_a_file_is_kept_byte_for_byte(world: World):
    """What was read out of it stands in the dossier; what came is what is given back."""
    await world.landed("bench")
    body = b'{"add": ["queue"], "change": [], "destroy": []}'
    came = evidence.File(name="plan.json", media_type="text/html", body=body)
    sent = evidence.SentReport(name="plan", form="plan", file=came, produced_at=None, by="")
    report = await evidence.upload(world.backend, ACTORS["noor"], "taps-portal", "1.2.0", sent)
    assert report.content["to_add"] == 1
    assert (await evidence.raw(world.backend, ADMIN, "taps-portal", "1.2.0", "plan")).body == body
    row = await world.ask("rehearsal")
    assert [one.name for one in (await world.dossier(row.number)).evidence] == ["plan"]
