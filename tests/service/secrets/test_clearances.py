"""Clearances and what they open: signed, for one use and one promotion; any library verifies them."""

from base64 import urlsafe_b64decode
from dataclasses import replace

import jwt
import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from tests.world import TICKETS, World, artifact

from dogana.core.errors import BadClearanceError, ConflictError, ForbiddenError, NotClearedError, SealingError
from dogana.demo.cast import ACTORS
from dogana.service.delivery import course
from dogana.service.sealing import Keyring, about_clearance_key, new_key_line
from dogana.service.secrets import clearances, values
from dogana.store import secrets

PIPELINE, ADMIN = ACTORS["pipeline"], ACTORS["dario"]


async def verified(world: World, token: str) -> dict:
    """As a deployer would, with the published keys and a library that is not ours."""
    keys = jwt.PyJWKSet.from_dict(await clearances.keys(world.backend))
    key = keys[jwt.get_unverified_header(token)["kid"]]
    options = {"verify_exp": False, "verify_nbf": False, "verify_iat": False}
    return jwt.decode(token, key, ["EdDSA"], audience="bench", issuer="dogana", options=options)


async def status(world: World, token: str) -> str | None:
    return (await clearances.introspect(world.backend, PIPELINE, token, use=False)).reason


async def cleared(world: World) -> tuple[int, str]:
    row = await world.ask("bench")
    token = await world.depart(row.number)
    assert token is not None
    return row.number, token


async def test_a_clearance_names_what_it_lets_in(world: World):
    """Promotion, environment, bytes, shares and times; any library verifies it."""
    number, token = await cleared(world)
    claims = await verified(world, token)
    assert (claims["promotion"], claims["environment"], claims["version"]) == (number, "bench", "1.2.0")
    assert claims["artifacts"] == {artifact().name: artifact().digest}
    assert claims["rollout"] == [{"share": 100, "hold": "PT0S"}]
    assert claims["exp"] - claims["nbf"] == 3600
    assert await status(world, token) is None
    forged = token[:-4] + ("AAAA" if token[-4:] != "AAAA" else "BBBB")
    assert await status(world, forged) == "This is no clearance of this Dogana."
    with pytest.raises(jwt.InvalidSignatureError):
        await verified(world, forged)


@pytest.mark.parametrize(
    "claim",
    [
        {"artifacts": {"taps-portal-1.2.0.tar.gz": "sha256:" + "b" * 64}},
        {"environment": "live-north", "aud": "live-north"},
        {"service": "leak-watch"},
        {"exp": 4102444800},
        {"rollout": []},
        {"jti": "another"},
    ],
    ids=["other bytes", "another place", "another service", "for longer", "at once", "another one"],
)
async def test_what_is_not_on_record_is_none_of_ours_whoever_signed_it(world: World, claim: dict):
    """Somebody who got hold of a key can sign anything."""
    _, token = await cleared(world)
    async with world.backend.database.transaction() as session:
        row = await secrets.signing_key(session)
    sealed = world.backend.sealer.open(row.private, about_clearance_key(row.id))
    stolen = Ed25519PrivateKey.from_private_bytes(urlsafe_b64decode(sealed + "=="))
    said, header = await verified(world, token), jwt.get_unverified_header(token)
    assert await status(world, jwt.encode(said, stolen, "EdDSA", header)) is None
    forged = jwt.encode(said | claim, stolen, "EdDSA", header)
    assert await status(world, forged) == "This is no clearance of this Dogana."
    with pytest.raises(BadClearanceError):
        await values.read(world.backend, PIPELINE, forged)
    assert await status(world, token) is None


async def test_it_is_for_one_use_and_one_holder(world: World):
    """Asked for again its holder gets the same one; used, revoked or expired it is worth nothing."""
    number, token = await cleared(world)
    assert await verified(world, await world.depart(number)) == await verified(world, token)
    with pytest.raises(ConflictError, match="was issued"):
        await course.depart(world.backend, replace(PIPELINE, id="noor"), number)
    assert (await clearances.introspect(world.backend, PIPELINE, token, use=True)).active
    assert await status(world, token) == "The clearance has been used."
    with pytest.raises(BadClearanceError, match="used"):
        await values.read(world.backend, PIPELINE, token)
    await world.land(number)
    other = await world.ask("bench", "1.3.0", artifacts=(artifact(byte="b"),))
    token = await world.depart(other.number)
    await clearances.revoke(world.backend, ACTORS["ilse"], other.number, comment="wrong cluster")
    assert await status(world, token) == "The clearance was revoked."
    token = await world.depart(other.number)
    world.clock.now += clearances.LASTS
    assert await status(world, token) == "The clearance has expired."


