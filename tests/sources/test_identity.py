"""Nothing is believed but what the provider signed for us, for this very attempt, just now."""

import base64
import hmac
import json
import time
from datetime import UTC, datetime

import httpx
import pytest
from joserfc import jwt
from joserfc.jwk import ECKey, KeySet, OctKey, RSAKey
from starlette.responses import JSONResponse
from tests.serving import Outside, served

from dogana.sources import Began, Identity, NoIdentityError
from dogana.sources import directory as adapter
from dogana.sources.directory import OidcDirectory

SECRET = "a-secret-that-both-sides-hold-0123456789"
KEYS = {name: RSAKey.generate_key(2048, {"kid": name, "use": "sig"}) for name in ("old", "new", "foreign")}
ON_CURVE = ECKey.generate_key("P-256", {"kid": "old"})


class Provider(Outside):
    """A provider that says what it is told to say."""

    def __init__(self) -> None:
        super().__init__()
        self.answer = self.said
        self.published = [KEYS["old"]]
        self.document: dict = {}
        self.token: object = {}
        self.userinfo: dict = {}

    async def said(self, request):
        path = request.url.path
        if path == "/.well-known/openid-configuration":
            names = ("authorization_endpoint", "token_endpoint", "jwks_uri", "userinfo_endpoint")
            return JSONResponse(
                {"issuer": self.url, **{name: f"{self.url}/{name}" for name in names}, **self.document}
            )
        if path == "/jwks_uri":
            return JSONResponse(KeySet(self.published).as_dict(private=False))
        return JSONResponse(self.userinfo if path == "/userinfo_endpoint" else self.token)

    def claims(self, **changes) -> dict:
        now = int(time.time())
        made = {"iss": self.url, "sub": "u-1", "aud": "dogana", "iat": now, "exp": now + 300, "nonce": "n"}
        made |= {"email": "ilse@corvale.example", "email_verified": True, "groups": ["desk"], **changes}
        return {name: value for name, value in made.items() if value is not None}

    def signed(self, key="old", alg="RS256", **changes) -> str:
        named = KEYS[key] if isinstance(key, str) else key
        return jwt.encode({"alg": alg, "kid": "old"}, self.claims(**changes), named, algorithms=[alg])


@pytest.fixture
async def provider():
    async with served(Provider()) as provider:
        yield provider


async def come_back(provider: Provider, token: object, *, at: OidcDirectory | None = None) -> Identity:
    provider.token = {"id_token": token, "access_token": "t"} if isinstance(token, str) else token
    began = Began(url="", state="s", nonce="n", verifier="v")
    async with httpx.AsyncClient() as client:
        directory = at or of(provider, client)
        directory._client = client
        return await directory.finish("code", began, "https://dogana.example/api/sign-in/back")


def of(provider: Provider, client: httpx.AsyncClient | None = None) -> OidcDirectory:
    return OidcDirectory(
        client,
        lambda: datetime.now(UTC),
        issuer=provider.url,
        client_id="dogana",
        client_secret=SECRET,
        name="the directory",
        groups_claim="groups",
    )


async def test_who_signed_in_is_who_the_provider_says(provider: Provider):
    """With the verifier of the attempt, as ourselves; an address that was not made sure of is none."""
    found = await come_back(provider, provider.signed())
    assert (found.issuer, found.subject, found.email, found.groups) == (
        provider.url,
        "u-1",
        "ilse@corvale.example",
        frozenset({"desk"}),
    )
    (asked,) = [one for one in provider.asked if one.url.path == "/token_endpoint"]
    assert "code_verifier=v" in (await asked.body()).decode()
    assert asked.headers["Authorization"].startswith("Basic ")
    for unsure in (False, None, "true", 1):
        assert (await come_back(provider, provider.signed(email_verified=unsure))).email is None
    assert (await come_back(provider, provider.signed(groups="desk"))).groups is None


async def test_what_the_id_token_leaves_out_is_asked_for(provider: Provider):
    """Of the same person; what is said of another is not believed, and what is signed comes first."""
    token = provider.signed(email=None, email_verified=None)
    provider.userinfo = {
        "sub": "u-1",
        "email": "ilse@corvale.example",
        "email_verified": True,
        "groups": ["no"],
    }
    found = await come_back(provider, token)
    assert (found.email, found.groups) == ("ilse@corvale.example", frozenset({"desk"}))
    provider.userinfo["sub"] = "u-2"
    with pytest.raises(NoIdentityError, match="two people"):
        await come_back(provider, token)


def unsigned(provider: Provider) -> str:
    body = provider.signed().split(".")[1]
    return f"eyJhbGciOiJub25lIn0.{body}."


