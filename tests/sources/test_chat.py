"""What a homeserver answers: only what is well-formed is heard, and every trouble has a reason."""

import json

import httpx
import pytest
from starlette.responses import JSONResponse, PlainTextResponse
from tests.serving import Outside, served

from dogana.sources import NotSentError
from dogana.sources.chat import MatrixChat
from dogana.sources.http import UnreadError

GOOD = {
    "event_id": "$1",
    "sender": "@ilse:x",
    "origin_server_ts": 1_772_000_000_000,
    "type": "m.room.message",
    "content": {"msgtype": "m.text", "body": "approve"},
}
NOT_HEARD = {
    "no time": {"origin_server_ts": None},
    "a time in words": {"origin_server_ts": "now"},
    "a time that never comes": {"origin_server_ts": 10**18},
    "no sender": {"sender": None},
    "a sender that is a list": {"sender": ["@ilse:x"]},
    "content that is none": {"content": "approve"},
    "a body that is an object": {"content": {"msgtype": "m.text", "body": {"approve": True}}},
    "a notice": {"content": {"msgtype": "m.notice", "body": "approve"}},
    "mended": {
        "content": {"msgtype": "m.text", "body": "approve", "m.relates_to": {"rel_type": "m.replace"}}
    },
    "a relation that is none": {"content": {"msgtype": "m.text", "body": "approve", "m.relates_to": "$1"}},
    "a sign to nothing": {"type": "m.reaction", "content": {"m.relates_to": {"key": "👍"}}},
    "a sign that is none": {"type": "m.reaction", "content": {"m.relates_to": ["👍"]}},
    "another kind": {"type": "m.room.encrypted", "content": {"ciphertext": "x"}},
    "ourselves": {"sender": "@dogana:x"},
}


class Homeserver(Outside):
    def __init__(self) -> None:
        super().__init__()
        self.answer = self.said
        self.sync: object = {}
        self.status = 200

    async def said(self, request):
        if request.url.path.endswith("/whoami"):
            return JSONResponse({"user_id": "@dogana:x"})
        if isinstance(self.sync, bytes):
            return PlainTextResponse(self.sync, self.status)
        return JSONResponse(self.sync, self.status)

    def of(self, *events: object, **timeline) -> None:
        joined = {"!room:x": {"timeline": {"events": list(events), **timeline}}}
        self.sync = {"next_batch": "s2", "rooms": {"join": joined}}


@pytest.fixture
async def homeserver():
    server = Homeserver()
    async with served(server), httpx.AsyncClient(timeout=0.2) as client:
        server.chat = MatrixChat(client, address=server.url, token="t")
        yield server


@pytest.mark.parametrize("changes", NOT_HEARD.values(), ids=NOT_HEARD)
async def test_what_is_not_formed_as_it_should_be_is_left_out(homeserver: Homeserver, changes: dict):
    """And what stands beside it is heard."""
    homeserver.of({**GOOD, **changes}, GOOD, None, 7)
    heard = await homeserver.chat.heard("s1", 0)
    assert [one.event for one in heard.said] == ["$1"]
    assert (heard.said[0].text, heard.whole) == ("approve", True)


async def test_a_reply_is_heard_without_what_it_quotes(homeserver: Homeserver):
    body = "> <@dogana:x> approve everything\n> now\n\nturn back because no"
    relates = {"m.in_reply_to": {"event_id": "$0"}}
    homeserver.of({**GOOD, "content": {"msgtype": "m.text", "body": body, "m.relates_to": relates}})
    (said,) = (await homeserver.chat.heard("s1", 0)).said
    assert (said.text, said.about) == ("turn back because no", "$0")


@pytest.mark.thorough
async def test_what_was_left_out_is_said_and_a_long_wait_is_waited(homeserver: Homeserver):
    """Longer than the client waits for others."""
    homeserver.of(GOOD, limited=True)
    await homeserver.chat.heard("s1", 0)
    homeserver.mood = "slow"
    assert not (await homeserver.chat.heard("s1", 5)).whole


@pytest.mark.parametrize(
    ("answer", "status"),
    [(b"<html>", 200), ({}, 200), ([], 200), ({"next_batch": 7}, 200), ({"next_batch": "s2"}, 401)],
)
async def test_every_trouble_has_a_reason(homeserver: Homeserver, answer: object, status: int):
    homeserver.sync, homeserver.status = answer, status
    with pytest.raises(UnreadError):
        await homeserver.chat.heard("s1", 0)
    with pytest.raises(NotSentError) as refused:
        await homeserver.chat.post("!room:x", "k", "t", "t")
    assert refused.value.for_good == (status == 401)


async def test_nothing_is_believed_of_the_first_reading_but_where_it_ends(homeserver: Homeserver):
    """What was said before we listened decides nothing."""
    homeserver.of(GOOD)
    heard = await homeserver.chat.heard(None, 0)
    assert (heard.said, heard.following) == ((), "s2")
    asked = json.loads(homeserver.asked[-1].query_params["filter"])
    assert asked["room"]["timeline"]["not_senders"] == ["@dogana:x"]


@pytest.mark.parametrize("address", ["http://chat.example", "ftp://chat.example", "chat.example", ""])
def test_a_homeserver_is_reached_over_https(address: str):
    with pytest.raises(ValueError, match="https"):
        MatrixChat(httpx.AsyncClient(), address=address, token="t")
