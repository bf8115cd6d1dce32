"""A small world to test in: the scenario's people and environments, one real repository, a set clock."""

import atexit
import shutil
from collections.abc import AsyncIterator, Awaitable
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from functools import cache, cached_property
from pathlib import Path
from typing import Any, Self, TypeVar

import httpx
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.core.facts import Artifact
from dogana.core.inspect.sheet import Sheet
from dogana.core.record.verify import Verification, Verifier
from dogana.core.words import counted
from dogana.demo.cast import ACTORS
from dogana.demo.cluster import Urls
from dogana.demo.connections import set_sources
from dogana.demo.landscape import SERVICES
from dogana.demo.past_sources import PastMetrics, SimulatedClock
from dogana.demo.repositories import Build, make_repository
from dogana.demo.seed import make_landscape
from dogana.service.actor import Actor
from dogana.service.backend import Backend
from dogana.service.configuration import proposals
from dogana.service.delivery import acceptance, course
from dogana.service.ledger import audit, sequencer
from dogana.service.people import members, tokens
from dogana.service.policies import drafts
from dogana.service.process_pool import BoundedPool
from dogana.service.promotions import decisions, intake, refreshing, waivers
from dogana.service.sealing import Keyring, new_key_line
from dogana.service.shapes import ChangeOutcome
from dogana.service.views import dossier
from dogana.service.views import ledger as ledger_pages
from dogana.service.views.dossier import Dossier
from dogana.settings import Settings
from dogana.sources.directory import OidcDirectory
from dogana.sources.git import GitRepositories
from dogana.sources.reachable import Reachable
from dogana.sources.tickets import HttpTracker
from dogana.standins.tracker import Ticket, make_tracker
from dogana.store import Database, promotions, secrets
from dogana.store.ledger import EntryFilter
from dogana.store.tables.promotions import PromotionRow
from dogana.web.app import make_app
from tests.watched import Watch

_POOL = BoundedPool()
atexit.register(_POOL.close)
NOW = datetime(2026, 3, 10, 9, 0, tzinfo=UTC)
SERVICE = next(service for service in SERVICES if service.id == "taps-portal")
REVIEWERS = {
    "id": "reviewers",
    "kind": "reviewers",
    "title": "Two sides agree",
    "seats": [{"group": "release-desk"}, {"group": "test-leads"}],
}
TICKETS = {"id": "tickets", "kind": "tickets", "title": "Tickets are done", "status": ["done"]}
ONE_AT_A_TIME = {"id": "pace", "kind": "pace", "title": "One at a time", "one_at_a_time": True}
SAMENESS = {"id": "bytes", "kind": "sameness", "title": "The same bytes"}


def policy(*rules: dict[str, Any]) -> dict[str, Any]:
    return {"format": "dogana.policy/1", "title": "A policy", "zone": "Europe/Rome", "rules": list(rules)}


def artifact(name: str = "portal.tar.gz", byte: str = "a") -> Artifact:
    return Artifact(name=name, digest="sha256:" + byte * 64, size=1234)


def directory_at(world: "World") -> OidcDirectory:
    """A directory at which people sign in; it is not there."""
    return OidcDirectory(
        world.backend.client,
        world.clock,
        issuer="https://accounts.example",
        client_id="dogana",
        client_secret="",
        name="Accounts",
        groups_claim="groups",
    )


@cache
def _database(url: str) -> Database:
    """Each database by the address of the one before it, so that no test compiles what another has."""
    return Database(url)


T = TypeVar("T")