def by_the_secret(provider: Provider) -> str:
    return provider.signed(OctKey.import_key(SECRET), "HS256")


def by_the_public_key(provider: Provider) -> str:
    head = base64.urlsafe_b64encode(b'{"alg":"HS256","kid":"old"}').rstrip(b"=")
    said = head + b"." + provider.signed().split(".")[1].encode()
    seal = hmac.digest(KEYS["old"].as_pem(private=False), said, "sha256")
    return f"{said.decode()}.{base64.urlsafe_b64encode(seal).rstrip(b'=').decode()}"


def changed(provider: Provider) -> str:
    head, _, seal = provider.signed().split(".")
    return f"{head}.{provider.signed(sub='u-2').split('.')[1]}.{seal}"


FORGED = {
    "no signature": unsigned,
    "signed with the secret": by_the_secret,
    "signed with the public key as a secret": by_the_public_key,
    "signed by a stranger": lambda p: p.signed("foreign"),
    "signed on another curve": lambda p: p.signed(ON_CURVE, "ES256"),
    "changed after signing": changed,
    "of another attempt": lambda p: p.signed(nonce="m"),
    "of no attempt": lambda p: p.signed(nonce=None),
    "for another client": lambda p: p.signed(aud="another"),
    "for several, first another": lambda p: p.signed(aud=["another", "dogana"], azp="another"),
    "for several, for none of them": lambda p: p.signed(aud=["another", "dogana"]),
    "of another issuer": lambda p: p.signed(iss="http://127.0.0.1:1"),
    "ended": lambda p: p.signed(exp=int(time.time()) - 3600),
    "without an end": lambda p: p.signed(exp=None),
    "from the future": lambda p: p.signed(iat=int(time.time()) + 3600, exp=int(time.time()) + 7200),
    "of nobody": lambda p: p.signed(sub=None),
    "of somebody without a name": lambda p: p.signed(sub=""),
    "of a number": lambda p: p.signed(sub=17),
    "a name without end": lambda p: p.signed(sub="x" * 300),
    "an end that is none": lambda p: p.signed(exp="tomorrow"),
    "no token": lambda p: "",
    "text": lambda p: "no.token.this",
    "a list": lambda p: [],
    "an error": lambda p: {"error": "invalid_grant"},
    "a number": lambda p: {"id_token": 17},
}


@pytest.mark.parametrize("name", FORGED)
async def test_a_forged_answer_is_nobody(provider: Provider, name: str):
    """Each is refused in words."""
    with pytest.raises(NoIdentityError) as refused:
        await come_back(provider, FORGED[name](provider))
    assert str(refused.value)


@pytest.mark.parametrize("mood", ["broken", "wrong", "huge", "elsewhere", "breaking off"])
async def test_a_provider_that_is_ill_lets_nobody_in(provider: Provider, mood: str):
    """Whatever it answers instead."""
    token = provider.signed()
    provider.mood = mood
    with pytest.raises(NoIdentityError):
        await come_back(provider, token)


@pytest.mark.parametrize(
    "document",
    [
        {"issuer": "http://127.0.0.1:1"},
        {"token_endpoint": "http://10.0.0.1/token"},
        {"jwks_uri": None},
        {"authorization_endpoint": 17},
    ],
    ids=json.dumps,
)
async def test_a_provider_that_calls_itself_otherwise_is_another(provider: Provider, document: dict):
    """By its name, and over https."""
    provider.document = document
    with pytest.raises(NoIdentityError):
        await come_back(provider, provider.signed())


async def test_keys_that_change_are_read_again_and_not_for_everybody(provider: Provider, monkeypatch):
    """A new key is found at the next sign-in; forged tokens do not have the keys read again and again."""
    ticks = [0.0]
    monkeypatch.setattr(adapter, "monotonic", lambda: ticks[0])
    directory = of(provider)
    await come_back(provider, provider.signed(), at=directory)
    provider.published = [KEYS["new"]]
    ticks[0] += 11
    renewed = jwt.encode({"alg": "RS256", "kid": "new"}, provider.claims(), KEYS["new"])
    assert (await come_back(provider, renewed, at=directory)).subject == "u-1"
    before = len(provider.asked)
    for _ in range(5):
        with pytest.raises(NoIdentityError):
            await come_back(provider, provider.signed(), at=directory)
    keys = [one for one in provider.asked[before:] if one.url.path == "/jwks_uri"]
    assert keys == []
    ticks[0] += 11
    with pytest.raises(NoIdentityError):
        await come_back(provider, provider.signed(), at=directory)
    assert len([one for one in provider.asked[before:] if one.url.path == "/jwks_uri"]) == 1
