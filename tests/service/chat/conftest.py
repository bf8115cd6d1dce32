"""A real homeserver in a process of its own, with people in it, and a world that talks there."""

import hashlib
import hmac
import json
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import httpx
import pytest
from tests.waiting import answers
from tests.world import REVIEWERS, World

from dogana.demo.cast import ACTORS
from dogana.demo.cluster import free_port
from dogana.demo.past_sources import SimulatedClock
from dogana.service.chat import listening, posting, rooms
from dogana.sources.chat import MatrixChat

SECRET = "a-made-up-secret"
PEOPLE = ("dogana", "ilse", "henrik", "stranger")
BY_CHAT = {**REVIEWERS, "ways": ["desk", "chat"]}


@pytest.fixture(scope="module")
def homeserver(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    folder: Path = tmp_path_factory.mktemp("homeserver")
    port = free_port()
    quick = {"per_second": 10_000, "burst_count": 10_000}
    config = {
        "server_name": "corvale.example",
        "pid_file": str(folder / "pid"),
        "listeners": [
            {
                "port": port,
                "type": "http",
                "bind_addresses": ["127.0.0.1"],
                "resources": [{"names": ["client"]}],
            }
        ],
        "database": {"name": "sqlite3", "args": {"database": str(folder / "db")}},
        "media_store_path": str(folder / "media"),
        "signing_key_path": str(folder / "signing.key"),
        "registration_shared_secret": SECRET,
        "report_stats": False,
        "macaroon_secret_key": "m",
        "form_secret": "f",
        "trusted_key_servers": [],
        "suppress_key_server_warning": True,
        "rc_message": quick,
        "rc_room_creation": quick,
        "rc_login": {"address": quick, "account": quick, "failed_attempts": quick},
        "rc_joins": {"local": quick, "remote": quick},
    }
    file = folder / "homeserver.yaml"
    file.write_text(json.dumps(config))
    command = [sys.executable, "-W", "ignore", "-m", "synapse.app.homeserver", "-c", str(file)]
    subprocess.run([*command, "--generate-keys"], check=True, capture_output=True, timeout=120)
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as process:
        url = f"http://127.0.0.1:{port}"
        answers(f"{url}/_matrix/client/versions")
        for name in PEOPLE:
            _register(url, name)
        yield url
        process.kill()


def _register(url: str, name: str) -> None:
    nonce = httpx.get(f"{url}/_synapse/admin/v1/register").json()["nonce"]
    said = f"{nonce}\0{name}\0p\0notadmin".encode()
    mac = hmac.new(SECRET.encode(), said, hashlib.sha1).hexdigest()
    body = {"nonce": nonce, "username": name, "password": "p", "admin": False, "mac": mac}
    httpx.post(f"{url}/_synapse/admin/v1/register", json=body).raise_for_status()


class Talker:
    """Somebody in the chat, by its own API."""

    def __init__(self, url: str, name: str) -> None:
        self.at = f"{url}/_matrix/client/v3"
        asked = {"type": "m.login.password", "user": name, "password": "p"}
        found = httpx.post(f"{self.at}/login", json=asked).raise_for_status().json()
        self.me, self.token = found["user_id"], found["access_token"]
        self.headers = {"Authorization": f"Bearer {self.token}"}
        self.count = 0

    def call(self, method: str, path: str, body: dict | None = None) -> dict:
        answer = httpx.request(method, f"{self.at}{path}", headers=self.headers, json=body, timeout=30)
        return answer.raise_for_status().json()

    def say(self, room: str, text: str, about: str | None = None, **more) -> str:
        body = {"msgtype": "m.text", "body": text, **more}
        if about is not None:
            body["m.relates_to"] = {"m.in_reply_to": {"event_id": about}}
        return self._send(room, "m.room.message", body)

    def react(self, room: str, about: str, sign: str) -> str:
        relates = {"rel_type": "m.annotation", "event_id": about, "key": sign}
        return self._send(room, "m.reaction", {"m.relates_to": relates})

    def _send(self, room: str, kind: str, body: dict) -> str:
        self.count += 1
        path = f"/rooms/{room}/send/{kind}/{self.me}-{time.time_ns()}-{self.count}"
        return self.call("PUT", path, body)["event_id"]

    def read(self, room: str) -> list[dict]:
        """Everything in a room, the first of it first."""
        return self.call("GET", f"/rooms/{room}/messages?dir=f&limit=500")["chunk"]


class Room:
    """A room of the rehearsal, the people in it, and the worker's part."""

    def __init__(self, world: World, url: str) -> None:
        self.world = world
        self.people = {name: Talker(url, name) for name in PEOPLE}
        made = self.people["ilse"].call("POST", "/createRoom", {"preset": "public_chat"})
        self.address = made["room_id"]
        for name in PEOPLE:
            if name != "ilse":
                self.people[name].call("POST", f"/join/{self.address}", {})

    async def hear(self) -> list[str]:
        """Post what changed, hear what was said; what we answered since, in order."""
        before = {one["event_id"] for one in self._ours()}
        await posting.post_due(self.world.backend)
        await listening.listen(self.world.backend, 0)
        return [one["content"]["body"] for one in self._ours() if one["event_id"] not in before]

    def _ours(self) -> list[dict]:
        ours = self.people["dogana"].me
        found = self.people["ilse"].read(self.address)
        return [one for one in found if one["sender"] == ours and one["type"] == "m.room.message"]

    @property
    def posted(self) -> list[dict]:
        """What stands in the room about promotions, with what mended it last."""
        return [one for one in self._ours() if "m.relates_to" not in one["content"]]

    async def link(self, who: str) -> None:
        code = await rooms.make_code(self.world.backend, ACTORS[who])
        self.people[who].say(self.address, f"link {code.code}")
        assert await self.hear() == [f"You are {ACTORS[who].name} here from now on."]


@pytest.fixture
async def room(world: World, homeserver: str, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(SimulatedClock, "__call__", lambda _: datetime.now(UTC))
    token = Talker(homeserver, "dogana").token
    async with httpx.AsyncClient() as client:
        chat = MatrixChat(client, address=homeserver, token=token)
        world.backend = replace(world.backend, chat=chat, source="https://dogana.corvale.example")
        await world.adopt("rehearsal", BY_CHAT)
        made = Room(world, homeserver)
        await rooms.keep(
            world.backend,
            ACTORS["dario"],
            "rehearsal",
            title="Rehearsal",
            address=made.address,
            service=None,
            environment="rehearsal",
        )
        await listening.listen(world.backend, 0)
        yield made
