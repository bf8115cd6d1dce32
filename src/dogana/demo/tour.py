"""`dogana tour`: one promotion from request to verified ledger, through the doors everybody uses."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx
from rich.console import Console

from dogana.demo.cast import CAST, PASSWORD
from dogana.demo.cluster import ClusterError
from dogana.demo.instance import Instance
from dogana.demo.repositories import commit_on_top
from dogana.demo.running import Running

_PATIENCE_SECONDS = 60.0
_PEOPLE = {member.id: member for member in CAST}
SERVICE, TITLE = "field-app", "Field app"
_PLAN = {"steps": [{"share": 20, "hold": "PT2S"}, {"share": 100}]}


class TourError(RuntimeError):
    """A step of the tour did not come out as it must."""


def run_tour(root: Path) -> int:
    """Tour the running demo, or a private instance made for it.

    Returns:
        0 when every step came out as it must, 1 otherwise.
    """
    console = Console(highlight=False)
    try:
        with _instance(root, console) as running:
            Tour(console, running).run()
    except (TourError, ClusterError, httpx.HTTPError) as exc:
        console.print(f"The tour stopped: {exc}")
        return 1
    return 0


@contextmanager
def _instance(root: Path, console: Console) -> Iterator[Running]:
    running = Running.load(root / ".dogana" / "demo" / "running.json")
    if running is not None:
        console.print(f"Touring the demo that runs at {running.url}.")
        yield running
        return
    console.print("No demo runs here, so the tour makes an instance of its own (half a minute).")
    folder = Path(tempfile.mkdtemp(prefix="dogana-tour-"))
    folder.chmod(0o755)
    instance = Instance(folder, root / "web" / "build", lambda _: None)
    try:
        yield instance.start(port=None, past=False, takes=2.0)
    finally:
        instance.stop()
        shutil.rmtree(folder, ignore_errors=True)


class Tour:
    """The steps, each checked."""

    def __init__(self, console: Console, running: Running) -> None:
        self._console = console
        self._running = running
        self._number = 0
        self._done: list[str] = []
        self._open = ExitStack()

    def run(self) -> None:
        """Take one release to the bench and on into rehearsal.

        Raises:
            TourError: at the first step that does not come out as it must.
        """
        with self._open:
            self._all_steps()

    def _all_steps(self) -> None:
        version = f"5.3.0-tour.{datetime.now(UTC):%d%H%M%S}"
        revision = commit_on_top(
            Path(self._running.repositories),
            SERVICE,
            "lena",
            self._done_ticket(),
            "Show the crew which valves were turned",
        )
        self._step(f"A pipeline asks: may {TITLE} {version} enter the bench, a fifth of it first?")
        with tempfile.TemporaryDirectory() as folder:
            artifact = Path(folder) / f"{SERVICE}-{version}.tar.gz"
            artifact.write_bytes(f"made-up build of {version}".encode())
            plan = Path(folder) / "plan.json"
            plan.write_text(json.dumps(_PLAN))
            first = self._command(
                "request",
                f"--service={SERVICE}",
                f"--version={version}",
                "--to=bench",
                f"--rev={revision}",
                f"--artifact={artifact}",
                f"--plan={plan}",
            )
        self._command("wait", first.strip(), "--timeout=30", "--every=0.5")
        self._until(int(first), "landed")
        self._say("Nobody had to be asked there: it went in step by step, and landed.")
        for order in self._read(f"/api/promotions/{int(first)}/orders")["orders"]:
            self._say(f"  {order['at'][11:19]} UTC  {order['share']:>3} %  {order['reason']}")
        self._watched()
        self._step("Tomás, of the release desk, asks for rehearsal himself.")
        tomas = self._sign_in("tomas")
        asked = self._post(
            tomas, "/api/promotions", {"service": SERVICE, "version": version, "to": "rehearsal"}
        )
        self._number = asked["number"]
        self._say(asked["sentence"])
        for finding in self._dossier(tomas)["findings"]:
            self._say(f"  {finding['outcome']:>8}  {finding['title']}: {finding['because']}")
        self._step("He tries to approve what he asked for.")
        refusal = self._decide(tomas, "approve")
        self._must(
            refusal.status_code == httpx.codes.FORBIDDEN, "an approval by the requester was not refused"
        )
        self._say(f"Refused: {refusal.json()['detail']}")
        for person, words in (
            ("henrik", "a test lead, approves."),
            ("ilse", "of the release desk, approves."),
        ):
            self._step(f"{_PEOPLE[person].name}, {words}")
            client = self._sign_in(person)
            self._say(self._dossier(client)["mine"]["effect"] or "")
            answer = self._decide(client, "approve")
            self._must(answer.is_success, answer.text)
            self._say(answer.json()["sentence"])
        self._step("Ilse does not wait for its set time: she lets it depart by hand, and it lands.")
        answer = client.post(f"/api/promotions/{self._number}/depart")
        self._must(answer.is_success, answer.text)
        self._until(self._number, "landed")
        self._step("Henrik, a test lead, has looked at it there, and says how it is.")
        henrik = self._sign_in("henrik")
        said = self._post(henrik, f"/api/promotions/{self._number}/confirm", {"comment": "The valves show"})
        self._say(said["says"])
        for entry in self._dossier(tomas)["course"]:
            self._say(f"  {entry['at'][11:19]} UTC  {entry['says']}")
        self._step("The ledger is verified.")
        self._say(self._verify())
        self._console.print(
            f"\nDone: {len(self._done)} steps, promotion {self._number}, at {self._running.url}."
        )

    def _watched(self) -> None:
        """What watches whatever moves in steps now."""
        moving = [row for row in self._read("/api/desk")["rows"] if row["going"]]
        for row in moving[:1]:
            course = self._read(f"/api/promotions/{row['number']}/course")
            if not course["monitors"]:
                continue
            name = f"{row['service']['name']} {row['version']} into {row['target']['name']}"
            self._step(f"{name} is being watched in just now.")
            self._say(course["because"])
            for one in course["monitors"]:
                self._say(f"  {one['verdict']:>13}  {one['name']}: {one['says']}")

    def _read(self, path: str) -> dict[str, Any]:
        headers = {"Authorization": f"Bearer {self._running.requester_token}"}
        with httpx.Client(base_url=self._running.url, headers=headers, timeout=10) as client:
            out: dict[str, Any] = client.get(path).raise_for_status().json()
            return out

    def _done_ticket(self) -> str:
        tickets: dict[str, dict[str, str]] = json.loads(Path(self._running.tickets).read_text())["tickets"]
        done = [key for key, ticket in tickets.items() if ticket["status"] == "done"]
        return min(key for key in done if key.startswith("FLD"))

    def _step(self, words: str) -> None:
        self._done.append(words)
        self._console.print(f"\n[bold]{len(self._done)}. {words}[/bold]")

    def _say(self, words: str) -> None:
        self._console.print(f"   {words}")

    def _must(self, good: bool, otherwise: str) -> None:
        if not good:
            raise TourError(otherwise)

    def _sign_in(self, person: str) -> httpx.Client:
        client = self._open.enter_context(httpx.Client(base_url=self._running.url, timeout=10))
        me = self._post(client, "/api/session", {"email": _PEOPLE[person].email, "password": PASSWORD})
        client.headers["X-CSRF-Token"] = me["csrf_token"]
        return client

    def _post(self, client: httpx.Client, path: str, body: dict[str, Any]) -> dict[str, Any]:
        answer = client.post(path, json=body)
        self._must(answer.is_success, answer.text)
        out: dict[str, Any] = answer.json()
        return out

    def _dossier(self, client: httpx.Client) -> dict[str, Any]:
        answer = client.get(f"/api/promotions/{self._number}/dossier").raise_for_status()
        out: dict[str, Any] = answer.json()
        return out

    def _decide(self, client: httpx.Client, action: str) -> httpx.Response:
        shown = self._dossier(client)["mine"]["shown"]
        return client.post(f"/api/promotions/{self._number}/{action}", json={"shown": shown})

    def _until(self, number: int, state: str) -> None:
        ends = time.monotonic() + _PATIENCE_SECONDS
        while time.monotonic() < ends:
            row = self._read(f"/api/promotions/{number}")
            if row["state"] == state:
                return
            time.sleep(0.3)
        raise TourError(f"promotion {number} is {row['state']}, not {state}: {row['sentence']}")

    def _command(self, *arguments: str) -> str:
        environment = {"DOGANA_URL": self._running.url, "DOGANA_TOKEN": self._running.requester_token}
        return self._dogana(arguments, environment)

    def _verify(self) -> str:
        environment = {
            "DOGANA_DATABASE_URL": self._running.database_url,
            "DOGANA_SIGNING_KEY": self._running.key_file,
        }
        ends = time.monotonic() + 10
        while True:
            try:
                return self._dogana(("ledger", "verify"), environment).strip()
            except TourError:
                if time.monotonic() > ends:
                    raise
                time.sleep(0.3)

    def _dogana(self, arguments: tuple[str, ...], environment: dict[str, str]) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "dogana", *arguments],
            env={**os.environ, **environment},
            capture_output=True,
            text=True,
            check=False,
            timeout=_PATIENCE_SECONDS,
        )
        for line in done.stderr.strip().splitlines():
            self._say(line)
        self._must(done.returncode == 0, f"dogana {arguments[0]} ended with {done.returncode}")
        return done.stdout
