"""One whole Dogana with the scenario: cluster, data, and the processes that keep it alive."""

import asyncio
import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from pathlib import Path

import httpx

from dogana.demo import capacity, connections, fleet_past, seed
from dogana.demo.cluster import Cluster, ClusterError, Urls, free_port, is_free
from dogana.demo.landscape import ENVIRONMENTS, HOME
from dogana.demo.running import Running
from dogana.service.people import tokens
from dogana.service.sealing import Keyring
from dogana.settings import Settings
from dogana.store import Database
from dogana.store.migrate import migrate
from dogana.wiring import add_sealing_key, backend_for, new_key

_BY_HAND = "valve-command"
_PATIENCE_SECONDS = 30
_NOTHING: Mapping[str, str] = {}


_TOKENS: tuple[tuple[str, str, tokens.Scope], ...] = (
    ("deploy", "stand-in pipeline", "deploy"),
    ("request", "tour", "request"),
)


_SENDERS = {"pipeline": "Delivery pipeline", capacity.NAME: capacity.TITLE}
"""Who sends events, and what they are called."""


class Instance:
    """Starts everything in order, and stops it in the reverse order."""

    def __init__(self, folder: Path, web_dir: Path, say: Callable[[str], None]) -> None:
        self.folder = folder
        self._web_dir = web_dir
        self._say = say
        self._cluster = Cluster(folder / "postgres")
        self._files = seed.Files(folder=folder / "outside")
        self._ports: dict[str, int] = {}
        self._processes: list[tuple[str, subprocess.Popen[bytes]]] = []

    @property
    def running_file(self) -> Path:
        """Where it says how to reach it."""
        return self.folder / "running.json"

    @property
    def key_file(self) -> Path:
        """The key that signs its checkpoints."""
        return self.folder / "signing.pem"

    @property
    def sealing_file(self) -> Path:
        """The keys that seal its secrets."""
        return self.folder / "sealing.keys"

    def start(
        self, *, port: int | None = None, fresh: bool = False, past: bool = True, takes: float | None = None
    ) -> Running:
        """Start everything.

        Args:
            port: of the web process; a free one where None and the usual one is taken.
            fresh: start over with new data.
            past: with the whole history, or the last days alone.
            takes: seconds that any deployment takes; the scenario's own where None.

        Raises:
            ClusterError: when the database cannot be set up, a port is taken or a process does not start.
        """
        self._say("starting PostgreSQL and the metrics server")
        self._cluster.start()
        urls = self._data(fresh=fresh, past=past)
        metrics_port = self._watch_fleet()
        port = _web_port(port, self._say)
        environment = self._environment(urls, port)
        settings = Settings.unattended(environment)
        addresses = (f"http://127.0.0.1:{self._port('tracker')}", f"http://127.0.0.1:{metrics_port}")
        secret = asyncio.run(self._tokens(settings, *addresses))
        self._say("starting the web process, the worker and the pipeline")
        self._run("web", _python("dogana", "serve"), environment)
        url = f"http://127.0.0.1:{port}"
        self._wait_until_up("web", f"{url}/api/policy-schema")
        self._run("worker", _python("dogana", "work"), environment)
        seconds = {e.id: takes if takes is not None else e.takes for e in ENVIRONMENTS}
        pipeline = ["dogana.standins.pipeline", "--url", url, "--takes", json.dumps(seconds)]
        # Whoever may list processes reads their arguments; what is in their environment, their owner alone.
        environs = {"DOGANA_TOKEN": secret["deploy"], "DOGANA_EVENT_SECRET": secret["pipeline events"]}
        pipeline += ["--by-hand", _BY_HAND, "--fleet", f"http://127.0.0.1:{self._port('fleet')}"]
        self._run("pipeline", _python(*pipeline), environs)
        check = _python("dogana.standins.capacity", "--url", url, "--port", str(self._port("capacity")))
        self._run("capacity", check, {"DOGANA_EVENT_SECRET": secret["capacity events"]})
        running = Running(
            url=url,
            pid=os.getpid(),
            key_file=str(self.key_file.absolute()),
            database_url=urls.application,
            requester_token=secret["request"],
            repositories=str(self._files.repositories.absolute()),
            tickets=str(self._files.tickets.absolute()),
            fleet=f"http://127.0.0.1:{self._port('fleet')}",
            mailbox=f"http://127.0.0.1:{self._port('mailbox')}",
            chat=f"http://127.0.0.1:{self._port('chat')}",
            capacity=f"http://127.0.0.1:{self._port('capacity')}",
        )
        running.save(self.running_file)
        return running

    def process(self, name: str) -> subprocess.Popen[bytes]:
        """One of its processes: tracker, store, web, worker or pipeline."""
        return dict(self._processes)[name]

    def wait(self) -> str:
        """Wait until a process ends without which there is no Dogana, and name it."""
        while True:
            for name, process in self._processes:
                if name != "pipeline" and process.poll() is not None:
                    return name
            time.sleep(0.5)

    def stop(self) -> None:
        """Stop what was started, and nothing else."""
        self.running_file.unlink(missing_ok=True)
        for _, process in reversed(self._processes):
            process.send_signal(signal.SIGTERM)
        for _, process in reversed(self._processes):
            try:
                process.wait(timeout=5)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        self._processes.clear()
        self._ports.clear()
        self._cluster.stop()

    def _data(self, *, fresh: bool, past: bool) -> Urls:
        """The database with the scenario, made now if it is not there."""
        done = self.folder / "made"
        if fresh or not done.exists():
            done.unlink(missing_ok=True)
            self.key_file.unlink(missing_ok=True)
            self.sealing_file.unlink(missing_ok=True)
            (self.folder / "tokens.json").unlink(missing_ok=True)
            now = datetime.now(UTC)
            self._say("making repositories, builds and tickets")
            seed.make_outside(self._files, now)
            self._stand_in()
            urls = self._cluster.make_database("dogana", anew=True)
            migrate(urls.owner, urls.application)
            asyncio.run(self._make(urls, now, past=past))
            done.touch()
            return urls
        self._stand_in()
        urls = self._cluster.make_database("dogana")
        migrate(urls.owner, urls.application)
        return urls

    def _stand_in(self) -> None:
        """Start the tracker, the store of artifacts, everybody's mailbox and the chat."""
        tracker = ["dogana.standins.tracker", "--tickets", str(self._files.tickets)]
        self._run("tracker", _python(*tracker, "--port", str(self._port("tracker"))))
        store = [str(self._port("store")), "--bind", "127.0.0.1", "--directory", str(self._files.builds)]
        self._run("store", _python("http.server", *store))
        mailbox = ["--smtp-port", str(self._port("smtp")), "--port", str(self._port("mailbox"))]
        self._run("mailbox", _python("dogana.standins.mailbox", *mailbox))
        self._run("chat", _python("dogana.standins.chat", "--port", str(self._port("chat"))))
        # Its room is come into before anything else is asked of any of them.
        self._wait_until_up("chat", f"http://127.0.0.1:{self._port('chat')}/")

    async def _make(self, urls: Urls, now: datetime, *, past: bool) -> None:
        database = Database(urls.application, lasting=False)
        key = new_key(self.key_file)
        add_sealing_key(self.sealing_file)
        keyring = Keyring.read(self.sealing_file.read_text())
        store = f"http://127.0.0.1:{self._port('store')}"
        await seed.make_history(database, self._files, key, keyring, now, self._say, store=store, past=past)
        self._runs.write_text(json.dumps(await fleet_past.what_runs(database)))
        self._say("writing what the metrics were")
        rises = await fleet_past.rises(database)
        job, days = {"job": "fleet", "instance": self._target()}, seed.DAYS_BACK if past else 2
        folder = self.folder / "prometheus" / "data"
        await asyncio.to_thread(fleet_past.write, folder, self._troubles, job, now, days, rises)
        await database.close()

    async def _tokens(self, settings: Settings, tracker: str, metrics: str) -> dict[str, str]:
        """Tokens for the stand-in pipeline and the tour, kept beside the data; one that ended is made anew.

        The sources are set to where their systems are this time.
        """
        kept = self.folder / "tokens.json"
        async with backend_for(settings) as backend:
            await connections.set_sources(backend, tracker, metrics)
            await connections.set_rooms(backend)
            await connections.set_places(backend, f"http://{self._target()}")
            made: dict[str, str] = json.loads(kept.read_text()) if kept.exists() else {}
            for name, title in _SENDERS.items():
                if f"{name} events" not in made:
                    made[f"{name} events"] = await connections.make_sender(backend, name, title)
            at = f"http://127.0.0.1:{self._port('capacity')}"
            await capacity.set_address(backend, at, made["capacity events"])
            for name, title, scope in _TOKENS:
                if not await connections.is_good(backend, made.get(name, "")):
                    made[name] = await connections.make_token(backend, "pipeline", title, [scope])
        kept.touch(mode=0o600)
        kept.write_text(json.dumps(made))
        return made

    def _environment(self, urls: Urls, port: int) -> dict[str, str]:
        return {
            "DOGANA_DATABASE_URL": urls.application,
            "DOGANA_PORT": str(port),
            "DOGANA_SIGNING_KEY": str(self.key_file.absolute()),
            "DOGANA_LEDGER_NAME": seed.LEDGER_NAME,
            "DOGANA_REPOSITORY_ROOT": str(self._files.repositories.absolute()),
            "DOGANA_MIRRORS": str((self.folder / "mirrors").absolute()),
            "DOGANA_REACHABLE": "public, 127.0.0.0/8",
            "DOGANA_SEALING_KEYS_FILE": str(self.sealing_file.absolute()),
            "DOGANA_REFRESH": "10",
            "DOGANA_ZONE": HOME,
            "DOGANA_ADDRESS": f"http://127.0.0.1:{port}",
            "DOGANA_MAIL_SERVER": f"smtp://127.0.0.1:{self._port('smtp')}",
            "DOGANA_MAIL_FROM": "dogana@corvale.example",
            "DOGANA_CHAT_SERVER": f"http://127.0.0.1:{self._port('chat')}",
            "DOGANA_CHAT_TOKEN": "dogana",
            "DOGANA_WEB_DIR": str(self._web_dir.absolute()),
        }

    def _watch_fleet(self) -> int:
        """Start the fleet and a Prometheus that scrapes it; gives the port of the latter."""
        program = shutil.which("prometheus")
        if program is None:
            raise ClusterError("Prometheus is not installed; ./dogana installs it from Debian's packages.")
        fleet, port = self._port("fleet"), self._port("metrics")
        troubles = ["--troubles", str(self._troubles), "--runs", str(self._runs)]
        self._run("fleet", _python("dogana.standins.fleet", "--port", str(fleet), *troubles))
        folder = self.folder / "prometheus"
        folder.mkdir(parents=True, exist_ok=True)
        config = folder / "prometheus.yml"
        scrape = {"job_name": "fleet", "static_configs": [{"targets": [self._target()]}]}
        config.write_text(json.dumps({"global": {"scrape_interval": "1s"}, "scrape_configs": [scrape]}))
        command = [program, f"--config.file={config}", f"--storage.tsdb.path={folder / 'data'}"]
        command += [f"--web.listen-address=127.0.0.1:{port}", "--storage.tsdb.retention.time=60d"]
        self._run("metrics", [*command, "--log.level=warn"])
        return port

    @property
    def _troubles(self) -> Path:
        """What of the fleet is higher than usual."""
        return self.folder / "troubles.json"

    @property
    def _runs(self) -> Path:
        """What really runs in the fleet."""
        return self.folder / "runs.json"

    def _target(self) -> str:
        """The fleet, as the metrics server calls it."""
        return f"127.0.0.1:{self._port('fleet')}"

    def _port(self, name: str) -> int:
        """The port of one of its systems: a free one, that of the last time if it is."""
        if name not in self._ports:
            file = self.folder / "ports.json"
            ports: dict[str, int] = json.loads(file.read_text()) if file.exists() else {}
            if name not in ports or not is_free(ports[name]):
                ports[name] = free_port()
                file.write_text(json.dumps(ports))
            self._ports[name] = ports[name]
        return self._ports[name]

    def _run(self, name: str, command: list[str], environment: Mapping[str, str] = _NOTHING) -> None:
        log_file = self.folder / f"{name}.log"
        with log_file.open("ab") as log:
            process = subprocess.Popen(
                command,
                env={**os.environ, **environment},
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
        self._processes.append((name, process))

    def _wait_until_up(self, waited_for: str, url: str) -> None:
        ends = time.monotonic() + _PATIENCE_SECONDS
        while time.monotonic() < ends:
            for name, process in self._processes:
                if process.poll() is not None:
                    raise ClusterError(f"the {name} did not start; see {self.folder / f'{name}.log'}")
            try:
                httpx.get(url, timeout=2).raise_for_status()
            except httpx.HTTPError:
                time.sleep(0.1)
            else:
                return
        raise ClusterError(f"nothing answers at {url}; see {self.folder / f'{waited_for}.log'}")


def _python(module: str, *arguments: str) -> list[str]:
    return [sys.executable, "-m", module, *arguments]


def _web_port(asked: int | None, say: Callable[[str], None]) -> int:
    usual = asked or 8620
    if is_free(usual):
        return usual
    if asked is not None:
        raise ClusterError(f"port {asked} is in use; give another with --port")
    port = free_port()
    say(f"port {usual} is in use, so this is on port {port}")
    return port
