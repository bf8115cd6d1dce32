"""Signing in by OpenID Connect Core 1.0: the code flow with PKCE (RFC 7636), discovery, keys that change.

Of the ID token nothing is believed that the provider did not sign for us, for this very attempt, just now.
"""

import base64
import hashlib
import secrets
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from time import monotonic
from typing import Any
from urllib.parse import quote, urlencode, urlsplit

import httpx
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet
from joserfc.jwt import JWTClaimsRegistry

from dogana.clock import Clock
from dogana.sources import Began, Identity, NoIdentityError
from dogana.sources.http import HttpRequest, UnreadError, answer, is_guarded, plain_json

_SIGNED_BY = ["RS256", "RS384", "RS512", "PS256", "ES256", "ES384", "EdDSA"]
"""With a key that the provider alone has: neither `none`, nor a secret that both sides hold."""
_LEEWAY, _LONGEST_SUBJECT, _MOST_GROUPS = 60, 255, 500
_KNOWN_FOR, _KEYS_AT_MOST_EVERY = 600.0, 10.0
_END_OF_TIME = 253_402_300_800
"""The year 10000, in seconds."""


class OidcDirectory:
    """One provider, as the installation's only client of it."""

    def __init__(
        self,
        client: httpx.AsyncClient,
        clock: Clock,
        *,
        issuer: str,
        client_id: str,
        client_secret: str,
        name: str,
        groups_claim: str,
    ) -> None:
        """Read nothing yet.

        Raises:
            ValueError: for an issuer that is reached without TLS elsewhere than on this machine.
        """
        if not is_guarded(issuer):
            raise ValueError("an issuer is reached over https")
        self.name = name
        self._client, self._clock = client, clock
        self._issuer, self._id, self._secret = issuer, client_id, client_secret
        self._groups_claim = groups_claim
        self._known: dict[str, Any] | None = None
        self._known_at = self._keys_at = -_KNOWN_FOR
        self._keys: KeySet | None = None

    async def begin(self, redirect: str, fresh: timedelta | None = None, acr: str = "") -> Began:
        """Where a browser is sent to sign in, and what has to come back.

        Args:
            redirect: where it sends the browser back to.
            fresh: how long ago they may have shown who they are; any time where None.
            acr: the class that this has to have; any where empty.

        Raises:
            NoIdentityError: while the provider does not answer.
        """
        found = await self._discovered()
        state, nonce, verifier = (secrets.token_urlsafe(32) for _ in range(3))
        challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=")
        asked = {
            "response_type": "code",
            "client_id": self._id,
            "redirect_uri": redirect,
            "scope": "openid email profile",
            "state": state,
            "nonce": nonce,
            "code_challenge": challenge.decode(),
            "code_challenge_method": "S256",
        }
        if fresh is not None:
            asked["max_age"] = str(int(fresh.total_seconds()))
        if acr:
            asked["acr_values"] = acr
        where = found["authorization_endpoint"]
        url = f"{where}{'&' if urlsplit(where).query else '?'}{urlencode(asked)}"
        return Began(url=url, state=state, nonce=nonce, verifier=verifier)

    async def finish(self, code: str, began: Began, redirect: str) -> Identity:
        """Who has signed in there, from the code that came back.

        Raises:
            NoIdentityError: for anything that is not an ID token of this provider for this attempt.
        """
        found = await self._discovered()
        body = {
            "grant_type": "authorization_code",
            "code": code,
            "redirect_uri": redirect,
            "code_verifier": began.verifier,
        }
        token = await self._read(
            HttpRequest(
                address=found["token_endpoint"],
                method="POST",
                headers={"Content-Type": "application/x-www-form-urlencoded", **self._as_client()},
                body=urlencode(body).encode(),
                tries=1,
            )
        )
        claims = await self._claims(str(token.get("id_token", "")), began.nonce)
        said = {"email", self._groups_claim} <= claims.keys()
        if not said and isinstance(token.get("access_token"), str):
            claims = await self._more(claims, token["access_token"], found)
        return _identity(self._issuer, claims, self._groups_claim)

    async def sign_out_at(self, then: str) -> str | None:
        """Where a browser is sent to sign out there (RP-Initiated Logout 1.0); None where one cannot."""
        try:
            where = (await self._discovered()).get("end_session_endpoint")
        except NoIdentityError:
            return None
        if not isinstance(where, str) or not is_guarded(where):
            return None
        asked = urlencode({"client_id": self._id, "post_logout_redirect_uri": then})
        return f"{where}{'&' if urlsplit(where).query else '?'}{asked}"

    async def _claims(self, text: str, nonce: str) -> dict[str, Any]:
        expects = JWTClaimsRegistry(
            now=lambda: int(self._clock().timestamp()),
            leeway=_LEEWAY,
            iss={"essential": True, "value": self._issuer},
            sub={"essential": True},
            aud={"essential": True, "value": self._id},
            exp={"essential": True},
            iat={"essential": True},
            nonce={"essential": True, "value": nonce},
        )
        try:
            claims = dict((await self._opened(text)).claims)
            expects.validate(claims)
        except (JoseError, ValueError, TypeError, KeyError) as exc:
            raise NoIdentityError(f"its answer is not to be believed ({type(exc).__name__})") from exc
        others = claims["aud"] if isinstance(claims["aud"], list) else [claims["aud"]]
        if (len(others) > 1 or "azp" in claims) and claims.get("azp") != self._id:
            raise NoIdentityError("its answer is meant for somebody else")
        return claims

    async def _opened(self, text: str) -> jwt.Token:
        """An ID token whose signature fits; keys are read again once where it was made with a new one."""
        try:
            return jwt.decode(text, await self._provider_keys(), algorithms=_SIGNED_BY)
        except (JoseError, ValueError):
            if monotonic() - self._keys_at < _KEYS_AT_MOST_EVERY:
                raise
        self._keys = None
        return jwt.decode(text, await self._provider_keys(), algorithms=_SIGNED_BY)

    async def _provider_keys(self) -> KeySet:
        if self._keys is None:
            found = await self._discovered()
            keys = await self._read(HttpRequest(address=found["jwks_uri"]))
            self._keys, self._keys_at = KeySet.import_key_set({"keys": keys.get("keys", [])}), monotonic()
        return self._keys

    async def _more(self, claims: dict[str, Any], token: str, found: Mapping[str, Any]) -> dict[str, Any]:
        """What the provider says of the same person beside the ID token (section 5.3)."""
        where = found.get("userinfo_endpoint")
        if where is None:
            return claims
        said = await self._read(HttpRequest(address=where, headers={"Authorization": f"Bearer {token}"}))
        if said.get("sub") != claims["sub"]:
            raise NoIdentityError("it tells of two people at once")
        return {**said, **claims}

    async def _discovered(self) -> dict[str, Any]:
        if self._known is None or monotonic() - self._known_at > _KNOWN_FOR:
            address = f"{self._issuer.rstrip('/')}/.well-known/openid-configuration"
            found = await self._read(HttpRequest(address=address))
            needed = ("authorization_endpoint", "token_endpoint", "jwks_uri")
            if found.get("issuer") != self._issuer:
                raise NoIdentityError("it calls itself by another name than it was set up with")
            if not all(isinstance(found.get(one), str) and is_guarded(found[one]) for one in needed):
                raise NoIdentityError("it does not say where one signs in, or over no https")
            self._known, self._known_at = found, monotonic()
        return self._known

    async def _read(self, asked: HttpRequest) -> dict[str, Any]:
        try:
            found = await plain_json(await answer(self._client, asked))
        except UnreadError as exc:
            raise NoIdentityError(str(exc)) from exc
        except ValueError as exc:
            raise NoIdentityError("it answered something else than JSON") from exc
        if not isinstance(found, dict):
            raise NoIdentityError("it answered something else than an object")
        return found

    def _as_client(self) -> dict[str, str]:
        """By name and secret (RFC 6749, section 2.3.1)."""
        pair = f"{quote(self._id, safe='')}:{quote(self._secret, safe='')}"
        return {"Authorization": f"Basic {base64.b64encode(pair.encode()).decode()}"}


def _identity(issuer: str, claims: Mapping[str, Any], groups_claim: str) -> Identity:
    subject, email, groups = claims["sub"], claims.get("email"), claims.get(groups_claim)
    if not isinstance(subject, str) or not 0 < len(subject) <= _LONGEST_SUBJECT:
        raise NoIdentityError("it does not say who it is")
    named = groups if isinstance(groups, list) and len(groups) <= _MOST_GROUPS else None
    at, acr = claims.get("auth_time"), claims.get("acr")
    told = isinstance(at, int) and not isinstance(at, bool) and 0 < at < _END_OF_TIME
    return Identity(
        issuer=issuer,
        subject=subject,
        # What the provider has not made sure of is a claim of whoever typed it there.
        email=email if isinstance(email, str) and claims.get("email_verified") is True else None,
        groups=None if named is None else frozenset(one for one in named if isinstance(one, str)),
        authenticated_at=datetime.fromtimestamp(at, UTC) if told and at is not None else None,
        acr=acr if isinstance(acr, str) else None,
    )