async def test_landing_uses_it_up_and_a_rollback_revokes_it(world: World):
    """A clearance does not outlive its promotion."""
    number, token = await cleared(world)
    await world.land(number)
    assert await status(world, token) == "The clearance has been used."
    other = await world.ask("bench", "1.3.0", artifacts=(artifact(byte="b"),))
    token = await world.depart(other.number)
    await course.roll_back(world.backend, PIPELINE, other.number, note="failed")
    assert await status(world, token) == "The clearance was revoked."


async def test_a_person_lets_it_go_and_the_deployer_gets_the_clearance(world: World):
    """Whoever presses the button at the desk does not take it from the pipeline."""
    await world.landed("bench")
    await world.landed("rehearsal")
    await world.adopt("pilot-valley", TICKETS)
    row = await world.ask("pilot-valley")
    assert await course.depart(world.backend, ACTORS["ilse"], row.number) is None
    assert await world.depart(row.number)
    assert (await world.actions(row.number))[-2:] == ["depart", "issue clearance"]


async def test_nothing_departs_that_is_not_cleared(world: World):
    """A freeze that began after clearing stops it, and no clearance is made."""
    row = await world.waiting()
    with pytest.raises(NotClearedError):
        await world.depart(row.number)
    assert "issue clearance" not in await world.actions(row.number)


async def test_keys_rotate_and_the_old_one_stays_published_for_a_while(world: World):
    """What it signed verifies until it has expired."""
    _, token = await cleared(world)
    before = (await clearances.keys(world.backend))["keys"]
    made = await clearances.rotate(world.backend, ADMIN)
    after = (await clearances.keys(world.backend))["keys"]
    assert [key["kid"] for key in after] == [before[0]["kid"], made.kid]
    assert all("d" not in key for key in after)
    assert await verified(world, token)
    world.clock.now += 3 * clearances.LASTS
    assert [key["kid"] for key in (await clearances.keys(world.backend))["keys"]] == [made.kid]


async def test_sealed_values_open_for_exactly_their_place(world: World):
    """The service's own, the environment's before that for all; each reading is on record."""
    for environment, name, value in (
        (None, "QUEUE", "shared"),
        ("bench", "QUEUE", "the bench's"),
        ("rehearsal", "ONLY", "not here"),
        (None, "KEY", "k\u00e9y"),
    ):
        await values.keep(world.backend, ADMIN, "taps-portal", environment, name, value)
    await values.keep(world.backend, ADMIN, "leak-watch", None, "OTHER", "not ours")
    number, token = await cleared(world)
    read = await values.read(world.backend, PIPELINE, token)
    assert read == {"QUEUE": "the bench's", "KEY": "k\u00e9y"}
    assert (await world.actions(number))[-1] == "read values"
    names = await values.names(world.backend, ADMIN, "taps-portal")
    assert [(one.name, one.environment) for one in names] == [
        ("KEY", None),
        ("ONLY", "rehearsal"),
        ("QUEUE", None),
        ("QUEUE", "bench"),
    ]
    assert all("shared" not in str(one) for one in names)
    with pytest.raises(ForbiddenError):
        await values.names(world.backend, ACTORS["ilse"], "taps-portal")


async def test_values_are_sealed_again_with_a_new_key(world: World):
    """Then the old key can go; a value moved to another place in the database does not open."""
    await values.keep(world.backend, ADMIN, "taps-portal", None, "KEY", "v")
    old = new_key_line()
    line = new_key_line()
    ring = Keyring.read(f"{old}\n{line}")
    sealed = Keyring.read(old).seal("v", "value a")
    again = ring.again(sealed, "value a")
    assert Keyring.read(line).open(again, "value a") == "v"
    assert ring.again(again, "value a") is None
    with pytest.raises(SealingError, match="changed in the database"):
        ring.open(again, "value b")
    with pytest.raises(SealingError, match="not in the key file"):
        Keyring.read(old).open(again, "value a")
    assert await values.seal_again(world.backend) == 0


@pytest.mark.parametrize("text", ["", "short AAAA", "12345678 AAAA", "12345678 !!"])
def test_a_key_file_that_holds_no_key_is_refused(text):
    """At the start, not at the first secret."""
    with pytest.raises(ValueError, match="key"):
        Keyring.read(text)


async def test_without_a_sealing_key_nothing_departs(world: World):
    """It is said before anything moves."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    await world.approve(row.number, "henrik")
    object.__setattr__(world.backend, "keyring", None)
    with pytest.raises(SealingError, match="dogana seal new"):
        await world.depart(row.number)