@dataclass
class World:
    backend: Backend
    clock: SimulatedClock
    tickets: dict[str, Ticket]
    unavailable: set[str]
    urls: Urls
    folder: Path
    builds: list[Build]
    blocked: dict[str, float] = field(default_factory=dict)
    """The steps of requests that kept the event loop for longer than they may, in seconds."""
    key: Ed25519PrivateKey = field(default_factory=Ed25519PrivateKey.generate)

    @classmethod
    @asynccontextmanager
    async def made(cls, urls: Urls, folder: Path, like: Path | None = None) -> AsyncIterator[Self]:
        """One in a database; with `like` a folder, that is furnished as the one whose folder it was."""
        clock = SimulatedClock(NOW)
        builds = [
            Build(
                service=SERVICE,
                version=f"1.{n}.0",
                built_at=NOW - timedelta(days=9 - n),
                tickets=(f"TAPS-{n}",),
            )
            for n in range(1, 5)
        ]
        if like is None:
            make_repository(folder / "repositories", SERVICE, builds)
        else:
            shutil.copytree(like / "repositories", folder / "repositories", symlinks=True)
        tickets = {f"TAPS-{n}": Ticket(title=f"Work {n}", status="done") for n in range(1, 5)}
        unavailable: set[str] = set()
        tracker = make_tracker(tickets, unavailable)
        database = _database(urls.application)
        async with httpx.AsyncClient(transport=httpx.ASGITransport(tracker)) as client:
            backend = Backend(
                database=database,
                repositories=GitRepositories(
                    folder / "repositories", clock, folder / "mirrors", Reachable("127.0.0.0/8")
                ),
                tracker=HttpTracker(client, clock),
                metrics=PastMetrics(clock),
                client=client,
                clock=clock,
                keyring=Keyring.read(new_key_line()),
                pool=_POOL,
            )
            world = cls(backend, clock, tickets, unavailable, urls, folder, builds)
            if like is None:
                await make_landscape(backend, timetables=False)
                await set_sources(backend, "http://tracker", "http://metrics")
                await world.adopt("bench", TICKETS)
                await world.adopt("rehearsal", REVIEWERS, TICKETS, SAMENESS)
            yield world
            await database.close()

    async def adopt(self, environment: str, *rules: dict[str, Any]) -> None:
        await self.adopt_document(environment, policy(*rules))

    async def set_up(self, name: str, wanted: members.Member) -> ChangeOutcome:
        """Somebody, asked for by the administrator and confirmed by a policy owner."""
        asked = await members.keep_person(self.backend, ACTORS["dario"], name, wanted)
        assert asked.waits is not None
        return await proposals.confirm(self.backend, ACTORS["marco"], asked.waits)

    async def seconded(self, change: Awaitable[T]) -> T:
        """Have something changed, and a policy owner confirm it where that takes a second person."""
        outcome = await change
        for one in await proposals.proposals(self.backend, ACTORS["marco"]):
            await proposals.confirm(self.backend, ACTORS["marco"], one.id)
        return outcome

    async def token(self, maker: Actor, **wanted: Any) -> str:
        """A token's text; a policy owner confirms it where it is for a machine."""
        made = await self.seconded(tokens.make_token(self.backend, maker, tokens.NewToken(**wanted)))
        return made.token

    async def adopt_document(self, environment: str, document: dict[str, Any]) -> None:
        row = await drafts.draft(self.backend, ACTORS["marco"], environment, document)
        await drafts.adopt(self.backend, ACTORS["chiara"], environment, row.version, reason="")

    async def ask(
        self, to: str = "bench", version: str = "1.2.0", who: str = "noor", **changes: Any
    ) -> PromotionRow:
        given = {
            "service": SERVICE.id,
            "version": version,
            "to": to,
            "repository": None,
            "revision": f"v{version}",
            "artifacts": (artifact(),),
            "note": "",
            **changes,
        }
        row = await intake.request(self.backend, ACTORS[who], intake.Request(**given))
        await refreshing.refresh(self.backend, row.number)
        async with self.backend.database.transaction() as session:
            inspected = await promotions.get(session, row.number)
        assert inspected is not None
        return inspected

    async def landed(self, to: str = "bench", version: str = "1.2.0") -> PromotionRow:
        row = await self.ask(to, version)
        if to == "rehearsal":
            await self.approve(row.number, "ilse")
            await self.approve(row.number, "henrik")
        return await self.land(row.number)

    async def land(self, number: int, *artifacts: Artifact) -> PromotionRow:
        """By its deployer, who takes the clearance first where nobody has."""
        async with self.backend.database.transaction() as session:
            held = await secrets.last_clearance(session, number)
            row = await promotions.get(session, number)
        if held is None and row is not None and row.state == "moving":
            await self.depart(number)
        return await course.land(self.backend, ACTORS["pipeline"], number, artifacts=artifacts, note="")

    async def depart(self, number: int) -> str | None:
        return await course.depart(self.backend, ACTORS["pipeline"], number)

    async def waiting(self, who: str = "noor") -> PromotionRow:
        """A promotion into rehearsal that waits for its two seats."""
        await self.landed("bench")
        return await self.ask("rehearsal", who=who)

    async def approve(self, number: int, who: str) -> Sheet:
        """It brings about what was said before that it would, and the next look finds it so."""
        mine = (await self.dossier(number, who)).mine
        sheet = await decisions.approve(self.backend, ACTORS[who], number, shown=mine.shown, comment="")
        vacant = [seat.label for seat in sheet.seats() if seat.taken_by is None]
        said, last = mine.effect or "", "Yours is the last word"
        assert said.startswith(
            last if sheet.verdict == "cleared" else f"After yours {counted(len(vacant), 'seat')}"
        )
        seen = (await self.dossier(number)).row.seats
        assert [seat.label for seat in seen if seat.taken_by is None] == vacant
        return sheet

    async def grant_waiver(self, number: int, who: str, rule: str) -> Sheet:
        """The one that the file shows."""
        findings = (await self.dossier(number, who)).findings
        asked_at = next(one.waiver.asked_at for one in findings if one.rule == rule and one.waiver)
        return await waivers.grant_waiver(
            self.backend, ACTORS[who], number, rule, asked_at=asked_at, comment=""
        )

    async def accept(self, number: int, who: Actor, reason: str = "rebuilt by hand") -> PromotionRow:
        """What the file says has landed."""
        landed = (await self.dossier(number)).landed
        assert landed is not None
        return await acceptance.accept(self.backend, who, number, landed=landed.digest, reason=reason)

    async def dossier(self, number: int, who: str = "wanjiru") -> Dossier:
        return await dossier.dossier(self.backend, ACTORS[who], number)

    async def refresh(self, number: int) -> Dossier:
        await refreshing.refresh(self.backend, number)
        return await self.dossier(number)

    async def actions(self, number: int) -> list[str]:
        return [entry.action for entry in (await self.dossier(number)).course]

    async def entries(self) -> int:
        page = await ledger_pages.ledger_page(self.backend, ACTORS["wanjiru"], EntryFilter(), 1)
        return page.total

    async def notes(self) -> list[str]:
        """Every signed checkpoint."""
        async with audit.at_one_instant(self.backend) as session:
            return [one async for lot in audit.record_of(session) for one in lot if isinstance(one, str)]

    async def verified(self) -> Verification:
        """The ledger as anybody with the public key verifies it."""
        verifier = Verifier(self.key.public_key(), name="test")
        return (await audit.verify_live(self.backend, verifier, with_documents=True)).verification

    async def sequence(self) -> None:
        while await sequencer.sequence(self.backend, self.key, "test"):
            continue

    def app(self) -> Any:
        return self._app

    @cached_property
    def _app(self) -> Any:
        app = make_app(Settings(web_dir=self.folder / "no-web"), self.backend)
        app.add_middleware(Watch, blocked=self.blocked)
        return app
