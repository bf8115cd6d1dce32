"""An instance to measure: a private cluster, one service of one commit, one environment that lets all in."""

import asyncio
import os
import subprocess
import sys
import tempfile
from collections.abc import AsyncIterator, Iterator
from contextlib import asynccontextmanager, contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx

from dogana.core.facts import Artifact
from dogana.demo import connections, seed
from dogana.demo.cast import ACTORS
from dogana.demo.cluster import Cluster, Urls, free_port
from dogana.demo.landscape import SERVICES
from dogana.demo.repositories import Build, make_repository
from dogana.service.policies import drafts
from dogana.service.promotions import intake
from dogana.settings import Settings
from dogana.store.migrate import migrate
from dogana.wiring import add_sealing_key, backend_for, new_key

SERVICE = SERVICES[0]
ENVIRONMENT = LEDGER = "bench"


@dataclass(frozen=True)
class Running:
    """A process and where it listens."""

    process: subprocess.Popen[bytes]
    url: str


@dataclass(frozen=True, kw_only=True)
class Instance:
    """A database with its keys and repositories."""

    folder: Path
    urls: Urls

    @property
    def variables(self) -> dict[str, str]:
        """The settings, as a process gets them."""
        return {
            "DOGANA_DATABASE_URL": self.urls.application,
            "DOGANA_SIGNING_KEY": str(self.folder / "signing.pem"),
            "DOGANA_SEALING_KEYS_FILE": str(self.folder / "sealing.keys"),
            "DOGANA_REPOSITORY_ROOT": str(self.folder / "repositories"),
            "DOGANA_LEDGER_NAME": LEDGER,
        }

    @property
    def settings(self) -> Settings:
        """The same, read; nobody signs in for what is measured."""
        return Settings.unattended(self.variables)

    @property
    def revision(self) -> str:
        """The id of the commit that everything is built from, as a pipeline knows it."""
        repository = self.folder / "repositories" / SERVICE.id
        command = ["git", "-c", f"safe.directory={repository}", "-C", str(repository), "rev-parse", "main"]
        return subprocess.run(command, check=True, capture_output=True, text=True).stdout.strip()

    async def prepare(self) -> str:
        """One service with one commit, one environment with a policy that lets everything in; a token."""
        at = datetime.now(UTC) - timedelta(days=1)
        (self.folder / "repositories").mkdir()
        make_repository(
            self.folder / "repositories",
            SERVICE,
            [Build(service=SERVICE, version="1.0.0", built_at=at, tickets=())],
        )
        async with backend_for(self.settings) as backend:
            await seed.make_landscape(backend)
            rule = {"id": "versions", "kind": "versions", "title": "Forward", "going_back": "allowed"}
            document = {"format": "dogana.policy/1", "title": "Bench", "zone": "Etc/UTC", "rules": [rule]}
            await drafts.draft(backend, ACTORS["marco"], ENVIRONMENT, document)
            await drafts.adopt(backend, ACTORS["chiara"], ENVIRONMENT, 1, reason="")
            return await connections.make_token(backend, "pipeline", "bench", ["request", "read"])

    def request(self, version: str, revision: str) -> intake.Request:
        """What asks for a version of the one service, within this process."""
        return intake.Request(
            service=SERVICE.id,
            version=version,
            to=ENVIRONMENT,
            revision=revision,
            artifacts=(Artifact(name="app.tar.gz", digest="sha256:" + "a" * 64, size=10),),
        )

    def asked(self, revision: str, n: int) -> dict[str, Any]:
        """What asks for the nth promotion."""
        artifact = {"name": "intake.tar.gz", "digest": "sha256:" + "a" * 64, "size": 1234}
        return {
            "service": SERVICE.id,
            "version": f"1.0.{n}",
            "to": ENVIRONMENT,
            "revision": revision,
            "artifacts": [artifact],
        }

    @asynccontextmanager
    async def process(self, *module: str, waits: bool = True) -> AsyncIterator[Running]:
        """A process of ours while the block lasts; `{port}` among its words is its port."""
        port = free_port()
        process = subprocess.Popen(  # noqa: ASYNC220 - it only starts
            [sys.executable, "-m", *(word.replace("{port}", str(port)) for word in module)],
            env={**os.environ, **self.variables, "DOGANA_PORT": str(port)},
            # What is measured is written to the standard output, and nothing else.
            stdout=sys.stderr,
        )
        url = f"http://127.0.0.1:{port}"
        try:
            async with httpx.AsyncClient(base_url=url) as client, asyncio.timeout(60):
                while waits and not await _answers(client):  # noqa: ASYNC110 - it is another process
                    await asyncio.sleep(0.05)
            yield Running(process, url)
        finally:
            process.terminate()
            process.wait(timeout=20)


@contextmanager
def instance() -> Iterator[Instance]:
    """A new one, gone after the block."""
    with tempfile.TemporaryDirectory(prefix="dogana-bench-") as name:
        folder = Path(name)
        folder.chmod(0o755)
        new_key(folder / "signing.pem")
        add_sealing_key(folder / "sealing.keys")
        cluster = Cluster(folder / "postgres")
        cluster.start()
        try:
            urls = cluster.make_database("bench")
            migrate(urls.owner, urls.application)
            yield Instance(folder=folder, urls=urls)
        finally:
            cluster.stop()


async def _answers(client: httpx.AsyncClient) -> bool:
    try:
        return (await client.get("/openapi.json")).status_code < httpx.codes.INTERNAL_SERVER_ERROR
    except httpx.TransportError:
        return False
