"""The directory keeps people and groups here: judged by a tester of the protocol, and what follows here."""

import asyncio
from collections import Counter

import httpx
import httpx2
import pytest
from scim2_client.engines.httpx2 import SyncSCIMClient
from scim2_tester import Status, check_server
from tests.serving import Outside, served
from tests.world import World

from dogana.core.errors import SignedOutError
from dogana.demo.cast import ACTORS
from dogana.service.backend import Granted
from dogana.service.hashing import secret_digest
from dogana.service.people import leaving, members, tokens
from dogana.store import people

TOKEN = "a-made-up-token-of-more-than-32-characters"
MAPPING = {
    "approvers": Granted(roles=("approver",), groups=("release-desk",)),
    "owners": Granted(roles=("policy owner",)),
    "admins": Granted(roles=("administrator",)),
}


@pytest.fixture
def directory(world: World) -> World:
    object.__setattr__(world.backend, "provisioning", secret_digest(TOKEN))
    object.__setattr__(world.backend, "mapping", MAPPING)
    return world


@pytest.mark.thorough
async def test_the_tester_of_the_protocol_finds_no_fault(directory: World):
    """Every check it has, over real HTTP, of the schemas that are told."""

    def judged(url: str) -> list:
        headers = {"Authorization": f"Bearer {TOKEN}"}
        with httpx2.Client(base_url=f"{url}/api/scim/v2", headers=headers, timeout=60) as client:
            return check_server(SyncSCIMClient(client))

    async with served(Outside(), directory.app()) as ours:
        results = await asyncio.to_thread(judged, ours.url)
    counted = Counter(one.status for one in results)
    wrong = [(one.title, one.reason) for one in results if one.status is not Status.SUCCESS]
    assert not wrong, wrong
    assert counted[Status.SUCCESS] > 40


class Directory:
    """The directory, as it speaks to us."""

    def __init__(self, client: httpx.AsyncClient) -> None:
        self.client = client

    async def user(self, name: str, **more) -> dict:
        said = {"schemas": [USER], "userName": name, "emails": [{"value": name, "primary": True}], **more}
        made = await self.client.post("/Users", json=said)
        assert made.status_code == 201, made.text
        return made.json()

    async def group(self, name: str, *members: dict) -> dict:
        said = {"schemas": [GROUP], "displayName": name, "members": [{"value": one["id"]} for one in members]}
        made = await self.client.post("/Groups", json=said)
        assert made.status_code == 201, made.text
        return made.json()

    async def patch(self, path: str, *operations: dict) -> httpx.Response:
        said = {"schemas": ["urn:ietf:params:scim:api:messages:2.0:PatchOp"], "Operations": operations}
        return await self.client.patch(path, json=said)

    async def active(self, user: dict, *, yes: bool) -> httpx.Response:
        return await self.patch(f"/Users/{user['id']}", {"op": "replace", "path": "active", "value": yes})


USER = "urn:ietf:params:scim:schemas:core:2.0:User"
GROUP = "urn:ietf:params:scim:schemas:core:2.0:Group"


@pytest.fixture
async def spoken(directory: World):
    transport = httpx.ASGITransport(directory.app(), raise_app_exceptions=False)
    headers = {"Authorization": f"Bearer {TOKEN}"}
    at = "http://d/api/scim/v2"
    async with httpx.AsyncClient(transport=transport, base_url=at, headers=headers) as client:
        yield Directory(client)


async def known(world: World) -> dict:
    return await members.all_members(world.backend, ACTORS["dario"])


async def disabled(world: World, name: str) -> bool:
    async with world.backend.database.transaction() as session:
        row = await people.person(session, name)
    return row is not None and row.disabled_at is not None


async def who_may_sit(world: World, number: int) -> str:
    file = await world.refresh(number)
    return " ".join(line.value for one in file.findings for line in one.evidence)


async def test_people_come_with_their_groups_and_go_at_once(directory: World, spoken: Directory):
    """Set up once a group of theirs comes to something; gone, their sessions, tokens and seats are."""
    zoe = await spoken.user("zoe.zander@corvale.example", displayName="Zoe Zander", nickName="Zo")
    assert "nickName" not in zoe, "what nothing here needs is not kept"
    assert "zoe-zander" not in await known(directory), "no group of theirs comes to anything yet"
    group = await spoken.group("approvers", zoe)
    member = (await known(directory))["zoe-zander"]
    assert (member.name, member.roles, member.groups) == ("Zoe Zander", ("approver",), ("release-desk",))
    number = (await directory.waiting()).number
    assert "Zoe Zander" in await who_may_sit(directory, number)
    await spoken.active(zoe, yes=False)
    assert await disabled(directory, "zoe-zander")
    await spoken.active(zoe, yes=True)
    assert not await disabled(directory, "zoe-zander")
    gone = {"op": "remove", "path": f'members[value eq "{zoe["id"]}"]'}
    assert (await spoken.patch(f"/Groups/{group['id']}", gone)).status_code == 200
    assert await disabled(directory, "zoe-zander")
    assert "Zoe Zander" not in await who_may_sit(directory, number)


async def test_who_is_here_already_is_found_by_their_address_and_loses_what_they_had_open(
    directory: World, spoken: Directory
):
    world, ilse = directory, ACTORS["ilse"]
    text = await world.token(ilse, title="t", scopes=("read",), days=9)
    user = await spoken.user("Ilse@corvale.example", displayName="Ilse Brandt")
    group = await spoken.group("approvers", user)
    assert (await known(world))["ilse"].groups == ("release-desk",)
    assert (await tokens.actor_by_token(world.backend, text)).id == "ilse"
    assert (await spoken.client.delete(f"/Groups/{group['id']}")).status_code == 204
    assert await disabled(world, "ilse")
    with pytest.raises(SignedOutError):
        await tokens.actor_by_token(world.backend, text)


async def test_who_was_disabled_here_is_not_let_in_by_the_directory(directory: World, spoken: Directory):
    """A machine of theirs was lost, say: the next thing the directory says of them must not undo that."""
    user = await spoken.user("ilse@corvale.example", displayName="Ilse Brandt")
    await spoken.group("approvers", user)
    await leaving.remove_person(directory.backend, ACTORS["dario"], "ilse")
    await spoken.group("owners", user)
    await spoken.active(user, yes=True)
    assert await disabled(directory, "ilse")


async def test_the_last_administrator_stays(directory: World, spoken: Directory):
    """However the directory goes about it."""
    dario = await spoken.user("dario@corvale.example", displayName="Dario Conti")
    group = await spoken.group("admins", dario)
    owners = await spoken.group("owners", dario)
    at, theirs = f"/Users/{dario['id']}", f"/Groups/{group['id']}"
    emptied = {"schemas": [GROUP], "displayName": "admins", "members": []}
    for refused in (
        await spoken.active(dario, yes=False),
        await spoken.client.delete(at),
        await spoken.client.delete(theirs),
        await spoken.client.put(theirs, json=emptied),
        await spoken.patch(theirs, {"op": "remove", "path": "members"}),
        await spoken.patch(theirs, {"op": "replace", "path": "displayName", "value": "others"}),
    ):
        assert refused.status_code in {400, 409}, refused.text
        assert refused.headers["content-type"] == "application/scim+json"
    assert "administrator" in (await known(directory))["dario"].roles
    assert not await disabled(directory, "dario")
    assert (await spoken.client.get(theirs)).json()["members"][0]["value"] == dario["id"]
    assert (await spoken.client.delete(f"/Groups/{owners['id']}")).status_code == 204


BAD = {
    "no JSON": ("POST", "/Users", b"{", 400, None),
    "a list": ("POST", "/Users", b"[]", 400, "invalidSyntax"),
    "nobody's name": ("POST", "/Users", b'{"schemas": ["%s"]}' % USER.encode(), 400, None),
    "a key twice": ("POST", "/Users", b'{"userName": "a", "userName": "b"}', 400, None),
    "a group of a group": (
        "POST",
        "/Groups",
        b'{"schemas": ["%s"], "displayName": "x", "members": [{"value": "nobody"}]}' % GROUP.encode(),
        400,
        "invalidValue",
    ),
    "no such person": ("GET", "/Users/none", b"", 404, None),
    "no such place": ("GET", "/Everything", b"", 404, None),
    "a filter that is none": ("GET", "/Users?filter=userName%20is%20x", b"", 400, "invalidFilter"),
    "a filter of nothing there": ("GET", "/Users?filter=password%20eq%20%22x%22", b"", 400, "invalidFilter"),
}


@pytest.mark.parametrize(("method", "path", "body", "status", "kind"), BAD.values(), ids=BAD)
async def test_what_cannot_be_is_refused_as_the_protocol_says_it(
    spoken: Directory, method, path, body, status, kind
):
    said = await spoken.client.request(
        method, path, content=body, headers={"Content-Type": "application/scim+json"}
    )
    assert (said.status_code, said.headers["content-type"]) == (status, "application/scim+json"), said.text
    assert kind in (None, said.json().get("scimType"))
    assert said.json()["status"] == str(status)


async def test_nobody_else_speaks_as_the_directory(directory: World, spoken: Directory):
    """No administrator, no token of theirs, and nobody at all where no directory is set up."""
    text = await directory.token(ACTORS["dario"], title="t", scopes=("read", "administer"), days=2)
    for token, status in ((text, 403), (TOKEN[:-1], 401), ("", 401), (TOKEN + "x", 401)):
        said = await spoken.client.get("/Users", headers={"Authorization": f"Bearer {token}"})
        assert said.status_code == status, token
    assert (await spoken.client.get("/Users")).status_code == 200
    object.__setattr__(directory.backend, "provisioning", None)
    assert (await spoken.client.get("/Users")).status_code == 401


async def test_one_name_is_one_person_and_pages_tell_how_many_there_are(spoken: Directory):
    for n in range(5):
        await spoken.user(f"p{n}@corvale.example")
    twice = {"schemas": [USER], "userName": "P3@corvale.example"}
    refused = await spoken.client.post("/Users", json=twice)
    assert (refused.status_code, refused.json()["scimType"]) == (409, "uniqueness")
    page = (
        await spoken.client.get("/Users?count=2&startIndex=3&sortBy=userName&sortOrder=descending")
    ).json()
    assert page["totalResults"] == 5
    assert [one["userName"] for one in page["Resources"]] == ["p2@corvale.example", "p1@corvale.example"]
    query = "/Users?attributes=userName&filter=userName%20eq%20%22P4@CORVALE.example%22"
    (only,) = (await spoken.client.get(query)).json()["Resources"]
    assert only.keys() == {"schemas", "id", "userName"}
    two = (await spoken.client.get('/Users?filter=userName sw "p" and not (userName co "3")')).json()
    assert two["totalResults"] == 4
